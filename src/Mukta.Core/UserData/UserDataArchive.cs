using System.Formats.Tar;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.Unicode;
using Microsoft.Win32.SafeHandles;
using Mukta.Disk;

namespace Mukta.UserData;

/// <summary>What an archive holds.</summary>
/// <param name="Files">Files and links.</param>
/// <param name="Bytes">Their bytes.</param>
public sealed record ArchivedData(int Files, long Bytes);

/// <summary>
/// Copies user data into one archive that standard tools read: tar in the pax format (POSIX.1-2017, pax), with a list of
/// SHA-256 hashes as its last entry that <c>sha256sum -c</c> takes. Names are relative to the machine's root. What tar itself
/// does not keep stands in records of its own: MUKTA.mtime, nanoseconds since 1970 UTC, and MUKTA.name and MUKTA.link, names
/// with bytes that are not UTF-8 or with control characters, in hexadecimal. A file that changes while it is copied is copied again, and
/// refused if it does not rest.
/// </summary>
/// <param name="root">What the names are relative to.</param>
[OutsideReader]
internal sealed class UserDataArchive(Folder root)
{
    /// <summary>The list of hashes, the last entry of an archive.</summary>
    public const string ListName = "checksums.sha256";

    private const long LongestList = 1L << 30;

    private const string TimeKey = "MUKTA.mtime", NameKey = "MUKTA.name", LinkKey = "MUKTA.link";
    private const int MostTries = 3, OwnerOnly = 0b110_000_000;

    /// <summary>Told of each file before its bytes are copied. Tests change it there.</summary>
    internal Action<string>? OnFile { get; init; }

    /// <summary>Writes an archive, flushes it, and reads it back.</summary>
    /// <param name="path">Where. What an interrupted run has left there goes.</param>
    /// <param name="what">Files, folders and links to copy.</param>
    /// <param name="meter">Counts the bytes.</param>
    /// <param name="cancel">Ends it.</param>
    /// <exception cref="MuktaException">Something cannot be copied exactly; it is named.</exception>
    public ArchivedData Write(string path, IReadOnlyList<string> what, WorkMeter? meter, CancellationToken cancel)
    {
        for (var attempt = 1; ; attempt++)
        {
            if (root.Look(path) is not null)
                root.RemoveFile(path);
            using (var file = root.CreateFile(path, OwnerOnly))
            {
                if (root.Look(path.LastIndexOf('/') is var slash and > 0 ? path[..slash] : ".") is { } like)
                    root.SetOwner(path, like.User, like.Group);
                var (written, restless) = Write(file, what, meter, cancel);
                if (restless is null)
                {
                    root.Flush(Folder.ParentOf(path));
                    return Check(path, cancel) == written ? written : throw Damaged(path);
                }

                if (attempt < MostTries)
                    continue;
                root.RemoveFile(path);
                throw new MuktaException(
                    ExitCode.Blocked, "This file of the user's changes while it is copied, so nothing was changed.", Shown(restless),
                    "Close what writes to it, then run the same command again.");
            }
        }
    }

    /// <summary>A number of how everything stands: another one where anything was changed, made or removed since.</summary>
    public string Fingerprint(IReadOnlyList<string> what, CancellationToken cancel)
    {
        var lines = what.SelectMany(w => Below(w, cancel))
            .Select(e =>
            string.Create(
            CultureInfo.InvariantCulture, $"{e.Path}\0{e.Node.Kind} {e.Node.Size} {e.Node.Inode} {e.Node.ModifiedNs} {e.Node.ChangedNs}"));
        return Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(string.Join('\n', lines.Order(StringComparer.Ordinal)))));
    }

    /// <summary>Reads an archive through and compares every file with the list.</summary>
    /// <exception cref="MuktaException">It is not whole.</exception>
    public ArchivedData Check(string path, CancellationToken cancel)
    {
        var found = new StringBuilder();
        var list = (string?)null;
        var (files, bytes) = (0, 0L);
        try
        {
            Each(path, Take, cancel);

            void Take(TarEntry entry)
            {
                if (entry.Name == ListName)
                {
                    if (entry.Length > LongestList)
                        throw Damaged(path);
                    using var text = new StreamReader(entry.DataStream ?? Stream.Null, Encoding.UTF8, leaveOpen: true);
                    list = text.ReadToEnd(); // Empty where the user's data holds no regular file.
                    return;
                }

                files += entry.EntryType == TarEntryType.Directory ? 0 : 1;
                bytes += entry.EntryType == TarEntryType.RegularFile ? entry.Length : 0;
                if (entry.EntryType == TarEntryType.RegularFile)
                    found.Append(Listed(entry.Name, entry.DataStream is { } body ? SHA256.HashData(body) : SHA256.HashData([])));
            }
        }
        catch (Exception e) when (e is InvalidDataException or EndOfStreamException)
        {
            throw Damaged(path, e);
        }

        return list == found.ToString() ? new ArchivedData(files, bytes) : throw Damaged(path);
    }

    /// <summary>Goes through the entries of an archive.</summary>
    public void Each(string path, Action<TarEntry> act, CancellationToken cancel)
    {
        using var file = root.OpenStream(path, InputFile.AnyLength);
        using var buffered = new BufferedStream(file, 1 << 20);
        using var stream = new TarHeadGuard(buffered);
        using var tar = new TarReader(stream);
        while (Next() is { } entry)
        {
            cancel.ThrowIfCancellationRequested();
            act(entry);
        }

        TarEntry? Next()
        {
            try
            {
                return tar.GetNextEntry();
            }
            catch (Exception e) when (e is not (DiskException or IOException and not EndOfStreamException or OutOfMemoryException))
            {
                throw Damaged(path, e); // The reader fails in many ways over what is no archive.
            }
        }
    }

    /// <summary>The path of an entry on the disk, relative to the root.</summary>
    public static string PathOf(TarEntry entry) => entry is PaxTarEntry pax && pax.ExtendedAttributes.TryGetValue(NameKey, out var hex)
        ? PathBytes.Decode(Convert.FromHexString(hex))
        : entry.Name.TrimEnd('/');

    /// <summary>Where an entry that is a symbolic link leads.</summary>
    public static string TargetOf(TarEntry entry) =>
        entry is PaxTarEntry pax && pax.ExtendedAttributes.TryGetValue(LinkKey, out var hex) ? PathBytes.Decode(Convert.FromHexString(hex))
        : entry.LinkName;

    /// <summary>The time of an entry's last change, nanoseconds since 1970 UTC.</summary>
    public static long ModifiedNs(TarEntry entry) =>
        entry is PaxTarEntry pax && pax.ExtendedAttributes.TryGetValue(TimeKey, out var text)
        && long.TryParse(text, CultureInfo.InvariantCulture, out var exact)
            ? exact
            : (entry.ModificationTime - DateTimeOffset.UnixEpoch).Ticks * 100;

    private MuktaException Damaged(string path, Exception? inner = null) => new(
        ExitCode.Blocked, "The copy of the user's files does not read back as it was written.", Shown(path),
        "Check the system's log for disk errors, and test the machine's memory.", inner);

    private string Shown(string path) => PathBytes.Shown(Path.Join(root.Path, path));

    /// <returns>What was written, and a file that changed meanwhile.</returns>
    private (ArchivedData Written, string? Restless) Write(
        WritableFile file, IReadOnlyList<string> what, WorkMeter? meter, CancellationToken cancel)
    {
        using var stream = file.AsStream();
        var list = new StringBuilder();
        var (files, bytes) = (0, 0L);
        using (var tar = new TarWriter(stream, TarEntryFormat.Pax, leaveOpen: true))
        {
            var names = new Dictionary<(ulong Device, ulong Inode), string>();
            foreach (var (each, node) in what.SelectMany(w => Below(w, cancel)))
            {
                cancel.ThrowIfCancellationRequested();
                var entry = Entry(each, node, names);
                if (entry.EntryType != TarEntryType.RegularFile)
                    tar.WriteEntry(entry);
                else if (WriteFile(tar, entry, each, node, meter) is { } hash)
                    list.Append(Listed(entry.Name, hash));
                else
                    return (new ArchivedData(files, bytes), each);
                files += node.Kind == NodeKind.Folder ? 0 : 1;
                bytes += entry.EntryType == TarEntryType.RegularFile ? node.Size : 0;
            }

            tar.WriteEntry(new PaxTarEntry(
                TarEntryType.RegularFile, ListName)
            {
                DataStream = new MemoryStream(Encoding.UTF8.GetBytes(list.ToString())),
                Mode = (UnixFileMode)0b110_100_100
            });
        }

        stream.Flush();
        file.Flush();
        file.DropFromMemory(); // What is read back is to come from the disk.
        return (new ArchivedData(files, bytes), null);
    }

    /// <summary>Writes a file's bytes; null if it has changed meanwhile.</summary>
    private byte[]? WriteFile(TarWriter tar, PaxTarEntry entry, string path, in Node node, WorkMeter? meter)
    {
        using var file = root.OpenRead(path);
        OnFile?.Invoke(path);
        using var body = new CopiedBytes(file, node.Size, meter);
        entry.DataStream = body;
        tar.WriteEntry(entry);
        return root.Look(path) is { } after && after.IsSameAs(node) ? body.Hash() : null;
    }

    /// <summary>What is at a path and below it, folders before what is in them.</summary>
    private IEnumerable<(string Path, Node Node)> Below(string path, CancellationToken cancel)
    {
        if (root.Look(path) is not { } node)
            yield break;
        yield return (path, node);
        if (node.Kind != NodeKind.Folder)
            yield break;
        using var folder = Folder.Open(Path.Join(root.Path, path));
        foreach (var entry in TreeWalk.Entries(folder, cancel: cancel))
            yield return entry.Failure is { } failure ? throw failure : ($"{path}/{entry.Path}", entry.Node!.Value);
    }

    private PaxTarEntry Entry(string path, in Node node, Dictionary<(ulong Device, ulong Inode), string> names)
    {
        var own = new Dictionary<string, string> { [TimeKey] = node.ModifiedNs.ToString(CultureInfo.InvariantCulture) };
        var name = path;
        if (IsOdd(path))
            (own[NameKey], name) = (Hex(path), PathBytes.Shown(path));
        var target = node.Kind == NodeKind.Link ? root.ReadLink(path) : "";
        if (IsOdd(target))
            (own[LinkKey], target) = (Hex(target), PathBytes.Shown(target));
        var type = node.Kind switch
        {
            NodeKind.Folder => TarEntryType.Directory,
            NodeKind.Link => TarEntryType.SymbolicLink,
            NodeKind.File when node.Links > 1 && !names.TryAdd((node.Device, node.Inode), name) => TarEntryType.HardLink,
            NodeKind.File => TarEntryType.RegularFile,
            _ => throw new MuktaException(
                ExitCode.Blocked, "Among the user's files is a socket, pipe or device, which no archive can hold; nothing was touched.",
                Shown(path), "End the program that it belongs to, or move it away."),
        };
        var entry = new PaxTarEntry(type, type == TarEntryType.Directory ? name + "/" : name, own)
        {
            Mode = (UnixFileMode)node.Mode,
            Uid = (int)node.User,
            Gid = (int)node.Group,
            ModificationTime = DateTimeOffset.UnixEpoch.AddTicks(node.ModifiedNs / 100),
        };
        if (type == TarEntryType.HardLink)
            entry.LinkName = names[(node.Device, node.Inode)];
        if (type == TarEntryType.SymbolicLink)
            entry.LinkName = target;
        return entry;
    }

    /// <summary>True for what a pax record cannot hold, or not every reader of one can.</summary>
    private static bool IsOdd(string name) => name.Any(char.IsControl) || !Utf8.IsValid(PathBytes.Encode(name).AsSpan()[..^1]);

    private static string Hex(string name) => Convert.ToHexStringLower(PathBytes.Encode(name).AsSpan()[..^1]);

    /// <summary>
    /// A line of a checksum list as sha256sum writes it: a name with a backslash or a line break is escaped, and says so at its beginning.
    /// </summary>
    private static string Listed(string name, byte[] hash) => name.AsSpan().ContainsAny('\\', '\n')
        ? $"\\{Convert.ToHexStringLower(hash)}  "
        + $"{name.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\n", "\\n", StringComparison.Ordinal)}\n"
        : $"{Convert.ToHexStringLower(hash)}  {name}\n";

    /// <summary>
    /// The first so many bytes of a file, hashed on their way. A file that ends earlier is filled up: it has changed, and its copy does not
    /// count.
    /// </summary>
    private sealed class CopiedBytes(SafeFileHandle file, long length, WorkMeter? meter) : Stream
    {
        private readonly IncrementalHash hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        private long position;

        public override bool CanRead => true;

        public override bool CanSeek => true;

        public override bool CanWrite => false;

        public override long Length => length;

        public override long Position
        {
            get => position;
            set => throw new NotSupportedException();
        }

        public byte[] Hash() => hash.GetHashAndReset();

        public override int Read(byte[] buffer, int offset, int count) => Read(buffer.AsSpan(offset, count));

        public override int Read(Span<byte> buffer)
        {
            var wanted = buffer[..(int)Math.Min(buffer.Length, length - position)];
            var got = RandomAccess.Read(file, wanted, position);
            if (got == 0)
            {
                wanted.Clear();
                got = wanted.Length;
            }

            hash.AppendData(wanted[..got]);
            meter?.Count(got);
            position += got;
            return got;
        }

        public override void Flush()
        {
        }

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();

        protected override void Dispose(bool disposing)
        {
            hash.Dispose();
            base.Dispose(disposing);
        }
    }
}
