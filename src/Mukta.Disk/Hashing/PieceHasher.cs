using System.Buffers;
using System.Security.Cryptography;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Hashing;

/// <summary>Hashes slices of files with one buffer, whatever their length. One for each thread.</summary>
public sealed class PieceHasher : IDisposable
{
    private const int LongestBuffer = 1 << 20, UsualBuffer = 64 * 1024;
    private static readonly int Kinds = Enum.GetValues<HashKind>().Length;

    private readonly IncrementalHash?[] running = new IncrementalHash?[Kinds];
    private readonly byte[] digest = new byte[64];
    private byte[] buffer = [];

    /// <summary>True if a slice of a file is all there and has the hash it should have.</summary>
    /// <param name="file">The file.</param>
    /// <param name="range">The slice, and how it is hashed.</param>
    /// <param name="expected">The hash it should have.</param>
    /// <param name="cancel">Ends the reading.</param>
    /// <exception cref="IOException">The disk fails.</exception>
    public bool Proves(SafeFileHandle file, HashRange range, ReadOnlySpan<byte> expected, CancellationToken cancel = default) =>
        Hash(file, range, cancel) is { Length: > 0 } found && found.SequenceEqual(expected);

    /// <summary>The hash of a slice; empty if the file ends before the slice does.</summary>
    public ReadOnlySpan<byte> Hash(SafeFileHandle file, HashRange range, CancellationToken cancel = default) =>
        Hash(file, range, out _, null, cancel);

    /// <summary>The same, counted, and how many bytes at its end, as far as the file goes, are zero.</summary>
    public ReadOnlySpan<byte> Hash(
        SafeFileHandle file, HashRange range, out long zerosAtEnd, WorkMeter? meter, CancellationToken cancel)
    {
        zerosAtEnd = 0;
        var (offset, length, kind) = range;
        var hash = running[(int)kind] ??= kind.Start();
        Rent(length <= UsualBuffer ? UsualBuffer : LongestBuffer);
        var left = length;
        while (left > 0)
        {
            cancel.ThrowIfCancellationRequested();
            var got = RandomAccess.Read(file, buffer.AsSpan(0, (int)Math.Min(left, buffer.Length)), offset + length - left);
            if (got == 0)
            {
                hash.TryGetHashAndReset(digest, out _);
                return default;
            }

            meter?.Count(got);
            var last = buffer.AsSpan(0, got).LastIndexOfAnyExcept((byte)0);
            zerosAtEnd = last < 0 ? zerosAtEnd + got : got - 1 - last;
            left -= got;
            if (left == 0 && got == length && kind == HashKind.Sha256)
                return digest.AsSpan(0, SHA256.HashData(buffer.AsSpan(0, got), digest));
            hash.AppendData(buffer, 0, got);
        }

        hash.TryGetHashAndReset(digest, out var written);
        return digest.AsSpan(0, written);
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var hash in running)
            hash?.Dispose();
        Rent(0);
    }

    /// <summary>Many small files are hashed by a hasher each: buffers are borrowed, and no longer than they have to be.</summary>
    private void Rent(int length)
    {
        if (length > 0 && buffer.Length >= length)
            return;
        if (buffer.Length > 0)
            ArrayPool<byte>.Shared.Return(buffer);
        buffer = length == 0 ? [] : ArrayPool<byte>.Shared.Rent(length);
    }
}
