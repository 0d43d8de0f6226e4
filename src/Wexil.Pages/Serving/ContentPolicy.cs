using System.Globalization;
using System.Security.Cryptography;
using System.Text;

namespace Wexil.Pages.Serving;

/// <summary>
/// The content policies of a page: what a browser lets its scripts and styles do. All of them have to allow a thing.
/// </summary>
internal sealed class ContentPolicy
{
    private readonly Uri _page;
    private readonly Dictionary<string, string[]>[] _policies;

    /// <param name="policies">The values of the page's Content-Security-Policy headers and of its meta
    /// elements.</param>
    public ContentPolicy(Uri page, IEnumerable<string> policies)
    {
        _page = page;
        _policies = [.. policies.SelectMany(policy => policy.Split(',')).Select(Read)];
    }

    public bool IsEmpty => _policies.Length == 0;

    /// <summary>May a script element load this address?</summary>
    /// <param name="nonce">The element's own; null for none.</param>
    public bool AllowsScript(Uri script, string? nonce) =>
        All(["script-src-elem", "script-src", "default-src"], sources => Allows(sources, script, nonce));

    /// <summary>May a script that was let in load this address by an element that it adds?</summary>
    public bool AllowsAddedScript(Uri script) =>
        All(["script-src-elem", "script-src", "default-src"], sources =>
            Has(sources, "'strict-dynamic'") || Allows(sources, script, nonce: null)
        );

    /// <summary>May a script that stands in the page run?</summary>
    public bool AllowsInline(string script, string? nonce) =>
        All(["script-src-elem", "script-src", "default-src"], sources =>
            IsNonce(sources, nonce)
            || IsHash(sources, script)
            || (Has(sources, "'unsafe-inline'") && !sources.Any(IsNonceOrHash) && !Has(sources, "'strict-dynamic'"))
        );

    /// <summary>May a script add a style element?</summary>
    public bool AllowsStyle(string style) =>
        All(["style-src-elem", "style-src", "default-src"], sources =>
            IsHash(sources, style) || (Has(sources, "'unsafe-inline'") && !sources.Any(IsNonceOrHash))
        );

    /// <summary>May a script send something to this address?</summary>
    public bool AllowsConnection(Uri address) =>
        All(["connect-src", "default-src"], sources => Allows(sources, address, nonce: null));

    private bool All(ReadOnlySpan<string> names, Func<string[], bool> allows)
    {
        foreach (var policy in _policies)
        {
            foreach (var name in names)
            {
                if (!policy.TryGetValue(name, out var sources))
                    continue;
                if (!allows(sources))
                    return false;
                break;
            }
        }
        return true;
    }

    private static Dictionary<string, string[]> Read(string policy) =>
        policy
            .Split(';', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
            .Select(directive => directive.Split(' ', StringSplitOptions.RemoveEmptyEntries))
            .GroupBy(parts => parts[0].ToLowerInvariant())
            .ToDictionary(group => group.Key, group => group.First()[1..]);

    private bool Allows(string[] sources, Uri address, string? nonce) =>
        IsNonce(sources, nonce)
        || sources.Any(source =>
            source.ToLowerInvariant() switch
            {
                "'self'" => _page.Scheme == address.Scheme
                    && _page.Authority.Equals(address.Authority, StringComparison.OrdinalIgnoreCase),
                "*" => true,
                "https:" => address.Scheme == Uri.UriSchemeHttps,
                "http:" => true,
                ['\'', ..] => false,
                var host => IsHost(host, address),
            }
        );

    private static bool Has(string[] sources, string keyword) =>
        sources.Contains(keyword, StringComparer.OrdinalIgnoreCase);

    private static bool IsNonce(string[] sources, string? nonce) =>
        nonce is { Length: > 0 } && sources.Contains($"'nonce-{nonce}'", StringComparer.Ordinal);

    private static bool IsNonceOrHash(string source) =>
        source.StartsWith("'nonce-", StringComparison.OrdinalIgnoreCase)
        || source.StartsWith("'sha", StringComparison.OrdinalIgnoreCase);

    private static bool IsHash(string[] sources, string text)
    {
        var bytes = Encoding.UTF8.GetBytes(text);
        return sources.Any(source =>
            source == $"'sha256-{Convert.ToBase64String(SHA256.HashData(bytes))}'"
            || source == $"'sha384-{Convert.ToBase64String(SHA384.HashData(bytes))}'"
            || source == $"'sha512-{Convert.ToBase64String(SHA512.HashData(bytes))}'"
        );
    }

    private static bool IsHost(string source, Uri address)
    {
        var rest = source;
        if (rest.IndexOf("://", StringComparison.Ordinal) is > 0 and var at)
        {
            if (rest[..at] != address.Scheme && !(rest[..at] == "http" && address.Scheme == "https"))
                return false;
            rest = rest[(at + 3)..];
        }
        var slash = rest.IndexOf('/', StringComparison.Ordinal);
        var (authority, path) = slash < 0 ? (rest, "") : (rest[..slash], rest[slash..]);
        if (
            path.Length > 1
            && !(
                path.EndsWith('/')
                    ? address.AbsolutePath.StartsWith(path, StringComparison.Ordinal)
                    : address.AbsolutePath == path
            )
        )
            return false;
        var colon = authority.LastIndexOf(':');
        var (host, port) = colon < 0 ? (authority, "") : (authority[..colon], authority[(colon + 1)..]);
        if (
            port.Length == 0
                ? !address.IsDefaultPort
                : port != "*" && port != address.Port.ToString(CultureInfo.InvariantCulture)
        )
            return false;
        return host.StartsWith("*.", StringComparison.Ordinal)
            ? address.Host.EndsWith(host[1..], StringComparison.OrdinalIgnoreCase)
            : address.Host.Equals(host, StringComparison.OrdinalIgnoreCase);
    }
}
