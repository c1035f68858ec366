using Mukta.Disk;
using Mukta.Host.Services;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Repair;
using Mukta.Verification;

namespace Mukta.Setup;

/// <summary>
/// Runs a vendor's own remove as a step of an operation. It may take away what it likes: so a copy of the install is kept before, and
/// after an interruption it is not run again if it has removed itself.
/// </summary>
/// <param name="services">For the units that its profile names.</param>
/// <param name="time">For durations.</param>
public sealed class VendorRemove(IServiceControl services, TimeProvider time)
{
    /// <summary>The step of an operation once the program has begun to run.</summary>
    public const string Removing = "removing";

    /// <summary>The step once it has run.</summary>
    public const string Removed = "removed";

    /// <summary>The note of a file in the copy that the program has written to: it is a published one, and can be fetched.</summary>
    public const string DamagedNote = UndoOutcome.DamagedNote;

    /// <summary>The notes of files that the manifest lists and that are not second names; "." if any others are. None if none is.</summary>
    private const string NotLinkedNote = "not-linked";

    /// <summary>Counts the bytes of the copy.</summary>
    public WorkMeter? Meter { get; init; }

    /// <summary>A step with the install that it is about.</summary>
    public static string Step(string step, string install) => $"{step} {install}";

    /// <summary>Runs it, or goes on after an interruption.</summary>
    /// <exception cref="MuktaException">It did not do what it should, or asks for a restart.</exception>
    public async Task RunAsync(Operation operation, string install, Profile profile, Manifest manifest, CancellationToken cancel)
    {
        ArgumentNullException.ThrowIfNull(operation);
        ArgumentNullException.ThrowIfNull(profile);
        if (operation.IsDone(Step(Removed, install)))
            return;
        var root = operation.Root;
        var (area, path) = operation.For(install);
        using var folder = Folder.Open(install);
        var isKept = area.KeptOf(path) is not null;
        Dictionary<string, Node>? linked = null;
        if (!isKept)
        {
            var snapshot = $"{area.Path}/copy";
            if (root.Look(snapshot) is not null)
                TreeBulk.Remove(root, snapshot, cancel);
            var published = new Lazy<IReadOnlyDictionary<string, Node>>(() => Verified(folder, manifest, null, cancel).Proven);
            var copied = new TreeCopy(root, root, CopyWay.Shared)
            {
                MayLink = (file, node) => published.Value.TryGetValue(file, out var proven) && proven.IsSameAs(node),
            }.Copy(path, snapshot, PlanRunner.IsOfARun, Meter, cancel);
            linked = copied.Linked.ToDictionary(p => p, p => published.Value[p], StringComparer.Ordinal);
            if (linked.Count > 0)
            {
                var others = manifest.Files.Select(f => f.Path).Where(f => !linked.ContainsKey(f)).Append(".");
                operation.NoteTogetherOnce(NotLinkedNote, others.Select(f => (f, (string?)path)));
            }

            area.KeepCopy(snapshot, path);
        }

        try
        {
            if (!isKept || folder.Look(profile.Setup!.Program) is not null)
                await RunAsync(operation, folder, install, profile, manifest, cancel).ConfigureAwait(false);
        }
        finally
        {
            if (linked is null ? operation.Notes(NotLinkedNote).Count > 0 : linked.Count > 0)
                NoteDamaged(operation, root.Path, area.KeptOf(path)!, manifest, linked);
        }

        operation.Done(Step(Removed, install));
    }

    /// <summary>
    /// A file of the copy that is a second name of one in the install has changed with it if the program has written to it. Only published
    /// files are second names, so what is lost can be fetched; an undo says so.
    /// </summary>
    /// <param name="operation">The operation.</param>
    /// <param name="root">What paths are relative to.</param>
    /// <param name="copy">The copy.</param>
    /// <param name="manifest">What is published.</param>
    /// <param name="linked">The second names as they were; null if that is not known any more.</param>
    private void NoteDamaged(
        Operation operation, string root, string copy, Manifest manifest, Dictionary<string, Node>? linked)
    {
        using var folder = Folder.Open(Path.Join(root, copy));
        var untouched = linked?.Select(l => (l.Key, Was: l.Value, Now: folder.Look(l.Key))).Where(l => l.Now is { } now
            && now.IsSameAs(l.Was with { ChangedNs = now.ChangedNs })).ToDictionary(l => l.Key, l => l.Now!.Value, StringComparer.Ordinal);
        if (linked is not null && untouched!.Count == linked.Count)
            return;
        foreach (var damaged in Verified(folder, manifest, untouched, CancellationToken.None).Findings.OfType<Damaged>()
            .Where(d => linked?.ContainsKey(d.Path) ?? operation.Notes(NotLinkedNote).All(n => n.Text != d.Path)))
            operation.NoteOnce(DamagedNote, damaged.Path, copy);
    }

    private VerifyResult Verified(
        Folder folder, Manifest manifest, IReadOnlyDictionary<string, Node>? trusted, CancellationToken cancel) =>
        new Verifier(time).Verify(manifest, folder, new VerifyOptions { Meter = Meter, RememberProven = true, Trusted = trusted }, cancel);

    private async Task RunAsync(
        Operation operation, Folder folder, string install, Profile profile, Manifest manifest, CancellationToken cancel)
    {
        ProvenProgram.Open(folder, profile.Setup!.Program, manifest, cancel).Dispose();
        operation.Done(Step(Removing, install));
        var outcome = await new SetupRunner(services, time)
            .RunAsync(folder, profile.Setup!, "remove", manifest, cancel).ConfigureAwait(false);
        if (outcome.End == SetupEnd.NeedsRestart)
        {
            operation.Done(Step(Removed, install));
            operation.Wait(SetupRunner.Boot);
            throw SetupFailure.NeedsRestart(profile);
        }

        if (outcome.End != SetupEnd.Done)
            throw SetupFailure.Of(outcome, profile, "remove");
    }
}
