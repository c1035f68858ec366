using System.Security.Cryptography;
using System.Text;
using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Hashing;
using Mukta.Manifests;

namespace Mukta.Bundles;

/// <summary>Writes pieces one behind the other, in files of a length that any file system can hold, with the list of them.</summary>
internal sealed class PieceWriter : IDisposable
{
    /// <summary>The longest file: 1 GiB, since FAT file systems hold less than 4 GiB in one.</summary>
    public const long UsualPart = 1L << 30;

    private readonly Folder folder;
    private readonly long longest;
    private readonly List<string> written;
    private readonly StringBuilder index = new();
    private readonly List<ManifestFile> parts = [];
    private readonly byte[] buffer = new byte[1 << 18];
    private IncrementalHash? hash;
    private WritableFile? part;
    private long length;

    /// <param name="folder">The bundle's folder.</param>
    /// <param name="longest">The longest file, in bytes.</param>
    /// <param name="written">Takes the names of files before they are made.</param>
    public PieceWriter(Folder folder, long longest, List<string> written) =>
        (this.folder, this.longest, this.written) = (folder, longest, written);

    /// <summary>Appends a piece that was proven, and proves it once more on the way.</summary>
    /// <exception cref="MuktaException">It is not what was proven any more.</exception>
    public void Append(SafeFileHandle from, ManifestFile file, int piece)
    {
        var range = file.RangeOf(piece);
        using var again = range.Kind.Start();
        for (var done = 0L; done < range.Length;)
        {
            var got = RandomAccess.Read(from, buffer.AsSpan(0, (int)Math.Min(buffer.Length, range.Length - done)), range.Offset + done);
            if (got == 0)
                break;
            again.AppendData(buffer, 0, got);
            Append(buffer.AsSpan(0, got));
            done += got;
        }

        if (!CryptographicOperations.FixedTimeEquals(again.GetHashAndReset(), file.Proof[piece]))
        {
            throw new MuktaException(
                ExitCode.Blocked, "A piece was changed after it had been downloaded.", PathBytes.Shown(file.Path),
                "Check this machine's disk and memory, and make the bundle again.");
        }

        var key = PieceKey.Of(file, piece);
        index.Append(System.Globalization.CultureInfo.InvariantCulture, $"{key.Digest} {key.Length}\n");
    }

    /// <summary>Ends the last file and writes the list; answers all of these files with their hashes.</summary>
    public IReadOnlyList<ManifestFile> End()
    {
        EndPart();
        written.Add(Bundle.Index);
        parts.Add(Written(folder, Bundle.Index, Encoding.ASCII.GetBytes(index.ToString())));
        return parts;
    }

    /// <summary>Writes a small file of the bundle; answers it with its hash.</summary>
    public static ManifestFile Written(Folder folder, string path, byte[] bytes)
    {
        using var file = folder.OpenOrCreateFile(path, 0b110_100_100);
        file.SetLength(0);
        file.Write(bytes, 0);
        file.Flush();
        return Listed(path, bytes.Length, SHA256.HashData(bytes));
    }

    public void Dispose()
    {
        part?.Dispose();
        hash?.Dispose();
    }

    private void Append(ReadOnlySpan<byte> bytes)
    {
        while (!bytes.IsEmpty)
        {
            if (part is null || length == longest)
            {
                EndPart();
                written.Add(Bundle.PartName(parts.Count + 1));
                part = folder.CreateFile(written[^1], 0b110_100_100);
                hash = HashKind.Sha256.Start();
            }

            var now = bytes[..(int)Math.Min(bytes.Length, longest - length)];
            part.Write(now, length);
            hash!.AppendData(now);
            length += now.Length;
            bytes = bytes[now.Length..];
        }
    }

    private void EndPart()
    {
        if (part is null)
            return;
        part.Flush();
        part.Dispose();
        parts.Add(Listed(Bundle.PartName(parts.Count + 1), length, hash!.GetHashAndReset()));
        hash.Dispose();
        (part, length) = (null, 0);
    }

    /// <summary>A file of the bag, with its name below the folder <c>data</c>.</summary>
    private static ManifestFile Listed(string path, long size, byte[] digest) => new()
    {
        Path = path[(Manifests.Formats.Bag.Payload.Length + 1)..],
        Size = size,
        Hashes = [new ContentHash(HashKind.Sha256, digest)],
    };
}
