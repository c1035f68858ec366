using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>A real web server in a scratch folder, on a port of its own, that serves <c>release</c> and logs each request.</summary>
internal sealed class Nginx : IDisposable
{
    private readonly Process process;
    private readonly Scratch scratch;

    private Nginx(Process process, Scratch scratch, int port, int tlsPort) =>
        (this.process, this.scratch, Url, TlsUrl) = (process, scratch, $"http://127.0.0.1:{port}", $"https://localhost:{tlsPort}");

    public string Url { get; }

    /// <summary>
    /// The same over TLS and, where the client wants it, HTTP/2; its certificate is the scratch folder's <c>mirror.crt</c>.
    /// </summary>
    public string TlsUrl { get; }

    /// <summary>Starts it with what is to stand in its configuration's server block; PORT stands for its own port there.</summary>
    public static async Task<Nginx> StartAsync(Scratch scratch, string server = "", bool isExpired = false)
    {
        Need.Program("nginx");
        MakeCertificate(scratch, isExpired ? -1 : 1);
        var (port, tlsPort) = (FreePort(), FreePort());
        scratch.Write("nginx.conf", $$"""
            daemon off; pid {{scratch.At("nginx.pid")}}; error_log {{scratch.At("error.log")}};
            {{(Environment.UserName == "root" ? "user root;" : "")}}
            events { }
            http {
              log_format plain '$server_protocol $host "$http_if_range" $request_method $uri $status $body_bytes_sent';
              access_log {{scratch.At("access.log")}} plain;
              client_body_temp_path {{scratch.At("t1")}}; proxy_temp_path {{scratch.At("t2")}}; fastcgi_temp_path {{scratch.At("t3")}};
              uwsgi_temp_path {{scratch.At("t4")}}; scgi_temp_path {{scratch.At("t5")}};
              server {
                listen 127.0.0.1:{{port}}; listen 127.0.0.1:{{tlsPort}} ssl http2;
                ssl_certificate {{scratch.At("mirror.crt")}}; ssl_certificate_key {{scratch.At("mirror.key")}};
                root {{scratch.At("release")}};
                {{server.Replace("PORT", $"{port}", StringComparison.Ordinal)}}
              }
            }
            """);
        var path = File.Exists("/usr/sbin/nginx") ? "/usr/sbin/nginx" : "nginx";
        var nginx = new Nginx(
            Programs.Start(scratch, path, "-c", scratch.At("nginx.conf"), "-e", scratch.At("error.log")), scratch, port, tlsPort);
        using var client = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false });
        for (var tries = 0; ; tries++)
        {
            try
            {
                (await client.GetAsync(new Uri(nginx.Url + "/?ready"), TestContext.Current.CancellationToken)).Dispose();
                return nginx;
            }
            catch (HttpRequestException) when (tries < 100 && !nginx.process.HasExited)
            {
                await Task.Delay(50, TestContext.Current.CancellationToken);
            }
        }
    }

    /// <summary>Ends it and answers its log, without the line of the start.</summary>
    public IReadOnlyList<LoggedRequest> End()
    {
        Quit();
        return [.. File.ReadAllLines(scratch.At("access.log")).Skip(1).Select(LoggedRequest.Of)];
    }

    public void Dispose()
    {
        Quit();
        process.Dispose();
    }

    private void Quit()
    {
        if (process.HasExited)
            return;
        using var quit = Process.Start("kill", ["-QUIT", $"{process.Id}"]);
        quit.WaitForExit();
        process.WaitForExit();
    }

    private static int FreePort()
    {
        using var probe = new TcpListener(IPAddress.Loopback, 0);
        probe.Start();
        return ((IPEndPoint)probe.LocalEndpoint).Port;
    }

    private static void MakeCertificate(Scratch scratch, int lastDay)
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest("CN=localhost", key, HashAlgorithmName.SHA256);
        var names = new SubjectAlternativeNameBuilder();
        names.AddDnsName("localhost");
        request.CertificateExtensions.Add(names.Build());
        request.CertificateExtensions.Add(
            new X509BasicConstraintsExtension(certificateAuthority: true, hasPathLengthConstraint: false, 0, critical: true));
        using var certificate = request.CreateSelfSigned(DateTimeOffset.UtcNow.AddDays(-3), DateTimeOffset.UtcNow.AddDays(lastDay));
        scratch.Write("mirror.crt", certificate.ExportCertificatePem());
        scratch.Write("mirror.key", key.ExportPkcs8PrivateKeyPem());
    }
}

/// <summary>A line of the web server's log.</summary>
internal sealed record LoggedRequest(string Protocol, string Host, string IfRange, string Method, string Path, int Status, long BodyBytes)
{
    public static LoggedRequest Of(string line)
    {
        // The path may hold spaces, the rest does not.
        var (head, rest) = (line.Split(' ', 5), line.Split(' '));
        return new LoggedRequest(
            head[0], head[1], head[2].Trim('"'), head[3], string.Join(' ', rest[4..^2]), int.Parse(rest[^2], null),
            long.Parse(rest[^1], null));
    }
}
