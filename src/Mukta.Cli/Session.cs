using System.CommandLine;
using System.Reflection;
using Mukta.Cli.Json;
using Mukta.Operations;
using Mukta.Products;
using Serilog;
using Serilog.Core;
using Serilog.Events;
using Spectre.Console;

namespace Mukta.Cli;

/// <summary>One run of the program: where its words go. Made once, from the common options.</summary>
internal sealed class Session : IDisposable
{
    private readonly Lazy<IAnsiConsole> output = new(() => NewConsole(Console.Out, breakLines: false));
    private readonly Lazy<IAnsiConsole> error = new(() => NewConsole(Console.Error, breakLines: !Console.IsErrorRedirected));
    private Logger? log;
    private readonly LateFileSink file = new();

    public Session(ParseResult parsed)
    {
        IsJson = parsed.GetResult(CommonOptions.Json) is { Implicit: false };
        IsQuiet = parsed.GetResult(CommonOptions.Quiet) is { Implicit: false };
        IsVerbose = parsed.GetResult(CommonOptions.Verbose) is { Implicit: false };
    }

    public static string Version { get; } =
        typeof(Session).Assembly.GetCustomAttribute<AssemblyInformationalVersionAttribute>()?.InformationalVersion ?? "0";

    public static string UserAgent => $"mukta/{Version}";

    public bool IsJson { get; }

    public bool IsQuiet { get; }

    public bool IsVerbose { get; }

    /// <summary>For people's output. Its lines are not broken: the terminal does that, and a pipe wants them whole.</summary>
    public IAnsiConsole Output => output.Value;

    /// <summary>For questions and progress.</summary>
    public IAnsiConsole Error => error.Value;

    /// <summary>Diagnostics: to standard error with <c>--verbose</c>, and to a file once something is changed.</summary>
    public ILogger Log()
    {
        if (log is not null)
            return log;
        var configuration = new LoggerConfiguration().MinimumLevel.Debug().WriteTo.Sink(file);
        if (IsVerbose)
            configuration.MinimumLevel.Verbose().WriteTo.Sink(new ErrorStreamSink());
        return log = configuration.CreateLogger();
    }

    /// <summary>From here on something is changed: diagnostics go to the log file too, with those that came before.</summary>
    public void KeepLog()
    {
        if (LogFolder() is { } folder)
            file.Open(Path.Join(folder, "mukta.log"));
    }

    /// <summary>Writes a JSON document to standard output.</summary>
    public static void Write<T>(T document, System.Text.Json.Serialization.Metadata.JsonTypeInfo<T> type) =>
        Console.Out.WriteLine(System.Text.Json.JsonSerializer.Serialize(document, type));

    /// <summary>Says what is being done.</summary>
    public void Say(string what)
    {
        if (!IsQuiet)
            Error.Write(new Text(what + "\n", new Style(Color.Grey)));
    }

    /// <summary>Says what went wrong and answers the exit code.</summary>
    public int Fail(MuktaException failure)
    {
        if (IsJson)
            Write(new ErrorDocument(failure), Documents.Readable.ErrorDocument);
        Tell(failure);
        return (int)failure.Code;
    }

    /// <summary>Says on standard error what failed, where, and what to do next.</summary>
    public void Tell(MuktaException failure)
    {
        Error.MarkupLineInterpolated($"[red]mukta:[/] {failure.What}");
        foreach (var line in failure.Where.Split('\n'))
            Error.WriteLine("  " + line.Trim());
        Error.WriteLine(failure.Next);
        if (IsVerbose)
            Error.WriteLine(failure.ToString());
    }

    public void Dispose()
    {
        if (log is null)
            return;
        log.Dispose();
        if (file.IsOpen && LogFolder() is { } folder)
            StatePlace.ChangeOwner(folder);
    }

    private static IAnsiConsole NewConsole(TextWriter writer, bool breakLines)
    {
        var console = AnsiConsole.Create(new AnsiConsoleSettings { Out = new AnsiConsoleOutput(writer) });
        if (!breakLines)
            console.Profile.Width = 100_000;
        return console;
    }

    /// <summary>The folder for the log; null where it cannot be made.</summary>
    private static string? LogFolder()
    {
        try
        {
            return StatePlace.Ensure(UserFolders.Of(UserEnvironment.Get).State, "log");
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or MuktaException)
        {
            return null; // A log is worth having, not worth failing for.
        }
    }

    /// <summary>A file that is made once it is known that it is wanted; until then it remembers.</summary>
    private sealed class LateFileSink : ILogEventSink, IDisposable
    {
        private const int MostRemembered = 1000;
        private readonly Lock opening = new();
        private readonly List<LogEvent> remembered = [];
        private Logger? file;

        public bool IsOpen => file is not null;

        public void Open(string path)
        {
            lock (opening)
            {
                file ??= new LoggerConfiguration().MinimumLevel.Debug().WriteTo.File(
                    path, formatProvider: System.Globalization.CultureInfo.InvariantCulture, fileSizeLimitBytes: 10 << 20,
                    rollOnFileSizeLimit: true, retainedFileCountLimit: 5, shared: true)
                    .CreateLogger();
                remembered.ForEach(file.Write);
                remembered.Clear();
            }
        }

        public void Emit(LogEvent logEvent)
        {
            lock (opening)
            {
                if (file is not null)
                    file.Write(logEvent);
                else if (remembered.Count < MostRemembered)
                    remembered.Add(logEvent);
            }
        }

        public void Dispose() => file?.Dispose();
    }

    private sealed class ErrorStreamSink : ILogEventSink
    {
        public void Emit(LogEvent logEvent) =>
            Console.Error.WriteLine(
            $"  {logEvent.Timestamp:HH:mm:ss.fff} "
            + $"{Disk.PathBytes.Shown(logEvent.RenderMessage(System.Globalization.CultureInfo.InvariantCulture))}");
    }
}
