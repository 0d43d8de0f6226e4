namespace Wexil.Store;

/// <summary>
/// Encrypts what only the program may read, with keys that are not in the data file: whoever gets hold of the file
/// alone reads no secret in it.
/// </summary>
public interface ISecretSeal
{
    /// <summary>The secret, unreadable.</summary>
    string Seal(string secret);

    /// <summary>What was sealed.</summary>
    /// <exception cref="StoreException">It was sealed with other keys, or is damaged.</exception>
    string Open(string secret);
}
