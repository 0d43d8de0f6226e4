using System.Diagnostics;
using System.Net.Security;
using System.Net.Sockets;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Wexil.Tests;

namespace Wexil.Web.Tests.Published;

/// <summary>A real proxy with the example of deploy/; only names, ports and certificates are replaced.</summary>
internal sealed class ReverseProxy : IAsyncDisposable
{
    public const string StudioName = "studio.wexil-owner.test",
        VisitorsName = "go.wexil-ads.test";

    private readonly Process _process;
    private readonly int _http,
        _https;

    private ReverseProxy(Process process, int http, int https) => (_process, _http, _https) = (process, http, https);

    public static Task<ReverseProxy> StartNginxAsync(string studio, string visitors)
    {
        var (folder, http, https) = (TemporaryFolder.Create("nginx"), FreePorts.Next(), FreePorts.Next());
        var site = Example("nginx.conf", studio, visitors)
            .Replace("  listen [::]:80;\n", "", StringComparison.Ordinal)
            .Replace("  listen [::]:443 ssl http2;\n", "", StringComparison.Ordinal)
            .Replace("listen 80;", $"listen 127.0.0.1:{http};", StringComparison.Ordinal)
            .Replace("listen 443 ", $"listen 127.0.0.1:{https} ", StringComparison.Ordinal)
            .Replace("/etc/letsencrypt/live", folder, StringComparison.Ordinal);
        foreach (var name in new[] { StudioName, VisitorsName })
            WriteCertificate(Path.Combine(folder, name), name);
        var asRoot = Environment.UserName == "root" ? "user root;" : "";
        var configuration = Path.Combine(folder, "nginx.conf");
        File.WriteAllText(
            configuration,
            $$"""
            {{asRoot}}
            daemon off;
            pid {{folder}}/pid;
            error_log stderr;
            events {}
            http {
              access_log off;
              client_body_temp_path {{folder}}/body;
              proxy_temp_path {{folder}}/proxy;
              fastcgi_temp_path {{folder}}/fastcgi;
              uwsgi_temp_path {{folder}}/uwsgi;
              scgi_temp_path {{folder}}/scgi;
            {{site}}
            }
            """
        );
        return StartAsync(new("/usr/sbin/nginx", ["-p", folder, "-c", configuration]), http, https);
    }

    public static Task<ReverseProxy> StartCaddyAsync(string studio, string visitors)
    {
        var (folder, http, https) = (TemporaryFolder.Create("caddy"), FreePorts.Next(), FreePorts.Next());
        var configuration = Path.Combine(folder, "Caddyfile");
        File.WriteAllText(
            configuration,
            $$"""
            {
              admin off
              local_certs
              skip_install_trust
              http_port {{http}}
              https_port {{https}}
              storage file_system {{folder}}
            }
            {{Example("Caddyfile", studio, visitors)}}
            """
        );
        var start = new ProcessStartInfo(
            "/usr/bin/caddy",
            ["run", "--config", configuration, "--adapter", "caddyfile"]
        );
        start.Environment["HOME"] = folder;
        return StartAsync(start, http, https);
    }

    /// <summary>A browser that takes the two names for this proxy, and trusts its certificates.</summary>
    public HttpClient Browser(string name, string scheme = "https")
    {
        var handler = new SocketsHttpHandler
        {
            AllowAutoRedirect = false,
            SslOptions = new SslClientAuthenticationOptions
            {
                // Nobody vouches for the certificates, but they are for the right name.
                RemoteCertificateValidationCallback = (_, _, _, errors) =>
                    (errors | SslPolicyErrors.RemoteCertificateChainErrors)
                    == SslPolicyErrors.RemoteCertificateChainErrors,
            },
            ConnectCallback = async (context, cancel) =>
            {
                var socket = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
                var port = context.DnsEndPoint.Port == 80 ? _http : _https;
                await socket.ConnectAsync("127.0.0.1", port, cancel);
                return new NetworkStream(socket, ownsSocket: true);
            },
        };
        var client = new HttpClient(handler) { BaseAddress = new($"{scheme}://{name}") };
        client.DefaultRequestHeaders.UserAgent.ParseAdd(WexilFixture.Desktop);
        return client;
    }

    public async ValueTask DisposeAsync()
    {
        _process.Kill(entireProcessTree: true);
        await _process.WaitForExitAsync();
        _process.Dispose();
    }

    private static async Task<ReverseProxy> StartAsync(ProcessStartInfo start, int http, int https)
    {
        start.RedirectStandardError = true;
        start.RedirectStandardOutput = true;
        var process = Process.Start(start)!;
        var said = process.StandardError.ReadToEndAsync();
        _ = process.StandardOutput.ReadToEndAsync();
        var proxy = new ReverseProxy(process, http, https);
        foreach (var name in new[] { StudioName, VisitorsName })
            while (!await AnswersAsync(proxy, name))
                if (process.HasExited)
                    throw new InvalidOperationException(await said);
        return proxy;
    }

    private static async Task<bool> AnswersAsync(ReverseProxy proxy, string name)
    {
        using var browser = proxy.Browser(name);
        try
        {
            using var answer = await browser.GetAsync("/health");
            return answer.IsSuccessStatusCode;
        }
        catch (HttpRequestException)
        {
            return false;
        }
    }

    private static string Example(string file, string studio, string visitors) =>
        File.ReadAllText(Repository.At("deploy", file))
            .Replace("studio.example.com", StudioName, StringComparison.Ordinal)
            .Replace("go.example.net", VisitorsName, StringComparison.Ordinal)
            .Replace("127.0.0.1:5080", studio, StringComparison.Ordinal)
            .Replace("127.0.0.1:5081", visitors, StringComparison.Ordinal);

    private static void WriteCertificate(string folder, string name)
    {
        Directory.CreateDirectory(folder);
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest($"CN={name}", key, HashAlgorithmName.SHA256);
        var names = new SubjectAlternativeNameBuilder();
        names.AddDnsName(name);
        request.CertificateExtensions.Add(names.Build());
        using var certificate = request.CreateSelfSigned(
            DateTimeOffset.UnixEpoch,
            new DateTimeOffset(2049, 1, 1, 0, 0, 0, TimeSpan.Zero)
        );
        File.WriteAllText(Path.Combine(folder, "fullchain.pem"), certificate.ExportCertificatePem());
        File.WriteAllText(Path.Combine(folder, "privkey.pem"), key.ExportPkcs8PrivateKeyPem());
    }
}
