using System.CommandLine;
using System.Net;
using System.Text;
using Microsoft.AspNetCore.Hosting.Server;
using Microsoft.AspNetCore.Hosting.Server.Features;

namespace Mukta.StandIns;

/// <summary><c>mukta-standins outage</c>: a vendor's outage page, read again from a file for every request, or misbehaving.</summary>
internal static class OutageCommand
{
    public static Command Build()
    {
        var file = new Argument<FileInfo>("FILE") { Description = "The report, in the shape of the health-check response draft." };
        var port = new Option<int>("--port") { Description = "The port on 127.0.0.1; 0 for any that is free.", HelpName = "N" };
        var mood = new Option<string>("--mood")
        {
            Description = "good, hang (never answers) or endless (never ends).",
            DefaultValueFactory = _ => "good",
        };
        mood.AcceptOnlyFromAmong("good", "hang", "endless");
        var command = new Command("outage", "Serve an outage page on 127.0.0.1 until ended.") { file, port, mood };
        command.SetAction(
            (parsed, cancel) =>
            RunAsync(parsed.GetRequiredValue(file).FullName, parsed.GetValue(port), parsed.GetRequiredValue(mood), cancel));
        return command;
    }

    private static async Task<int> RunAsync(string file, int port, string mood, CancellationToken cancel)
    {
        var builder = WebApplication.CreateEmptyBuilder(new WebApplicationOptions()); // The slim one watches the working folder.
        builder.WebHost.UseKestrelCore().ConfigureKestrel(options => options.Listen(IPAddress.Loopback, port));
        var app = builder.Build();
        app.Run(async context =>
        {
            try
            {
                await AnswerAsync(context, file, mood).ConfigureAwait(false);
            }
            catch (OperationCanceledException)
            {
                // The client has gone.
            }
        });
        await app.StartAsync(cancel).ConfigureAwait(false);
        Console.WriteLine(app.Services.GetRequiredService<IServer>().Features.Get<IServerAddressesFeature>()!.Addresses.First());
        await app.WaitForShutdownAsync(cancel).ConfigureAwait(false);
        return 0;
    }

    private static async Task AnswerAsync(HttpContext context, string file, string mood)
    {
        if (mood == "hang")
            await Task.Delay(Timeout.Infinite, context.RequestAborted).ConfigureAwait(false);
        var report = await File.ReadAllTextAsync(file, context.RequestAborted).ConfigureAwait(false);
        context.Response.ContentType = "application/health+json";
        context.Response.StatusCode = report.Contains("\"status\": \"fail\"", StringComparison.Ordinal) ? 503 : 200;
        await context.Response.WriteAsync(mood == "endless" ? "{ \"status\": \"" : report, context.RequestAborted).ConfigureAwait(false);
        while (mood == "endless")
        {
            await context.Response.Body.WriteAsync(Encoding.ASCII.GetBytes("tide "), context.RequestAborted).ConfigureAwait(false);
            await Task.Delay(50, context.RequestAborted).ConfigureAwait(false);
        }
    }
}
