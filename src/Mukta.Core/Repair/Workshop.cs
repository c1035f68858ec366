using System.Collections.Concurrent;
using Mukta.Disk;
using Mukta.Hashing;
using Mukta.Manifests;

namespace Mukta.Repair;

/// <summary>Carries out the steps of one plan. Files are built side by side; moving into place happens one at a time.</summary>
internal sealed class Workshop(Folder install, HeldArea area, RepairPlan plan, Fetcher fetcher)
{
    public const string StagingFolder = ManifestPath.OwnFolder + "/staging";

    private const int UsualFileMode = 0b110_100_100;

    private readonly Dictionary<string, HoldAway> inTheWay =
        plan.Steps.OfType<HoldAway>().Where(h => !h.IsStray).ToDictionary(h => h.Path, StringComparer.Ordinal);

    private readonly Lock placing = new();
    private int stepsDone;

    public ConcurrentQueue<RepairFailure> Failures { get; } = [];

    public int StepsDone => stepsDone;

    /// <summary>Does a step that needs no source. What stands in the way stays until its successor is proven.</summary>
    public void Do(RepairStep step) => Guarded(step.Path, () =>
    {
        switch (step)
        {
            case FixMode fix:
                area.Note(new HeldLine("mode", fix.Path, Mode: Octal(fix.From)));
                install.SetMode(fix.Path, fix.To);
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
            using var staged = StagedFile.Open(install, StagingFolder, put.File, hasher, cancel);
            if (put.Replaces is not null)
            {
                using var old = install.OpenRead(put.Path);
                staged.TakeFrom(old, hasher, cancel);
            }

            if (await fetcher.FetchAsync(staged, cancel).ConfigureAwait(false) is { } reason)
            {
                Failures.Enqueue(new RepairFailure(put.Path, reason, ExitCode.NoSource));
                return;
            }

            var like = Like(put);
            install.SetOwner(staged.Path, like.User, like.Group);
            install.SetMode(staged.Path, like.Mode);
            staged.ProveOnDisk(hasher, cancel);
            lock (placing)
            {
                Place(put, staged.Path);
                stepsDone++;
            }
        }
        catch (MuktaException e) when (e is not DiskException { Errno: DiskException.NoSpace or DiskException.QuotaExceeded })
        {
            Failures.Enqueue(new RepairFailure(put.Path, e.What.TrimEnd('.'), e.Code));
        }
    }

    /// <summary>Takes away what interrupted runs have left in staging, once it is of no use.</summary>
    public void ClearStaging()
    {
        foreach (var name in TreeWalk.NamesIn(install, StagingFolder))
            install.RemoveFile($"{StagingFolder}/{name}");
        install.TryRemoveEmptyFolder(StagingFolder);
    }

    private void Place(PutFile put, string staged)
    {
        var now = install.Look(put.Path);
        if (put.Replaces is { } old && now is { } there && !there.IsSameAs(old))
            throw new MuktaException(ExitCode.Blocked, "The file changed during the repair, so it was left alone.", put.Path, "Close what writes to it, then run the same command again.");
        MakeWay(put.Path);
        OwnFolders.Ensure(install, OwnFolders.Of(put.Path));
        if (put.Replaces is not null && now is not null)
        {
            area.Replace(staged, put.Path);
        }
        else
        {
            area.Note(new HeldLine("made", put.Path));
            install.Move(staged, put.Path);
        }

        install.Flush(OwnFolders.Of(put.Path));
    }

    private void Put(PutLink put)
    {
        lock (placing)
        {
            MakeWay(put.Path);
            OwnFolders.Ensure(install, OwnFolders.Of(put.Path));
            if (put.Holds)
                area.Hold(put.Path);
            area.Note(new HeldLine("made", put.Path));
            install.MakeLink(put.Path, put.Link.Target);
            var like = install.Look(OwnFolders.Of(put.Path) is { Length: > 0 } folder ? folder : ".")!.Value;
            install.SetOwner(put.Path, like.User, like.Group);
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
        OwnFolders.Ensure(install, OwnFolders.Of(fix.Path));
        area.Note(new HeldLine("renamed", fix.Path, From: fix.From));
        var isSameName = install.Look(fix.Path) is { } there && install.Look(fix.From) is { } from && there.IsSameAs(from);
        install.Move(fix.From, fix.Path, replace: isSameName); // The same file under both names: a disk that ignores case.
        if (fix.Mode is { } mode)
        {
            area.Note(new HeldLine("mode", fix.Path, Mode: Octal(install.Look(fix.Path)!.Value.Mode)));
            install.SetMode(fix.Path, mode);
        }

        for (var folder = OwnFolders.Of(fix.From); folder.Length > 0 && install.Look(folder) is { } was && install.TryRemoveEmptyFolder(folder); folder = OwnFolders.Of(folder))
            area.Note(new HeldLine("folder-removed", folder, Mode: Octal(was.Mode)));
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

    private static string Octal(int mode) => "0" + Convert.ToString(mode & 0x1FF, 8).PadLeft(3, '0');
}
