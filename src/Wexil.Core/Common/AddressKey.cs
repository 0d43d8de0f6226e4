namespace Wexil.Core.Common;

/// <summary>How addresses where money is taken are told apart.</summary>
public static class AddressKey
{
    /// <summary>
    /// An address without scheme, query and fragment; a path of this server as it is; empty where it is neither.
    /// </summary>
    public static string For(string address)
    {
        var trimmed = address.Trim();
        if (trimmed.StartsWith('/') && !trimmed.StartsWith("//", StringComparison.Ordinal))
            return trimmed.Split('?', '#')[0].TrimEnd('/');
        return
            Uri.TryCreate(
                trimmed.StartsWith("//", StringComparison.Ordinal) ? "https:" + trimmed : trimmed,
                UriKind.Absolute,
                out var uri
            ) && uri.Scheme is "http" or "https"
            ? uri.Authority.ToLowerInvariant() + uri.AbsolutePath.TrimEnd('/')
            : "";
    }
}
