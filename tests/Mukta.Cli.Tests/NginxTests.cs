using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>The same against a web server that nobody here has written.</summary>
public class NginxTests
{
    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public async Task A_real_web_server_serves_ranges_and_whole_files(bool knowsRanges)
    {
        Need.Program("nginx");
        using var game = await VerifyTests.BrokenAsync();
        File.Delete(game.Scratch.At("game/bin/game"));
        using var nginx = await StartAsync(game.Scratch, knowsRanges ? "" : "max_ranges 0;");
        var answer = await game.RepairAsync("--from", nginx.Url, "--yes", "--hold-strays");
        answer.Code.ShouldBe(0, answer.Out + answer.Err);
        Directory.Delete(game.Scratch.At("game/saves"));
        game.ShouldBeWhole();
        nginx.End();
        var log = File.ReadAllLines(game.Scratch.At("access.log"));
        var expected = 200_000 + (knowsRanges ? 3 : 16) * GameFolder.PieceLength;
        log.Where(l => l.StartsWith("GET", StringComparison.Ordinal)).Sum(l => long.Parse(l.Split(' ')[^1], null)).ShouldBeInRange(200_000 + 3 * GameFolder.PieceLength, 2 * expected);
        log.Any(l => l.Contains(" 206 ", StringComparison.Ordinal)).ShouldBe(knowsRanges);
    }

    private static async Task<Nginx> StartAsync(Scratch scratch, string extra)
    {
        using var probe = new TcpListener(IPAddress.Loopback, 0);
        probe.Start();
        var port = ((IPEndPoint)probe.LocalEndpoint).Port;
        probe.Stop();
        scratch.Write("nginx.conf", $$"""
            daemon off; pid {{scratch.At("nginx.pid")}}; error_log {{scratch.At("error.log")}};
            {{(Environment.UserName == "root" ? "user root;" : "")}}
            events { }
            http {
              log_format plain '$request_method $uri $status $body_bytes_sent';
              access_log {{scratch.At("access.log")}} plain;
              client_body_temp_path {{scratch.At("t1")}}; proxy_temp_path {{scratch.At("t2")}}; fastcgi_temp_path {{scratch.At("t3")}};
              uwsgi_temp_path {{scratch.At("t4")}}; scgi_temp_path {{scratch.At("t5")}};
              server { listen 127.0.0.1:{{port}}; root {{scratch.At("release")}}; {{extra}} }
            }
            """);
        var path = File.Exists("/usr/sbin/nginx") ? "/usr/sbin/nginx" : "nginx";
        var process = Programs.Start(scratch, path, "-c", scratch.At("nginx.conf"), "-e", scratch.At("error.log"));
        var url = $"http://127.0.0.1:{port}";
        using var client = new HttpClient();
        for (var tries = 0; ; tries++)
        {
            try
            {
                await client.GetAsync(new Uri(url), TestContext.Current.CancellationToken);
                return new Nginx(process, url);
            }
            catch (HttpRequestException) when (tries < 100 && !process.HasExited)
            {
                await Task.Delay(50, TestContext.Current.CancellationToken);
            }
        }
    }

    private sealed class Nginx(Process process, string url) : IDisposable
    {
        public string Url => url;

        public void End()
        {
            if (process.HasExited)
                return;
            using var quit = Process.Start("kill", ["-QUIT", $"{process.Id}"]);
            quit.WaitForExit();
            process.WaitForExit();
        }

        public void Dispose()
        {
            End();
            process.Dispose();
        }
    }
}
