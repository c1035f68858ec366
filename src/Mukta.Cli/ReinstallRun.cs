using System.CommandLine;
using Mukta.Cli.Commands;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Fetching;
using Mukta.Host.Processes;
using Mukta.Host.Services;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Reinstall;
using Mukta.Setup;
using Serilog;
using Spectre.Console;

namespace Mukta.Cli;

/// <summary>Installs products anew, or for the first time: asks the core for the facts, shows the plan, asks the user, and has it done.</summary>
internal sealed class ReinstallRun(Session session, Product product, ParseResult parsed, SourceOptions source) : IDisposable
{
    private readonly IServiceControl control = ServicesCommand.ControlOf(product.Machine);
    private readonly List<SourceList> sources = [];
    private readonly WorkMeter meter = new();
    private OperationRecord? left;
    private Manifest? manifest;

    /// <summary>The command that the user has given.</summary>
    public required string Command { get; init; }

    /// <summary>The product's manifest, where the profile's own is not meant.</summary>
    public string? ManifestFile { get; init; }

    public ReinstallScope Scope { get; init; }

    public ReinstallWish Wish { get; init; } = new(false, false);

    /// <summary>The product's id as the user has typed it to agree that user data goes.</summary>
    public string? Confirmed { get; init; }

    /// <summary>The install that the user has named; null for none.</summary>
    public string? NamedInstall { get; init; }

    public bool StopsFirst { get; init; }

    public bool IsDryRun { get; init; }

    public bool IsAgreed { get; init; }

    /// <summary>True where an interrupted run of the same command is there to go on with.</summary>
    public bool IsInterrupted => (left ??= Operation.FindInterrupted(product.Machine.Home, Command, product.Profile.Product)) is not null;

    public Manifest Manifest => manifest ??= MetalinkReader.ReadFile(ManifestFile ?? product.ManifestFile);

    private ReinstallChoice Choice => new(product.Machine, product.Catalog);

    /// <summary>The command as the user has typed it.</summary>
    private string Typed => Shell.Typed(parsed);

    public IReadOnlyList<string> AllInstalls() => Choice.Installs(product.Loaded);

    public void Dispose() => sources.ForEach(s => s.Dispose());

    /// <summary>Does it.</summary>
    /// <param name="installs">The product's own installs that are meant; none where it is not there.</param>
    /// <param name="newPlace">Where to put it then; null for the profile's first place.</param>
    /// <param name="word">What else the user asked for, for an interrupted run to be compared with.</param>
    /// <param name="cancel">Interrupts.</param>
    public async Task<ExitCode> ToEndAsync(IReadOnlyList<string> installs, string? newPlace, string? word, CancellationToken cancel)
    {
        var log = session.Log(toFile: !IsDryRun);
        var chosen = IsInterrupted ? [.. ReinstallStep.TargetsOf(left!).Select(t => (product.Catalog.Of(t.Product), t.Path))] : Choice.Of(product.Loaded, Scope, installs, newPlace);
        if (IsInterrupted && NamedInstall is { } named && chosen.All(c => c.Item2 != Disk.Folder.RealPathOf(named)))
        {
            throw new MuktaException(
                ExitCode.BadInput, $"A {Command} of another install of {product.Profile.Title} was begun and has not ended.", string.Join('\n', chosen.Select(c => Disk.PathBytes.Shown(c.Item2))),
                $"Go on with that one, or go back with: mukta undo {left!.Header.Operation}{product.OptionsForUndo}");
        }

        var targets = await Progressing.ShowAsync(session, meter, () => Task.FromResult(chosen.Select(c => Look(c.Item1, c.Item2, log, cancel)).ToList())).ConfigureAwait(false);
        var text = new ReinstallText(session.Output);
        if (!session.IsJson && !(session.IsQuiet && IsAgreed))
            text.Plan(targets, Wish, left, StaysOf(targets));
        if (IsDryRun)
            return End(new ReinstallDocument(product.Profile.Product, IsDryRun, ExitCode.Problems, targets, Wish), "Nothing was changed: this was a dry run. The same command without --dry-run does it.");

        var units = targets.SelectMany(t => t.Profile.Services).Select(s => s.Unit).ToList();
        if (units.Count > 0)
            ServiceRights.Refuse(control, product.Machine, units, Typed);
        var maker = new Reinstaller(product.Machine, control, TimeProvider.System, log)
        {
            Limits = source.Limits(parsed),
            Also = source.Also(parsed),
            Meter = meter,
            RefuseIfRunning = RefuseIfRunning,
            Doing = Doing,
            Begun = product.Remember,
        };
        if (StopsFirst)
            await StopAsync(targets, cancel).ConfigureAwait(false);
        await maker.ProveAsync(targets, left, cancel).ConfigureAwait(false);
        if (!await IsAgreedAsync(cancel).ConfigureAwait(false))
            return End(new ReinstallDocument(product.Profile.Product, IsDryRun, ExitCode.Problems, targets, Wish), "Nothing was changed.");
        var outcome = await RunAsync(maker, targets, word, cancel).ConfigureAwait(false);
        log.Information("operation {Operation}: {Count} installs made, exit code {Code}", outcome.Operation, outcome.Targets.Count, outcome.Code);
        if (session.IsJson)
            return End(new ReinstallDocument(product.Profile.Product, IsDryRun, outcome.Code, targets, Wish) { Outcome = outcome }, "");
        text.Outcome(outcome, session.IsQuiet, product.OptionsForUndo);
        return outcome.Code;
    }

    private ReinstallTarget Look(Products.LoadedProfile loaded, string path, ILogger log, CancellationToken cancel)
    {
        var isNamed = loaded.Profile.Product == product.Profile.Product;
        var of = isNamed ? Manifest : MetalinkReader.ReadFile((product with { Loaded = loaded }).ManifestFile);
        var list = isNamed ? source.Sources(parsed, loaded.Profile.Manifest?.Mirrors ?? [], of, log)
            : SourceList.Of([], loaded.Profile.Manifest?.Mirrors ?? [], of, isOffline: false, Session.UserAgent, TimeProvider.System, log);
        sources.Add(list);
        var isNew = left is not null && ReinstallStep.IsDone(left, ReinstallStep.ChangedOver, path);
        return ReinstallTarget.Of(product.Machine, product.Catalog, loaded.Profile, of, path, list.Sources, Wish, Choice.OfOthers(loaded), isNew, source.Also(parsed), meter, cancel);
    }

    /// <summary>What the user may fear for, and what is not touched.</summary>
    private List<(string Title, string Path)> StaysOf(List<ReinstallTarget> targets) =>
        [.. product.Catalog.Profiles.Where(p => targets.All(t => t.Profile.Product != p.Profile.Product) && (p.Profile.Needs.Contains(product.Profile.Product) || product.Profile.Needs.Contains(p.Profile.Product)))
            .SelectMany(p => Choice.Installs(p).Select(path => (p.Profile.Title, path)))];

    private async Task<bool> IsAgreedAsync(CancellationToken cancel)
    {
        if (Wish.DropsUserData && Confirmed != product.Profile.Product)
            return Confirmed is null && await Question.IsTypedAsync(session, $"The user's own data listed above goes. Type {product.Profile.Product} to agree:", product.Profile.Product, $"--no-user-data --confirm {product.Profile.Product}", cancel).ConfigureAwait(false);
        return IsAgreed || await Question.IsAnsweredYesAsync(session, "Go on?", cancel).ConfigureAwait(false);
    }

    private async Task<ReinstallOutcome> RunAsync(Reinstaller maker, List<ReinstallTarget> targets, string? word, CancellationToken cancel)
    {
        string?[] words = [Scope == ReinstallScope.Alone ? null : Scope == ReinstallScope.WithNeeds ? "with-needs" : "with-games", Wish.IsFresh ? "fresh" : null, Wish.DropsUserData ? "no-user-data" : null, word];
        var wish = string.Join(' ', words.OfType<string>().Prepend("reinstall"));
        try
        {
            return await Progressing.ShowAsync(session, meter, () => maker.RunAsync(Command, product.Profile.Product, Wish, wish, targets, cancel)).ConfigureAwait(false);
        }
        catch (ReinstallStopped e)
        {
            if (e.State is ReinstallState.WaitsForRestart or ReinstallState.RemovedAndWaits)
                WaitingOperations.Put(product.Machine.Home, new WaitingOperation(e.Operation, Typed, SetupRunner.Boot));
            throw new MuktaException(e.Code, e.What, e.Where, $"{e.Next}\n{ReinstallText.Situation(e.State)}\nTo go on: {Typed}\nTo go back: mukta undo {e.Operation}{product.OptionsForUndo}", e);
        }
    }

    private void Doing(ReinstallTarget target, string what)
    {
        if (!session.IsQuiet)
            session.Error.MarkupLineInterpolated($"[grey]{target.Profile.Title}: {what}[/]");
    }

    /// <summary>A service's own processes do not count while it is about to be switched off.</summary>
    private void RefuseIfRunning(ReinstallTarget target, IReadOnlyList<ServiceState> up)
    {
        var running = Running(target).Where(r => up.All(s => s.MainPid != r.Pid)).ToList();
        if (running.Count > 0)
            throw new ProductRuns(running, $"End it with: mukta stop {target.Profile.Product}{product.OptionsForOthers}, or add --stop");
    }

    private IReadOnlyList<RunningProcess> Running(ReinstallTarget target) =>
        !product.Machine.IsLive || !Directory.Exists(target.Path) ? [] : [.. new ProcessTable().Using([target.Path], target.Profile.Processes).Running];

    private async Task StopAsync(List<ReinstallTarget> targets, CancellationToken cancel)
    {
        foreach (var target in targets)
        {
            var up = await control.StatesAsync([.. target.Profile.Services.Select(s => s.Unit)], cancel).ConfigureAwait(false);
            var running = Running(target).Where(r => up.All(s => s.MainPid != r.Pid)).ToList();
            if (running.Count > 0)
                await new ProcessEnder(new ProcessTable(), TimeProvider.System).EndAsync(running, TimeSpan.FromSeconds(10), force: false, null, cancel).ConfigureAwait(false);
        }
    }

    private ExitCode End(ReinstallDocument document, string line)
    {
        if (session.IsJson)
            Session.Write(document.Made(), Documents.Readable.ReinstallPart);
        else
            session.Output.WriteLine(line);
        return (ExitCode)document.Code;
    }
}
