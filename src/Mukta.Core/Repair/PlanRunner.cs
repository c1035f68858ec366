using System.Collections.Concurrent;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Hashing;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Repair.Damage;

namespace Mukta.Repair;

/// <summary>Carries out the steps of one plan. Files are built side by side; moving into place happens one at a time.</summary>
internal sealed class PlanRunner(Folder install, HeldArea area, RepairPlan plan, Fetcher fetcher)
{
    public const string StagingFolder = ManifestPath.OwnFolder + "/staging";

    /// <summary>True for what belongs to one run of Mukta on an install, and is of no use in a copy.</summary>
    public static bool IsOfARun(string path) => path is ManifestPath.OwnFolder + "/lock" or StagingFolder;

    private const int UsualFileMode = 0b110_100_100;

    private readonly Dictionary<string, HoldAway> inTheWay =
        plan.Steps.OfType<HoldAway>().Where(h => !h.IsStray).ToDictionary(h => h.Path, StringComparer.Ordinal);

    private readonly HashSet<string> changedFolders = new(StringComparer.Ordinal);
    private readonly Lock placing = new();
    private int stepsDone;

    public ConcurrentQueue<RepairFailure> Failures { get; } = [];

    public int StepsDone => stepsDone;

    /// <summary>What was found elsewhere on this machine; null where nobody looked.</summary>
    public LocalPieces? Local { get; init; }

    /// <summary>An older copy of the same install, whose good pieces are taken first; null for none.</summary>
    public Folder? Donor { get; init; }

    /// <summary>Tells what damage looks like; null where nobody wants to know.</summary>
    public DamageScan? Scan { get; init; }

    /// <summary>What the damage of single files looks like.</summary>
    public ConcurrentBag<(string Path, FoundCause Cause)> Causes { get; } = [];

    /// <summary>Files whose bytes were proven on the disk, as they stood right afterwards.</summary>
    public ConcurrentDictionary<string, Node> Proven { get; } = new(StringComparer.Ordinal);

    /// <summary>Does a step that needs no source. What stands in the way stays until its successor is proven.</summary>
    public void Do(RepairStep step) => Guarded(step.Path, () =>
    {
        switch (step)
        {
            case FixMode fix:
                area.SetMode(fix.Path, fix.To);
                break;
            case FixCase fix:
                Rename(fix);
                break;
            case HoldAway { IsStray: true }:
                area.Hold(step.Path);
                break;
            case PutLink put:
                Put(put);
                break;
            default:
                return;
        }

        stepsDone++;
    });

    /// <summary>Builds one file, proves it and puts it in its place.</summary>
    public async ValueTask PutAsync(PutFile put, CancellationToken cancel)
    {
        try
        {
            using var hasher = new PieceHasher();
            using var staged = StagedFile.Open(install, StagingFolder, put.File, put.Way == PutWay.Patch ? put.Fetch : null, cancel);
            if (put.Replaces is not null && put is { IsFresh: false, Way: not PutWay.Patch })
            {
                using var old = install.OpenRead(put.Path);
                staged.TakeFrom(old, cancel);
            }

            if (!put.IsFresh && Donor?.Look(put.Path) is { Kind: NodeKind.File })
            {
                using var donor = Donor.OpenRead(put.Path);
                staged.TakeFrom(donor, cancel);
            }

            if (!put.IsFresh)
                Local?.Fill(staged, hasher, cancel);
            if (await fetcher.FetchAsync(staged, cancel).ConfigureAwait(false) is { } reason)
            {
                Failures.Enqueue(new RepairFailure(put.Path, reason, ExitCode.NoSource));
                return;
            }

            var like = Like(put);
            install.SetOwner(staged.Path, like.User, like.Group);
            install.SetMode(staged.Path, like.Mode);
            staged.ProveOnDisk(hasher, cancel);
            Examine(put, staged, cancel);
            lock (placing)
            {
                if (put.Way == PutWay.Patch)
                    Patch(put, staged, hasher, like.Mode, cancel);
                else
                    Place(put, staged.Path);
                stepsDone++;
                Proven[put.Path] = install.Look(put.Path)!.Value;
            }
        }
        catch (MuktaException e) when (e is not DiskException { Errno: DiskException.NoSpace or DiskException.QuotaExceeded })
        {
            Failures.Enqueue(new RepairFailure(put.Path, e.What.TrimEnd('.'), e.Code));
        }
        catch (IOException e)
        {
            Failures.Enqueue(new RepairFailure(put.Path, $"the disk fails: {e.Message.TrimEnd('.')}", ExitCode.Blocked));
        }
    }

    /// <summary>Takes away what interrupted runs have left in staging, once it is of no use.</summary>
    public void ClearStaging() => ClearStaging(install);

    /// <summary>The same for any install.</summary>
    public static void ClearStaging(Folder install)
    {
        if (install.Look(StagingFolder) is null)
            return;
        foreach (var name in TreeWalk.NamesIn(install, StagingFolder))
            install.RemoveFile($"{StagingFolder}/{name}");
        install.TryRemoveEmptyFolder(StagingFolder);
    }

    /// <summary>Sees to it that all new names outlast a loss of power.</summary>
    public void FlushFolders()
    {
        foreach (var folder in changedFolders.Where(f => f.Length == 0 || install.Look(f) is { Kind: NodeKind.Folder }))
            install.Flush(folder);
    }

    /// <summary>While the bad and the good bytes are both at hand: what does the damage look like?</summary>
    private void Examine(PutFile put, StagedFile staged, CancellationToken cancel)
    {
        if (Scan is null || put is not { Replaces: { Kind: NodeKind.File } old, IsFresh: false })
            return;
        using var file = install.OpenRead(put.Path);
        if (DamageReading.Of(Scan.Compare(put.File, file, old.Size, staged.Handle, put.Fetch, put.Way != PutWay.Patch, cancel)) is { } cause)
            Causes.Add((put.Path, cause));
    }

    /// <summary>Overwrites the bad pieces in place, then hashes them from the file.</summary>
    private void Patch(PutFile put, StagedFile staged, PieceHasher hasher, int mode, CancellationToken cancel)
    {
        RefuseChanged(put, install.Look(put.Path));
        using (var file = install.OpenToPatch(put.Path))
        {
            foreach (var range in put.Fetch)
                area.Patch(put.Path, file, range.Offset, range.Length, () => FileBytes.Copy(staged.Handle, range.Offset, file, range.Offset, range.Length));
            FileBytes.Flush(file, put.Path);
            _ = Native.Advise(file, 0, 0, Native.AdviseDontNeed);
            if (!put.Fetch.All(r => Enumerable.Range(r.FirstPiece, r.LastPiece - r.FirstPiece + 1).All(p => staged.Proves(file, p, hasher, cancel))))
                throw new MuktaException(ExitCode.Blocked, "The new bytes do not read back as they should.", put.Path, "The old ones are held. Look at the system's log for disk errors, and test the machine's memory.");
        }

        if (install.Look(put.Path)!.Value.Mode != mode)
            area.SetMode(put.Path, mode);
    }

    private static void RefuseChanged(PutFile put, Node? now)
    {
        if (put.Replaces is { } old && now is { } there && !there.IsSameAs(old))
            throw new MuktaException(ExitCode.Blocked, "The file changed during the repair, so it was left alone.", put.Path, "Close what writes to it, then run the same command again.");
    }

    private void Place(PutFile put, string staged)
    {
        var now = install.Look(put.Path);
        RefuseChanged(put, now);
        MakeWay(put.Path);
        area.EnsureFolder(OwnFolders.Of(put.Path));
        if (put.Replaces is not null && now is not null)
            area.Replace(staged, put.Path);
        else
            area.Place(staged, put.Path);
        changedFolders.Add(OwnFolders.Of(put.Path));
    }

    private void Put(PutLink put)
    {
        lock (placing)
        {
            MakeWay(put.Path);
            area.EnsureFolder(OwnFolders.Of(put.Path));
            if (put.Holds)
                area.Hold(put.Path);
            var staged = $"{StagingFolder}/link";
            if (install.Look(staged) is not null)
                install.RemoveFile(staged);
            install.MakeLink(staged, put.Link.Target);
            var like = install.Look(OwnFolders.Of(put.Path) is { Length: > 0 } folder ? folder : ".")!.Value;
            install.SetOwner(staged, like.User, like.Group);
            area.Place(staged, put.Path);
            changedFolders.Add(OwnFolders.Of(put.Path));
        }
    }

    /// <summary>Holds what the plan knows to stand in a path's way: at the path, or where a folder on its way belongs.</summary>
    private void MakeWay(string path)
    {
        foreach (var blocked in ManifestPath.Folders(path).Append(path))
        {
            if (!inTheWay.Remove(blocked))
                continue;
            area.Hold(blocked);
            stepsDone++;
        }
    }

    private void Rename(FixCase fix)
    {
        area.EnsureFolder(OwnFolders.Of(fix.Path));
        var isSameName = install.Look(fix.Path) is { } there && install.Look(fix.From) is { } from && there.IsSameAs(from);
        area.Rename(fix.From, fix.Path, replace: isSameName); // The same file under both names: a disk that ignores case.
        if (fix.Mode is { } mode)
            area.SetMode(fix.Path, mode);
        changedFolders.Add(OwnFolders.Of(fix.Path));
        area.RemoveEmptyFolders(OwnFolders.Of(fix.From));
    }

    /// <summary>What a new file's owner, group and mode are taken from: the file it replaces, else its folder.</summary>
    private Node Like(PutFile put)
    {
        if (put.Replaces is { } old)
            return old with { Mode = put.File.Mode is { } asked ? RepairPlan.NewMode(old.Mode, asked) : old.Mode };
        var folder = ManifestPath.Folders(put.Path).Reverse().Select(f => install.Look(f)).FirstOrDefault(n => n is { Kind: NodeKind.Folder })
            ?? install.Look(".")!.Value;
        return folder with { Mode = RepairPlan.NewMode(folder.Mode & 0x1FF, put.File.Mode ?? UsualFileMode) };
    }

    private void Guarded(string path, Action act)
    {
        try
        {
            act();
        }
        catch (DiskException e)
        {
            Failures.Enqueue(new RepairFailure(path, $"{e.What.TrimEnd('.')}", e.Code));
        }
    }
}
