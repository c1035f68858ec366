using Mukta.Disk;
using Mukta.Operations;

namespace Mukta.Host.Caches;

/// <summary>What became of one cache.</summary>
/// <param name="Cache">As it was.</param>
/// <param name="HeldAt">Where it is kept now; null where it is gone for good, or was left.</param>
/// <param name="Failure">Why it was left; null where it is cleared.</param>
public sealed record ClearedCache(CacheFolder Cache, string? HeldAt, MuktaException? Failure = null);

/// <summary>
/// Clears caches: the folder stays, with its owner and mode, and what was in it goes to the held area in one rename. A
/// file that stands where a folder belongs, and what is temporary, goes there whole.
/// </summary>
/// <param name="machine">The machine.</param>
/// <param name="time">For the operation's date.</param>
/// <param name="begun">Told of the operation and of each folder of held areas that it uses.</param>
public sealed class CacheClearer(Machine machine, TimeProvider time, Action<OperationHeader, string>? begun = null)
{
    /// <summary>Clears. One that cannot be cleared does not keep the others from it.</summary>
    /// <param name="product">The product's id, for the record.</param>
    /// <param name="caches">Which; none that is blocked.</param>
    /// <param name="forGood">True to delete instead of holding.</param>
    /// <param name="refuseIfRunning">Throws where the product runs; asked right before each.</param>
    /// <param name="cancel">Interrupts between caches.</param>
    public (string Operation, IReadOnlyList<ClearedCache> Cleared) Clear(
        string product, IReadOnlyList<CacheFolder> caches, bool forGood, Action refuseIfRunning, CancellationToken cancel)
    {
        using var operation = Operation.Open(machine.Home, OperationHeader.New(Command, product, null, time), RequestOf(forGood), begun);
        var cleared = new List<ClearedCache>();
        foreach (var cache in caches)
        {
            cancel.ThrowIfCancellationRequested();
            refuseIfRunning();
            cleared.Add(Clear(operation, cache, forGood));
        }

        if (forGood && cleared.All(c => c.Failure is null))
            operation.EndAndDelete(cancel);
        else
            operation.End();
        return (operation.Header.Operation, cleared);
    }

    /// <summary>Writes down that an interrupted clearing has nothing left to do.</summary>
    public void EndInterrupted(string product, bool forGood) => Operation.EndInterrupted(machine.Home, Command, product, RequestOf(forGood));

    private const string Command = "caches";

    private static string RequestOf(bool forGood) => forGood ? "clear permanently" : "clear";

    private static ClearedCache Clear(Operation operation, CacheFolder cache, bool forGood)
    {
        if (cache.Blocked is { } reason)
            throw new ArgumentException($"The cache {reason}.", nameof(cache));
        try
        {
            var (area, path) = operation.For(cache.Path);
            if (operation.Root.Look(path) is not { } now || now.Kind != cache.Kind)
                return new ClearedCache(cache, null, new DiskException(DiskException.NoEntry, "find what was there a moment ago", cache.Path));
            var kept = now.Kind == NodeKind.Folder && !cache.IsTemporary ? area.EmptyFolder(path) : area.SetAside(path);
            return new ClearedCache(cache, forGood ? null : operation.Shown(kept));
        }
        catch (DiskException e)
        {
            return new ClearedCache(cache, null, e);
        }
    }
}
