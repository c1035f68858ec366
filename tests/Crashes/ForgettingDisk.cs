using System.Diagnostics;
using System.Runtime.InteropServices;
using Microsoft.Win32.SafeHandles;
using Mukta.Disk;

namespace Mukta.Tests;

/// <summary>What a loss of power takes of that which was not flushed.</summary>
public enum Loss
{
    /// <summary>Nothing: as after a SIGKILL.</summary>
    Nothing,

    /// <summary>All of it.</summary>
    Everything,

    /// <summary>Names: files whose bytes are there have none, and what was removed or renamed is as before.</summary>
    Names,

    /// <summary>Bytes: files have names and no contents.</summary>
    Bytes,

    /// <summary>Some of both, by a seed: later changes may be there without earlier ones.</summary>
    Some,
}

/// <summary>A disk that knows no hard links, clones or exchanges, and does all else.</summary>
public sealed class PoorDisk : DiskWatch
{
    public static IReadOnlyCollection<DiskChangeKind> Lacking { get; } = [DiskChangeKind.HardLink, DiskChangeKind.Clone, DiskChangeKind.Exchange];

    public override IReadOnlyCollection<DiskChangeKind> Lacks => Lacking;

    public override void Before(DiskChange change)
    {
    }
}

/// <summary>The world ended, on purpose.</summary>
public sealed class Killed : Exception;

/// <summary>
/// A disk that forgets. It stands in the one door, lets everything happen, and keeps apart what was not flushed: names, bytes and lengths.
/// At a chosen change the world ends; then the power is cut, and any of it may be gone, in any order that POSIX allows. Inodes keep
/// their numbers: what is removed is only set aside until the end.
/// </summary>
/// <param name="killAt">The number of the change, from 1, before which the world ends; 0 for never.</param>
/// <param name="roots">The folders in which everything happens.</param>
/// <param name="isPoor">True for a disk that knows no hard links, clones or exchanges.</param>
public sealed class ForgettingDisk(int killAt, IReadOnlyList<string> roots, bool isPoor = false) : DiskWatch, IDisposable
{
    private readonly Lock working = new();
    private readonly Dictionary<(ulong Folder, string Name), Entry> entries = [];
    private readonly Dictionary<ulong, Contents> contents = [];
    private readonly List<NameChange> pending = [];
    private readonly Dictionary<DiskChange, NameChange?> underWay = new(ReferenceEqualityComparer.Instance);
    private readonly Dictionary<ulong, string> graves = [];
    private readonly Dictionary<string, string> graveyards = [];
    private int count;
    private bool isOver;

    /// <summary>Call sites whose flushes do nothing, as <c>File.cs:line</c>; from the environment, for tests/strength/flushes.</summary>
    private static readonly string? IgnoredFlush = Environment.GetEnvironmentVariable("MUKTA_IGNORED_FLUSH");

    private static readonly string? FlushLog = Environment.GetEnvironmentVariable("MUKTA_FLUSH_LOG");

    private static readonly HashSet<string> Logged = [];

    /// <summary>How many changes there were.</summary>
    public int Count => count;

    public override IReadOnlyCollection<DiskChangeKind> Lacks => isPoor ? PoorDisk.Lacking : [];

    /// <summary>What they were.</summary>
    public List<string> Story { get; } = [];

    public override void Before(DiskChange change)
    {
        lock (working)
        {
            if (isOver || ++count == killAt)
            {
                isOver = true;
                throw new Killed();
            }

            Story.Add($"{change.Kind} {change.Path} {change.Other}");
            underWay[change] = change.Kind switch
            {
                DiskChangeKind.Write or DiskChangeKind.SetLength or DiskChangeKind.Clone => Keep(change),
                DiskChangeKind.RemoveFile => Names(change, (change.Path, null)),
                DiskChangeKind.RemoveFolder => Names(change, (change.Path, null)),
                DiskChangeKind.Rename or DiskChangeKind.Replace => Names(
                change, (change.Path, null), (change.Other!, InodeAt(change.Path))),
                DiskChangeKind.Exchange => Names(change, (change.Path, InodeAt(change.Other!)), (change.Other!, InodeAt(change.Path))),
                DiskChangeKind.HardLink => Names(change, (change.Other!, InodeAt(change.Path))),
                _ => null,
            };
            if (change.Kind is DiskChangeKind.RemoveFile or DiskChangeKind.Replace)
                Bury(change.Kind == DiskChangeKind.Replace ? change.Other! : change.Path);
        }
    }

    public override void After(DiskChange change)
    {
        lock (working)
        {
            underWay.Remove(change, out var names);
            switch (change.Kind)
            {
                case DiskChangeKind.CreateFile or DiskChangeKind.MakeFolder or DiskChangeKind.MakeLink:
                    names = Names(change, (change.Path, InodeAt(change.Path)));
                    if (change.Kind == DiskChangeKind.CreateFile && InodeAt(change.Path) is { } made)
                        contents[made] = new Contents([]);
                    break;
                case DiskChangeKind.Write or DiskChangeKind.SetLength or DiskChangeKind.Clone:
                    Note(change);
                    return;
                case DiskChangeKind.FlushFile when !IsIgnored():
                    contents.Remove(InodeOf(change.File!));
                    return;
                case DiskChangeKind.FlushFolder when !IsIgnored():
                    FlushNames(InodeAt(change.Path) ?? 0);
                    return;
                case DiskChangeKind.FlushAll when !IsIgnored():
                    contents.Clear();
                    pending.ToList().ForEach(Flushed);
                    return;
            }

            if (names is null)
                return;
            pending.Add(names);
            foreach (var (key, value) in names.Values)
            {
                if (!entries.TryGetValue(key, out var entry))
                    entries.Add(key, entry = new Entry(names.Before[key]));
                entry.Later.Add((names, value));
            }
        }
    }

    /// <summary>The world goes on, as after a kill: what was not flushed until then is still not flushed.</summary>
    /// <param name="killAgainAt">The number of the change, from 1 again, before which it ends once more; 0 for never.</param>
    public void GoOn(int killAgainAt)
    {
        lock (working)
            (isOver, count, killAt) = (false, 0, killAgainAt);
    }

    /// <summary>
    /// Cuts the power: what was not flushed is gone as far as the loss says. From here on the disk forgets nothing any more.
    /// </summary>
    public void CutPower(Loss loss, int seed)
    {
        lock (working)
        {
            isOver = true;
            var random = new Random(seed);
            foreach (var names in pending)
            {
                names.IsLost = names.IsLost || names.Needs.Any(n => n.IsLost)
                    || loss switch { Loss.Everything or Loss.Names => true, Loss.Some => random.Next(2) == 0, _ => false };
            }

            var kept = contents.Where(c => c.Value.Pending.Count > 0).ToDictionary(c => c.Key, c => c.Value.After(_ => loss switch
            {
                Loss.Everything or Loss.Bytes => false,
                Loss.Some => random.Next(2) == 0,
                _ => true,
            }));
            if (loss != Loss.Nothing)
                new Aftermath(entries.ToDictionary(e => e.Key, e => e.Value.Value), kept, graves, roots, GraveyardOf).Come();
        }
    }

    public void Dispose()
    {
        foreach (var graveyard in graveyards.Values.Where(Directory.Exists))
            Directory.Delete(graveyard, recursive: true);
    }

    internal static string? Site()
    {
        foreach (var frame in new StackTrace(fNeedFileInfo: true).GetFrames())
        {
            if (frame.GetMethod()?.DeclaringType is not { } type || type == typeof(ForgettingDisk) || type == typeof(Folder)
                || type == typeof(WritableFile) || frame.GetFileName() is not { } file)
                continue;
            return $"{Path.GetFileName(file)}:{frame.GetFileLineNumber()}";
        }

        return null;
    }

    private static bool IsIgnored()
    {
        if (IgnoredFlush is null && FlushLog is null)
            return false;
        var site = Site();
        if (FlushLog is not null && site is not null)
        {
            lock (Logged)
            {
                if (Logged.Add(site))
                    File.AppendAllText(FlushLog, site + "\n");
            }
        }

        return site == IgnoredFlush;
    }

    /// <summary>Names that a change sets, each to an inode or to nothing, with what was there before.</summary>
    private NameChange Names(DiskChange change, params (string Path, ulong? Inode)[] values)
    {
        var of = new NameChange(change.Kind);
        foreach (var (path, inode) in values)
        {
            var key = (InodeAt(Path.GetDirectoryName(path)!) ?? 0, Path.GetFileName(path));
            of.Values[key] = inode;
            of.Before[key] = change.Kind is DiskChangeKind.CreateFile or DiskChangeKind.MakeFolder or DiskChangeKind.MakeLink ? null
                : InodeAt(path);
        }

        // What builds on a name that is not flushed yet is not there without it.
        of.Needs.AddRange(pending.Where(
            p => p.Values.Keys.Any(of.Values.ContainsKey) || p.Values.Values.Any(v => v is not null && of.Values.ContainsValue(v))));
        return of;
    }

    private NameChange? Keep(DiskChange change)
    {
        var inode = InodeOf(change.File!);
        if (!contents.ContainsKey(inode))
            contents[inode] = new Contents(Read(change.File!));
        return null;
    }

    private void Note(DiskChange change)
    {
        if (contents.TryGetValue(InodeOf(change.File!), out var of))
        {
            of.Pending.Add(
                change.Kind == DiskChangeKind.Clone ? new ByteChange(null, 0, Read(change.File!))
                : new ByteChange(change.Kind == DiskChangeKind.SetLength ? change.Offset : null, change.Offset, change.Bytes.ToArray()));
        }
    }

    private void FlushNames(ulong folder)
    {
        foreach (var names in pending.Where(p => p.Values.Keys.Any(k => k.Folder == folder)).ToList())
            Flushed(names);
    }

    private void Flushed(NameChange names)
    {
        if (!pending.Remove(names))
            return;
        foreach (var before in names.Needs.ToList())
            Flushed(before);
        foreach (var key in names.Values.Keys)
            entries[key].Flushed(names);
    }

    /// <summary>Gives a file that loses its last name one outside, so that a loss of power can bring it back.</summary>
    private void Bury(string path)
    {
        if (!roots.Any(r => path.StartsWith(r + "/", StringComparison.Ordinal))
            || Lstat(path) is not { Links: 1, Kind: not NodeKind.Folder } node)
            return;
        var grave = Path.Join(GraveyardOf(path), $"{node.Inode}-{graves.Count}");
        if (Link(path, grave) == 0)
            graves[node.Inode] = grave;
    }

    private string GraveyardOf(string path)
    {
        // The innermost: a folder may have another mount in it.
        var root = roots.Where(
            r => path.StartsWith(r + "/", StringComparison.Ordinal) || path.StartsWith(r + "-graves/", StringComparison.Ordinal))
            .MaxBy(r => r.Length)!;
        if (!graveyards.TryGetValue(root, out var graveyard))
            graveyards[root] = graveyard = Directory.CreateDirectory(root + "-graves").FullName;
        return graveyard;
    }

    private static ulong? InodeAt(string path) => Lstat(path)?.Inode;

    internal static Node? Lstat(string path)
    {
        try
        {
            using var parent = Folder.Open(path == "/" ? "/" : Path.GetDirectoryName(path)!);
            return parent.Look(path == "/" ? "." : Path.GetFileName(path) is { Length: > 0 } name ? name : ".");
        }
        catch (MuktaException)
        {
            return null;
        }
    }

    private static ulong InodeOf(SafeFileHandle file) => Node.At($"/proc/self/fd/{file.DangerousGetHandle()}")!.Value.Inode;

    private static byte[] Read(SafeFileHandle file)
    {
        var bytes = new byte[RandomAccess.GetLength(file)];
        RandomAccess.Read(file, bytes, 0);
        return bytes;
    }

    [DllImport("libc", EntryPoint = "link", SetLastError = true)]
    internal static extern int Link([MarshalAs(UnmanagedType.LPUTF8Str)] string from, [MarshalAs(UnmanagedType.LPUTF8Str)] string to);

    private sealed class NameChange(DiskChangeKind kind)
    {
        public DiskChangeKind Kind { get; } = kind;

        public Dictionary<(ulong Folder, string Name), ulong?> Values { get; } = [];

        public Dictionary<(ulong Folder, string Name), ulong?> Before { get; } = [];

        public List<NameChange> Needs { get; } = [];

        public bool IsLost { get; set; }
    }

    private sealed class Entry(ulong? flushed)
    {
        private ulong? flushedValue = flushed;

        public List<(NameChange Names, ulong? Value)> Later { get; } = [];

        public ulong? Value => Later.LastOrDefault(l => !l.Names.IsLost) is { Names: not null } last ? last.Value : flushedValue;

        public void Flushed(NameChange names)
        {
            var at = Later.FindIndex(l => l.Names == names);
            if (at < 0)
                return;
            flushedValue = Later[at].Value;
            Later.RemoveRange(0, at + 1);
        }
    }

    private sealed record ByteChange(long? Length, long Offset, byte[] Bytes);

    private sealed class Contents(byte[] flushed)
    {
        public List<ByteChange> Pending { get; } = [];

        public byte[] After(Func<ByteChange, bool> isKept)
        {
            var bytes = flushed;
            foreach (var change in Pending.Where(isKept))
            {
                if (change.Length is { } length)
                {
                    Array.Resize(ref bytes, (int)length);
                    continue;
                }

                if (bytes.Length < change.Offset + change.Bytes.Length)
                    Array.Resize(ref bytes, (int)(change.Offset + change.Bytes.Length));
                else
                    bytes = [.. bytes];
                change.Bytes.CopyTo(bytes.AsSpan((int)change.Offset));
            }

            return bytes;
        }
    }
}
