namespace Mukta.Fetching;

/// <summary>One of the requests that may be under way at a time.</summary>
/// <param name="requests">How many more may begin.</param>
/// <param name="group">Proves the one short piece that is asked for, together with others; null if it is more than that.</param>
internal sealed class RequestSlot(SemaphoreSlim requests, PieceGroup? group)
{
    private bool isHeld;

    /// <summary>Proves the piece together with others; null if what comes is proven by itself.</summary>
    public PieceGroup? Group => group;

    /// <summary>Waits until a request may begin. Nothing happens if it has begun.</summary>
    public async ValueTask EnterAsync(CancellationToken cancel)
    {
        if (isHeld)
            return;
        await requests.WaitAsync(cancel).ConfigureAwait(false);
        isHeld = true;
        group?.Expect();
    }

    /// <summary>The request is over. Nothing happens if none is under way.</summary>
    public void Leave()
    {
        if (!isHeld)
            return;
        isHeld = false;
        requests.Release();
        group?.Ended();
    }
}
