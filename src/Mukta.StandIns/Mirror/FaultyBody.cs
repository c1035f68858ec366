using System.Diagnostics;

namespace Mukta.StandIns;

/// <summary>A response body that counts what goes through it, and cuts, slows, stalls or flips a bit where it is told to.</summary>
internal sealed class FaultyBody(Stream inner, HttpContext context, IReadOnlyList<Fault> faults) : Stream
{
    /// <summary>So long, in milliseconds, what was sent before a cut has to reach the client; a reset overtakes it otherwise.</summary>
    private const int Underway = 50;

    private readonly long? cutAt = faults.FirstOrDefault(f => f.Kind == "cut")?.Bytes;
    private readonly long? stallAt = faults.FirstOrDefault(f => f.Kind == "stall")?.Bytes;
    private readonly long? flipAt = faults.FirstOrDefault(f => f.Kind == "flip")?.Bytes;

    private readonly long? rate = faults.FirstOrDefault(f => f.Kind == "slow")?.Bytes;
    private readonly long began = Stopwatch.GetTimestamp();

    public long Sent { get; private set; }

    public override bool CanRead => false;

    public override bool CanSeek => false;

    public override bool CanWrite => true;

    public override long Length => throw new NotSupportedException();

    public override long Position { get => Sent; set => throw new NotSupportedException(); }

    public override async ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken cancellationToken = default)
    {
        var end = Sent + buffer.Length;
        var stop = cutAt ?? stallAt;
        if (stop is { } at && at < end)
            buffer = buffer[..(int)Math.Max(0, at - Sent)];
        if (flipAt is { } flip && flip >= Sent && flip < Sent + buffer.Length)
        {
            var copy = buffer.ToArray();
            copy[flip - Sent] ^= 0x10;
            buffer = copy;
        }

        await inner.WriteAsync(buffer, cancellationToken).ConfigureAwait(false);
        Sent += buffer.Length;
        if (rate is { } most && TimeSpan.FromSeconds((double)Sent / most) - Stopwatch.GetElapsedTime(began) is { Ticks: > 0 } early)
            await Task.Delay(early, cancellationToken).ConfigureAwait(false);
        if (stop is not { } reached || reached >= end)
            return;
        await inner.FlushAsync(cancellationToken).ConfigureAwait(false);
        if (stallAt is not null)
            await Task.Delay(Timeout.Infinite, context.RequestAborted).ConfigureAwait(false);
        await Task.Delay(Underway, cancellationToken).ConfigureAwait(false);
        context.Abort();
    }

    public override Task WriteAsync(byte[] buffer, int offset, int count, CancellationToken cancellationToken) =>
        WriteAsync(buffer.AsMemory(offset, count), cancellationToken).AsTask();

    public override Task FlushAsync(CancellationToken cancellationToken) => inner.FlushAsync(cancellationToken);

    public override void Flush() => throw new NotSupportedException();

    public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException();

    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

    public override void SetLength(long value) => throw new NotSupportedException();

    public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
}
