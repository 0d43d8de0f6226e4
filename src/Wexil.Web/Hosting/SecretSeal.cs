using System.Security.Cryptography;
using Microsoft.AspNetCore.DataProtection;
using Wexil.Store;

namespace Wexil.Web.Hosting;

/// <summary>Seals secrets by the framework's data protection, with the keys in the data folder.</summary>
internal sealed class SecretSeal(IDataProtectionProvider protection) : ISecretSeal
{
    private readonly IDataProtector _protector = protection.CreateProtector("secrets in the data file");

    public string Seal(string secret) => _protector.Protect(secret);

    public string Open(string secret)
    {
        try
        {
            return _protector.Unprotect(secret);
        }
        catch (CryptographicException error)
        {
            throw new StoreException(
                "The secrets in the data file were sealed with keys that are not in the folder “keys” beside it. Put "
                    + "back the whole data folder, or restore a backup, which has both.",
                error
            );
        }
    }
}
