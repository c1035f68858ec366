using System.Buffers;
using System.Buffers.Binary;
using Mukta.Disk;

namespace Mukta.Verification.Quick;

/// <summary>
/// The seals of the files in one folder, packed: for each the length of its name (2 bytes), the name's bytes, the seal. They
/// stand in the order in which the disk lists them, so that the next time each is found where it is looked for.
/// </summary>
internal sealed class SealedFolder
{
    private readonly byte[] bytes;
    private Dictionary<string, int>? byName;

    /// <summary>Takes packed seals.</summary>
    /// <exception cref="InvalidDataException">They are none.</exception>
    public SealedFolder(ulong device, byte[] bytes)
    {
        (Device, this.bytes) = (device, bytes);
        for (var at = 0; at < bytes.Length; Count++)
        {
            if (bytes.Length - at < 2 || (at = Next(at)) > bytes.Length)
                throw new InvalidDataException("These are no packed seals.");
        }
    }

    /// <summary>The file system that the folder is on.</summary>
    public ulong Device { get; }

    /// <summary>How many files it has.</summary>
    public int Count { get; }

    /// <summary>All of it, packed.</summary>
    public byte[] Bytes => bytes;

    /// <summary>All names with their seals.</summary>
    public IEnumerable<(string Name, FileSeal Seal)> All()
    {
        for (var at = 0; at < bytes.Length; at = Next(at))
            yield return (PathBytes.Decode(NameAt(at)), SealAt(at));
    }

    /// <summary>The seal of a name.</summary>
    /// <param name="name">Its bytes.</param>
    /// <param name="guess">Where it is most likely; moved on to the one behind it.</param>
    /// <param name="seal">The seal.</param>
    public bool TryFind(ReadOnlySpan<byte> name, ref int guess, out FileSeal seal)
    {
        if (guess >= bytes.Length || !NameAt(guess).SequenceEqual(name))
        {
            if (!ByName().TryGetValue(PathBytes.Decode(name), out var at))
            {
                seal = default;
                return false;
            }

            guess = at;
        }

        seal = SealAt(guess);
        guess = Next(guess);
        return true;
    }

    /// <summary>Adds one, packed, to a folder in the making.</summary>
    public static void Append(ArrayBufferWriter<byte> folder, string name, in FileSeal seal)
    {
        var encoded = PathBytes.Encode(name).AsSpan()[..^1]; // Without the NUL.
        var into = folder.GetSpan(2 + encoded.Length + FileSeal.Length);
        BinaryPrimitives.WriteUInt16LittleEndian(into, (ushort)encoded.Length);
        encoded.CopyTo(into[2..]);
        seal.Write(into[(2 + encoded.Length)..]);
        folder.Advance(2 + encoded.Length + FileSeal.Length);
    }

    private Dictionary<string, int> ByName()
    {
        if (byName is not null)
            return byName;
        byName = new Dictionary<string, int>(StringComparer.Ordinal);
        for (var at = 0; at < bytes.Length; at = Next(at))
            byName.TryAdd(PathBytes.Decode(NameAt(at)), at);
        return byName;
    }

    private ReadOnlySpan<byte> NameAt(int at) => bytes.AsSpan(at + 2, BinaryPrimitives.ReadUInt16LittleEndian(bytes.AsSpan(at)));

    private FileSeal SealAt(int at) => FileSeal.Read(bytes.AsSpan(at + 2 + NameAt(at).Length, FileSeal.Length));

    private int Next(int at) => at + 2 + BinaryPrimitives.ReadUInt16LittleEndian(bytes.AsSpan(at)) + FileSeal.Length;
}
