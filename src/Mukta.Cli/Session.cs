using System.CommandLine;
using System.Reflection;
using Mukta.Cli.Json;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Operations;
using Mukta.Products;
using Mukta.State;
using Serilog;
using Serilog.Core;
using Serilog.Events;
using Spectre.Console;
using Spectre.Console.Rendering;

namespace Mukta.Cli;

/// <summary>One run of the program: where its words go. Made once, from the common options.</summary>
internal sealed class Session : IDisposable
{
    private readonly Lazy<IAnsiConsole> output = new(() => NewConsole(Console.Out, breakLines: false));
    private readonly Lazy<IAnsiConsole> error = new(() => NewConsole(Console.Error, breakLines: !Console.IsErrorRedirected));
    private const string LogFolder = "log", LogFile = "log/mukta.log";

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

    /// <summary>What every command ends with that only showed its plan.</summary>
    public const string DryRun = "Dry run: nothing was changed. Run it again without --dry-run to apply the plan.";

    /// <summary>The environment variable that stands for --profiles.</summary>
    public const string ProfilesVariable = "MUKTA_PROFILES";

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
        var state = UserFolders.Of(UserEnvironment.Get).State;
        try
        {
            StatePlace.EnsureFile(state, LogFile);
            if (StatePlace.Names(state, LogFolder).All(n => StatePlace.HasFile(state, Path.Join(LogFolder, n))))
                file.Open(state); // Else one of them is a pipe, which would be waited for.
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or MuktaException)
        {
            // A log is worth having, not worth failing for.
        }
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

    /// <summary>Ends what is shown with the command to type next.</summary>
    public void Next(string command) => Output.MarkupLineInterpolated($"Next: [bold]{command}[/]");

    /// <summary>Says what went wrong and answers the exit code.</summary>
    public int Fail(MuktaException failure)
    {
        failure = StandardInput.Named(failure);
        if (IsJson)
            Write(new ErrorDocument(failure), Documents.Readable.ErrorDocument);
        Tell(failure);
        return (int)failure.Code;
    }

    /// <summary>The profiles at hand. What cannot be used is said on standard error, and keeps nothing else from going on.</summary>
    public static ProfileCatalog Profiles(ParseResult parsed, Option<string?> folder)
    {
        using var session = new Session(parsed);
        var catalog = ReadProfiles(parsed.GetValue(folder), Published(parsed, session));
        if (session.IsVerbose)
        {
            foreach (var file in catalog.Profiles.Select(p => p.File).Prepend(UserSettings.File).OfType<string>())
                session.Say($"read {file}");
        }

        if (!session.IsQuiet)
        {
            foreach (var fault in catalog.Faults)
                session.Tell(fault, "left out: ");
        }

        return catalog;
    }

    /// <summary>The profiles in a folder, or the one that the environment names, and in the usual folders.</summary>
    public static ProfileCatalog ReadProfiles(string? folder, PublishedManifests? published = null) => ProfileCatalog.Read(
        folder ?? (Environment.GetEnvironmentVariable(ProfilesVariable) is { Length: > 0 } set ? set : null), UserEnvironment.Get,
        UserSettings.Now.Profiles, published);

    /// <summary>Gets manifests from the network, unless the command was told to stay offline.</summary>
    public static PublishedManifests Published(ParseResult parsed, Session session) =>
        new(UserFolders.Of(UserEnvironment.Get).Cache, () => UserSettings.Http, TimeProvider.System)
        {
            IsOffline = parsed.CommandResult.Command.Options.OfType<Option<bool>>().Any(o => o.Name == "--offline" && parsed.GetValue(o)),
            Longest = parsed.CommandResult.Command.Name == "check" ? TimeSpan.FromSeconds(3) : TimeSpan.FromMinutes(5),
            Seen = new SeenReleases(UserFolders.Of(UserEnvironment.Get).State),
            Say = session.Say,
        };

    /// <summary>Where a new profile belongs: the folder that is named, or the user's own.</summary>
    public static string FolderOfProfiles(string? folder) =>
        folder ?? (Environment.GetEnvironmentVariable(ProfilesVariable) is { Length: > 0 } set ? set
        : ProfileCatalog.UsualFolders(UserEnvironment.Get)[0]);

    /// <summary>Says on standard error what failed, where, and what to do next.</summary>
    public void Tell(MuktaException failure, string before = "")
    {
        Error.MarkupLineInterpolated($"[red]mukta:[/] {before}{failure.What}");
        foreach (var line in failure.Where.Split('\n'))
            Error.WriteLine("  " + line.Trim());
        Error.WriteLine($"Next: {failure.Next}");
        if (IsVerbose)
            Error.WriteLine(failure.ToString());
    }

    public void Dispose() => log?.Dispose();

    private static IAnsiConsole NewConsole(TextWriter writer, bool breakLines)
    {
        var console = AnsiConsole.Create(new AnsiConsoleSettings { Out = new AnsiConsoleOutput(writer) });
        if (!breakLines)
            console.Profile.Width = 100_000;
        console.Pipeline.Attach(new Escaping());
        return console;
    }

    /// <summary>What came from outside, whatever it is in, can neither command the terminal nor show something else than it is.</summary>
    private sealed class Escaping : IRenderHook
    {
        public IEnumerable<IRenderable> Process(RenderOptions options, IEnumerable<IRenderable> renderables) =>
            renderables.Select(r => new Escaped(r));

        private sealed class Escaped(IRenderable inner) : IRenderable
        {
            public Measurement Measure(RenderOptions options, int maxWidth) => inner.Measure(options, maxWidth);

            public IEnumerable<Segment> Render(RenderOptions options, int maxWidth) => inner.Render(options, maxWidth)
                .Select(s => s.IsControlCode || s.IsLineBreak || s.Text.All(c => c is '\n') ? s
                    : PathBytes.Shown(s.Text) is var shown && shown == s.Text ? s : new Segment(shown, s.Style));
        }
    }

    /// <summary>A file that is made once it is known that it is wanted; until then it remembers.</summary>
    private sealed class LateFileSink : ILogEventSink, IDisposable
    {
        private const int MostRemembered = 1000;
        private readonly Lock opening = new();
        private readonly List<LogEvent> remembered = [];
        private Logger? file;
        private (uint User, uint Group) owner;

        public void Open(string stateFolder)
        {
            lock (opening)
            {
                if (file is not null)
                    return;
                owner = StatePlace.OwnerOf(stateFolder);
                using var rights = FileSystemIdentity.Of(owner.User, owner.Group);
                file = new LoggerConfiguration().MinimumLevel.Debug().WriteTo.File(
                    new LineFormatter(), StatePlace.PathIn(stateFolder, LogFile), fileSizeLimitBytes: 10 << 20, rollOnFileSizeLimit: true,
                    retainedFileCountLimit: 5, shared: true)
                    .CreateLogger();
                remembered.ForEach(file.Write);
                remembered.Clear();
            }
        }

        public void Emit(LogEvent logEvent)
        {
            lock (opening)
            {
                if (file is null)
                {
                    if (remembered.Count < MostRemembered)
                        remembered.Add(logEvent);
                    return;
                }

                using var rights = FileSystemIdentity.Of(owner.User, owner.Group); // It may go on in a new file.
                file.Write(logEvent);
            }
        }

        public void Dispose() => file?.Dispose();
    }

    /// <summary>One event, one line: what came from outside cannot begin another.</summary>
    private sealed class LineFormatter : Serilog.Formatting.ITextFormatter
    {
        public void Format(LogEvent logEvent, TextWriter output) => output.WriteLine(
            $"{logEvent.Timestamp:yyyy-MM-dd HH:mm:ss.fff zzz} {logEvent.Level} {Shown(logEvent)}"
            + (logEvent.Exception is { } failure ? $" {PathBytes.Shown(failure.ToString())}" : ""));
    }

    private static string Shown(LogEvent logEvent) =>
        PathBytes.Shown(logEvent.RenderMessage(System.Globalization.CultureInfo.InvariantCulture));

    private sealed class ErrorStreamSink : ILogEventSink
    {
        public void Emit(LogEvent logEvent) =>
            Console.Error.WriteLine(
            $"  {logEvent.Timestamp:HH:mm:ss.fff} {Shown(logEvent)}");
    }
}
