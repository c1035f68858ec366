using System.CommandLine;
using System.Globalization;
using System.Net;
using System.Text.Json;
using Microsoft.AspNetCore.Hosting.Server;
using Microsoft.AspNetCore.Hosting.Server.Features;
using Microsoft.Net.Http.Headers;

namespace Mukta.StandIns;

/// <summary><c>mukta-standins mirror</c>: a vendor's mirror on this machine, with byte ranges, entity tags and planned faults.</summary>
internal static class MirrorCommand
{
    public static Command Build()
    {
        var folder = new Argument<DirectoryInfo>("DIR") { Description = "The folder to serve." };
        var port = new Option<int>("--port") { Description = "The port on 127.0.0.1; 0 for any that is free.", HelpName = "N" };
        var faults = new Option<string?>("--faults") { Description = "A JSON file of faults, see docs/stand-ins.md.", HelpName = "FILE" };
        var log = new Option<string?>("--log") { Description = "Write a JSON line for each request.", HelpName = "FILE" };
        var command = new Command("mirror", "Serve a folder over HTTP on 127.0.0.1 until ended.") { folder, port, faults, log };
        command.SetAction((parsed, cancel) => RunAsync(
            parsed.GetRequiredValue(folder).FullName, parsed.GetValue(port), FaultPlan.Read(parsed.GetValue(faults)),
            parsed.GetValue(log), cancel));
        return command;
    }

    private static async Task<int> RunAsync(string folder, int port, FaultPlan plan, string? logFile, CancellationToken cancel)
    {
        var builder = WebApplication.CreateEmptyBuilder(new WebApplicationOptions()); // The slim one watches the working folder.
        builder.WebHost.UseKestrelCore().ConfigureKestrel(options => options.Listen(IPAddress.Loopback, port));
        var log = logFile is null ? null : TextWriter.Synchronized(new StreamWriter(logFile, append: true) { AutoFlush = true });
        var (requests, bytes) = (0L, 0L);
        var app = builder.Build();
        app.Run(async context =>
        {
            var line = await AnswerAsync(context, folder, plan).ConfigureAwait(false);
            Interlocked.Increment(ref requests);
            Interlocked.Add(ref bytes, line.BodyBytes);
            log?.WriteLine(JsonSerializer.Serialize(line, StandInsJson.Default.LogLine));
        });
        await app.StartAsync(cancel).ConfigureAwait(false);
        Console.WriteLine(app.Services.GetRequiredService<IServer>().Features.Get<IServerAddressesFeature>()!.Addresses.First());
        await app.WaitForShutdownAsync(cancel).ConfigureAwait(false);
        Console.WriteLine(
            string.Create(CultureInfo.InvariantCulture, $"The mirror has answered {requests} requests with {bytes:N0} bytes of bodies."));
        return 0;
    }

    private static async Task<LogLine> AnswerAsync(HttpContext context, string folder, FaultPlan plan)
    {
        var (request, response) = (context.Request, context.Response);
        var path = (request.Path.Value ?? "").TrimStart('/');
        var range = request.Headers.Range.FirstOrDefault();
        var faults = plan.For(path);
        var body = new FaultyBody(response.Body, context, faults);
        try
        {
            if (faults.FirstOrDefault(f => f.Kind == "delay") is { } delay)
                await Task.Delay(delay.Milliseconds, context.RequestAborted).ConfigureAwait(false);
            if (faults.Any(f => f.Kind == "ignore-range"))
                request.Headers.Remove(HeaderNames.Range);
            if (faults.FirstOrDefault(f => f.Kind == "other-range") is { } other)
                request.Headers.Range = Lengthened(range, other.Bytes);
            response.Body = body;
            await Result(folder, path, faults).ExecuteAsync(context).ConfigureAwait(false);
        }
        catch (OperationCanceledException)
        {
            // The client has gone, or a fault has cut the connection.
        }

        return new LogLine(
            request.Method, path, range, response.StatusCode, body.Sent,
            faults.Count == 0 ? null : string.Join(' ', faults.Select(f => f.Kind)));
    }

    private static IResult Result(string folder, string path, IReadOnlyList<Fault> faults)
    {
        if (faults.FirstOrDefault(f => f.Kind == "status") is { } status)
            return new StatusResult(status.Status, status.RetryAfter);
        if (faults.Any(f => f.Kind == "html"))
            return Results.Text("<html><title>Welcome to the harbour net</title>Please log in.</html>", "text/html");
        var file = new FileInfo(Path.GetFullPath(Path.Join(folder, path)));
        if (!file.FullName.StartsWith(folder.TrimEnd('/') + "/", StringComparison.Ordinal) || !file.Exists)
            return Results.NotFound();
        var tag = string.Create(CultureInfo.InvariantCulture, $"\"{file.Length:x}-{file.LastWriteTimeUtc.Ticks:x}\"");
        return Results.File(
            file.FullName, "application/octet-stream", lastModified: file.LastWriteTimeUtc, entityTag: new EntityTagHeaderValue(tag),
            enableRangeProcessing: true);
    }

    private static string? Lengthened(string? range, long by)
    {
        if (!RangeHeaderValue.TryParse(range, out var parsed) || parsed.Ranges.FirstOrDefault() is not { From: { } from, To: { } to })
            return range;
        return string.Create(CultureInfo.InvariantCulture, $"bytes={from}-{Math.Max(from, to + by)}");
    }

    private sealed class StatusResult(int status, int? retryAfter) : IResult
    {
        public Task ExecuteAsync(HttpContext httpContext)
        {
            httpContext.Response.StatusCode = status;
            if (retryAfter is { } seconds)
                httpContext.Response.Headers.RetryAfter = seconds.ToString(CultureInfo.InvariantCulture);
            return Task.CompletedTask;
        }
    }
}
