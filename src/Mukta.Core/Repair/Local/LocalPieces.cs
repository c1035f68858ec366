using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Hashing;
using Mukta.Verification;

namespace Mukta.Repair.Local;

/// <summary>
/// Pieces that are needed and were found on this machine (see <see cref="LocalSearch"/>). Each is hashed again when it is taken.
/// </summary>
public sealed class LocalPieces : IDisposable
{
    /// <summary>Files nobody named are only checked while that is worth it: so many bytes for each that is needed.</summary>
    private const long WorthReading = 16;

    private const long AlwaysWorthReading = 256L << 20;

    private readonly NeededPieces pieces;
    private readonly Folder install;
    private readonly IReadOnlyList<Folder> opened;
    private readonly Dictionary<string, SafeFileHandle> held = new(StringComparer.Ordinal);
    private long taken;

    private LocalPieces(NeededPieces pieces, Folder install, IReadOnlyList<Folder> opened) =>
        (this.pieces, this.install, this.opened) = (pieces, install, opened);

    /// <summary>So many files that will be moved are held open at most.</summary>
    internal static int MostHeld => Math.Min(400, OpenFileLimit.Now / 8);

    /// <summary>Bytes that were taken so far.</summary>
    public long Taken => Interlocked.Read(ref taken);

    /// <summary>True if there was nothing to look for, or nowhere to look.</summary>
    internal bool IsEmpty => pieces.IsEmpty;

    /// <summary>Looks for the pieces that a plan needs.</summary>
    /// <param name="plan">The plan.</param>
    /// <param name="found">The verification that it was made from.</param>
    /// <param name="install">The install.</param>
    /// <param name="places">Where else to look.</param>
    /// <param name="meter">Counts the bytes that are read.</param>
    /// <param name="cancel">Ends it.</param>
    public static LocalPieces For(
        RepairPlan plan, VerifyResult found, Folder install, LocalPlaces places, WorkMeter? meter, CancellationToken cancel)
    {
        var pieces = new NeededPieces();
        var kept = LocalSearch.KeptIn(install);
        if (IsAnythingHere(plan, found, install, places, kept))
        {
            foreach (var put in plan.Puts.Where(p => !p.IsFresh))
                pieces.Need(put);
        }

        if (pieces.IsEmpty)
            return new LocalPieces(pieces, install, []);
        meter?.Begin("looking on this machine", 0);
        var worth = Math.Max(AlwaysWorthReading, WorthReading * plan.BytesToFetch);
        var search = new LocalSearch(pieces, install, worth, meter, cancel);
        var local = new LocalPieces(pieces, install, search.Opened);
        try
        {
            search.Run(plan, found, places, kept);
            return local;
        }
        catch
        {
            local.Dispose();
            throw;
        }
    }

    /// <summary>How many bytes of a file's needed pieces are here.</summary>
    public long BytesFor(PutFile put) => put.IsFresh ? 0 : pieces.FoundBytes(put);

    /// <summary>Opens the files that a plan moves away or replaces, so that their pieces can be taken afterwards as well.</summary>
    internal void HoldOpen(RepairPlan plan)
    {
        var moved = plan.Steps.Where(s => s is HoldAway or PutFile { Replaces: not null }).Select(s => s.Path)
            .ToHashSet(StringComparer.Ordinal);
        foreach (var (path, _) in pieces.FilesIn(install).Where(f => moved.Contains(f.Path)).OrderByDescending(f => f.Bytes).Take(MostHeld))
        {
            try
            {
                held.TryAdd(path, install.OpenRead(path));
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException)
            {
                // What cannot be read here is fetched.
            }
        }
    }

    /// <summary>Copies what is here into a staged file, hashing each piece on the way.</summary>
    internal void Fill(StagedFile staged, CancellationToken stop)
    {
        if (IsEmpty)
            return;
        using var hasher = new PieceHasher();
        for (var piece = 0; piece < staged.PieceCount; piece++)
        {
            if (staged.IsNeeded(piece) && pieces.PlaceOf(staged.File, piece) is { } place && staged.TryClaim(piece))
                Take(staged, piece, place, hasher, stop);
        }
    }

    private void Take(StagedFile staged, int piece, PiecePlace place, PieceHasher hasher, CancellationToken stop)
    {
        var (range, proof) = (staged.RangeOf(piece), staged.File.Proof);
        var isRight = false;
        try
        {
            var open = place.Folder == install ? held.GetValueOrDefault(place.Path) : null;
            using var own = open is null ? place.Folder.OpenRead(place.Path) : null;
            var from = open ?? own!;
            if (!hasher.Proves(from, new HashRange(place.Offset, range.Length, proof.Kind), proof[piece], stop))
                return; // It was changed since it was looked at.
            staged.CopyFrom(from, place.Offset, range);
            isRight = staged.Proves(staged.Handle, piece, hasher, stop);
            if (isRight)
                Interlocked.Add(ref taken, range.Length);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException
            or DiskException { Errno: not (DiskException.NoSpace or DiskException.QuotaExceeded) })
        {
            // What cannot be read here is fetched.
        }
        finally
        {
            staged.Release(piece, isRight);
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var folder in opened)
            folder.Dispose();
        foreach (var file in held.Values)
            file.Dispose();
    }

    /// <summary>False if no place has a file: then nothing need be known of the pieces, of which a release may have a million.</summary>
    private static bool IsAnythingHere(
        RepairPlan plan, VerifyResult found, Folder install, LocalPlaces places, IReadOnlyList<string> kept) =>
        places.Also.Count + places.OtherInstalls.Count + kept.Count + found.Proven.Count > 0 || plan.Older is not null
        || found.Findings.Any(f => f is not Missing) || PlanRunner.HasStaged(install);
}
