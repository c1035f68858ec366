using System.Collections.Concurrent;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Manifests;
using Mukta.Repair.Local;

namespace Mukta.Repair;

/// <summary>
/// Builds files in staging out of what is here already and of what is fetched. Many may be built at a time.
/// </summary>
/// <param name="install">The install.</param>
/// <param name="fetcher">Brings what is nowhere here.</param>
/// <param name="local">What was found elsewhere on this machine; null if nobody looked.</param>
/// <param name="donor">An older copy of the same install, whose good pieces are taken first; null for none.</param>
/// <param name="results">Takes what fails.</param>
internal sealed class FileBuilder(Folder install, Fetcher fetcher, LocalPieces? local, Folder? donor, StepResults results)
    : IDisposable
{
    private const int UsualFileMode = 0b110_100_100;
    private const int CopiedAtATime = 6;

    private readonly SemaphoreSlim copying = new(CopiedAtATime, CopiedAtATime);

    private readonly ConcurrentDictionary<string, Node> folders = new(StringComparer.Ordinal);

    /// <summary>Builds one file; null if it cannot be built, and then the failure is noted.</summary>
    public async Task<StagedPut?> BuildAsync(PutFile put, CancellationToken cancel)
    {
        StagedFile? staged = null;
        try
        {
            staged = StagedFile.Open(install, PlanRunner.StagingFolder, put.File, put.Way == PutWay.Patch ? put.Fetch : null, cancel);
            if (!put.IsFresh && (put.Replaces is not null || donor is not null || local?.IsEmpty == false))
                await TakeWhatIsHereAsync(put, staged, cancel).ConfigureAwait(false);
            if (await fetcher.FetchAsync(staged, cancel).ConfigureAwait(false) is { } reason)
            {
                results.Failures.Enqueue(new RepairFailure(put.Path, reason, ExitCode.NoSource));
                return null;
            }

            var like = Like(put);
            staged.SetMetadata(like.User, like.Group, like.Mode);
            staged.BeginFlush();
            var built = new StagedPut(put, staged, like.Mode);
            staged = null;
            return built;
        }
        catch (Exception e) when (e is MuktaException or IOException or UnauthorizedAccessException)
        {
            results.Fail(put.Path, e);
            return null;
        }
        finally
        {
            staged?.Dispose();
        }
    }

    public void Dispose() => copying.Dispose();

    /// <summary>Takes good pieces out of the old file, an older copy of the install, and what else was found on this machine.</summary>
    private async Task TakeWhatIsHereAsync(PutFile put, StagedFile staged, CancellationToken cancel)
    {
        await copying.WaitAsync(cancel).ConfigureAwait(false);
        try
        {
            if (put is { Replaces: not null, Way: not PutWay.Patch })
            {
                using var old = install.OpenRead(put.Path);
                staged.TakeFrom(old, cancel);
            }

            if (donor?.Look(put.Path) is { Kind: NodeKind.File })
            {
                using var older = donor.OpenRead(put.Path);
                staged.TakeFrom(older, cancel);
            }

            local?.Fill(staged, cancel);
        }
        finally
        {
            copying.Release();
        }
    }

    /// <summary>What a new file's owner, group and mode are taken from: the file it replaces, else its folder.</summary>
    private Node Like(PutFile put)
    {
        if (put.Replaces is { } old)
            return old with { Mode = put.File.Mode is { } asked ? RepairPlan.NewMode(old.Mode, asked) : old.Mode };
        var folder = folders.GetOrAdd(
            Folder.ParentOf(put.Path),
            path => ManifestPath.Folders(path).Append(path).Where(f => f.Length > 0).Reverse().Select(f => install.Look(f))
                .FirstOrDefault(n => n is { Kind: NodeKind.Folder }) ?? install.Look(".")!.Value);
        return folder with { Mode = RepairPlan.NewMode(folder.Mode & 0x1FF, put.File.Mode ?? UsualFileMode) };
    }
}

/// <summary>A file that is built and not yet placed.</summary>
/// <param name="Put">The step that asks for it.</param>
/// <param name="Staged">Where it is.</param>
/// <param name="Mode">The permission bits that it has there, and is to have in its place.</param>
internal sealed record StagedPut(PutFile Put, StagedFile Staged, int Mode);
