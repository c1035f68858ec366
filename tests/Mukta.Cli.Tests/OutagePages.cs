using System.Net;
using System.Net.Sockets;

namespace Mukta.Cli.Tests;

/// <summary>Serves each home's outage page: <c>outage.json</c> in its folder, read again for every request.</summary>
internal static class OutagePages
{
    private static readonly HttpListener Listener = new();

    /// <summary>The address; a home's page is below its folder's name.</summary>
    public static string Url { get; } = Start();

    private static string Start()
    {
        using var free = new TcpListener(IPAddress.Loopback, 0);
        free.Start();
        var url = $"http://127.0.0.1:{((IPEndPoint)free.LocalEndpoint).Port}";
        free.Stop();
        Listener.Prefixes.Add(url + "/");
        Listener.Start();
        _ = AnswerAllAsync();
        return url;
    }

    private static async Task AnswerAllAsync()
    {
        while (true)
        {
            var context = await Listener.GetContextAsync();
            var home = context.Request.Url!.Segments[1].Trim('/');
            var file = Path.Join(Path.GetTempPath(), home, "outage.json");
            try
            {
                var report = File.Exists(file) ? await File.ReadAllTextAsync(file) : "";
                context.Response.ContentType = "application/health+json";
                context.Response.StatusCode =
                    report.Length == 0 ? 404 : report.Contains("\"status\": \"fail\"", StringComparison.Ordinal) ? 503 : 200;
                await context.Response.OutputStream.WriteAsync(System.Text.Encoding.UTF8.GetBytes(report));
                context.Response.Close();
            }
            catch (Exception e) when (e is IOException or HttpListenerException)
            {
                // The client has gone, or the test has ended.
            }
        }
    }
}
