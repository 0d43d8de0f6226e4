using System.Security.Cryptography;
using System.Text;

namespace Wexil.Core.Common;

/// <summary>Ids of things that may be told more than once: the same name always has the same id.</summary>
public static class NameBasedId
{
    /// <summary>The first 128 bits of the name's SHA-256, in its UTF-8.</summary>
    public static Guid From(string name) =>
        new(SHA256.HashData(Encoding.UTF8.GetBytes(name)).AsSpan(0, 16), bigEndian: true);
}
