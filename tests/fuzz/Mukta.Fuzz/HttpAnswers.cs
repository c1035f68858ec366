using Mukta.Fetching;
using Mukta.Hashing;
using Mukta.Manifests;
using Serilog.Core;

namespace Mukta.Fuzz;

/// <summary>A mirror whose answers are the input: the real client reads them, from memory instead of a socket.</summary>
internal static class HttpAnswers
{
    private static readonly ManifestFile File = new()
    {
        Path = "maps/a.pak",
        Size = 300,
        Hashes = [new ContentHash(HashKind.Sha256, new byte[32])],
        Pieces = new PieceList(HashKind.Sha256, 100, new byte[96]),
    };

    public static void Read(byte[] input) => ReadAsync(input).GetAwaiter().GetResult();

    private static async Task ReadAsync(byte[] input)
    {
        using var client = HttpClients.Make(
            new HttpSettings("fuzz"), redirects: 5, handler => handler.ConnectCallback = (_, _) => ValueTask.FromResult<Stream>(new Line(input)));
        client.Timeout = TimeSpan.FromSeconds(1);
        var mirror = new MirrorSource("x", client, f => MirrorUrl.Below(new Uri("http://mirror.example/"), f.Path), new Hurried(), Logger.None);
        for (var round = 0; round < 2; round++) // The second request knows what the first answer has said of the file.
        {
            await using var answer = await mirror.OpenAsync(File, new ByteRange(100, 100), CancellationToken.None).ConfigureAwait(false);
            var buffer = new byte[4096];
            for (var left = answer.Covers.Length; left > 0;)
            {
                var got = await answer.Body.ReadAsync(buffer.AsMemory(0, (int)Math.Min(left, buffer.Length))).ConfigureAwait(false);
                if (got == 0)
                    break;
                left -= got;
            }
        }
    }

    /// <summary>No wait lasts.</summary>
    private sealed class Hurried : TimeProvider
    {
        public override ITimer CreateTimer(TimerCallback callback, object? state, TimeSpan dueTime, TimeSpan period) =>
            base.CreateTimer(callback, state, dueTime > TimeSpan.Zero ? TimeSpan.Zero : dueTime, period);
    }

    /// <summary>A connection on which the same answer always comes.</summary>
    private sealed class Line(byte[] answer) : Stream
    {
        private readonly MemoryStream incoming = new(answer, writable: false);

        public override bool CanRead => true;

        public override bool CanSeek => false;

        public override bool CanWrite => true;

        public override long Length => throw new NotSupportedException();

        public override long Position { get => throw new NotSupportedException(); set => throw new NotSupportedException(); }

        public override int Read(byte[] buffer, int offset, int count) => incoming.Read(buffer, offset, count);

        public override ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default) =>
            incoming.ReadAsync(buffer, cancellationToken);

        public override Task<int> ReadAsync(byte[] buffer, int offset, int count, CancellationToken cancellationToken) =>
            incoming.ReadAsync(buffer, offset, count, cancellationToken);

        public override void Write(byte[] buffer, int offset, int count)
        {
        }

        public override ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken cancellationToken = default) => default;

        public override Task WriteAsync(byte[] buffer, int offset, int count, CancellationToken cancellationToken) => Task.CompletedTask;

        public override void Flush()
        {
        }

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();
    }
}
