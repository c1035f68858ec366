using System.Globalization;
using System.Security.Cryptography;
using System.Text.Json;
using System.Text.Json.Serialization;
using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Repair;

/// <summary>One line of an operation's record: what was done to a path, so that it can be put back (docs/formats.md).</summary>
/// <param name="Act">held, emptied, replaced, made, renamed, mode or folder-removed.</param>
/// <param name="Path">Relative to the install; for what lies outside of one, to the root of its machine.</param>
/// <param name="HeldAt">Where the old one is kept, relative to the operation's folder.</param>
/// <param name="From">The name it had.</param>
/// <param name="Mode">The permission bits it had, octal.</param>
internal sealed record HeldLine(string Act, string Path, string? HeldAt = null, string? From = null, string? Mode = null);

/// <summary>How an operation's record begins.</summary>
internal sealed record HeldHeader(string Format, string Operation, string Command, string? Product, string? Release, DateTimeOffset Started)
{
    /// <summary>The beginning of a new operation, with a new id: date and time (UTC) and four random digits.</summary>
    public static HeldHeader New(string command, string? product, string? release, TimeProvider time)
    {
        var now = time.GetUtcNow();
        var id = string.Create(CultureInfo.InvariantCulture, $"{now:yyyyMMdd'T'HHmmss'Z'}-{RandomNumberGenerator.GetHexString(4, lowercase: true)}");
        return new HeldHeader("mukta.operation/1", id, command, product, release, now);
    }
}

[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull)]
[JsonSerializable(typeof(HeldLine))]
[JsonSerializable(typeof(HeldHeader))]
internal sealed partial class HeldJson : JsonSerializerContext;

/// <summary>
/// Where one operation keeps what it removes and overwrites: on the same file system, so that a rename is enough. Nothing in it
/// is ever overwritten. Not for use by several threads at once.
/// </summary>
internal sealed class HeldArea : IDisposable
{
    private readonly Folder anchor;
    private readonly SafeFileHandle record;
    private long recordLength;

    /// <summary>Makes the area.</summary>
    /// <param name="anchor">What all paths are relative to.</param>
    /// <param name="parent">The folder that holds the areas of all operations, such as <see cref="OfInstall"/>.</param>
    /// <param name="header">What the record begins with.</param>
    public HeldArea(Folder anchor, string parent, HeldHeader header)
    {
        this.anchor = anchor;
        Path = $"{parent}/{header.Operation}";
        OwnFolders.Ensure(anchor, Path);
        record = anchor.CreateFile($"{Path}/operation.jsonl", 0b110_100_100);
        var like = anchor.Look(Path)!.Value;
        anchor.SetOwner($"{Path}/operation.jsonl", like.User, like.Group);
        Append(JsonSerializer.SerializeToUtf8Bytes(header, HeldJson.Default.HeldHeader));
    }

    /// <summary>Where the areas of an install's own operations are.</summary>
    public const string OfInstall = ManifestPath.OwnFolder + "/held";

    /// <summary>The operation's folder, relative to the anchor.</summary>
    public string Path { get; }

    /// <summary>True once something is kept here.</summary>
    public bool HoldsSomething { get; private set; }

    /// <summary>Moves what stands at a path here.</summary>
    /// <returns>Where it is now, relative to the anchor.</returns>
    public string Hold(string path)
    {
        var at = RoomFor(path);
        Note(new HeldLine("held", path, at));
        anchor.Move(path, $"{Path}/{at}");
        HoldsSomething = true;
        return $"{Path}/{at}";
    }

    /// <summary>
    /// Puts a finished file from staging where an old one stands. The old one gets a second name here first, so that the
    /// path always leads to a whole file; where the disk knows no second names it is moved here just before.
    /// </summary>
    public void Replace(string staged, string path)
    {
        var at = RoomFor(path);
        Note(new HeldLine("replaced", path, at));
        if (!anchor.TryLink(path, $"{Path}/{at}"))
            anchor.Move(path, $"{Path}/{at}");
        HoldsSomething = true;
        anchor.Move(staged, path, replace: true);
    }

    /// <summary>Moves a folder here and leaves an empty one in its place with the same owner, group and mode, at once.</summary>
    /// <returns>Where it is now, relative to the anchor.</returns>
    public string HoldContents(string path)
    {
        var at = RoomFor(path);
        var was = anchor.Look(path) ?? throw new DiskException(DiskException.NoEntry, "look at", path);
        Note(new HeldLine("emptied", path, at));
        anchor.MakeFolder($"{Path}/{at}", was.Mode & 0x1FF);
        anchor.SetOwner($"{Path}/{at}", was.User, was.Group);
        anchor.SetMode($"{Path}/{at}", was.Mode);
        anchor.Exchange($"{Path}/{at}", path, $"{Path}/{at}~aside");
        HoldsSomething = true;
        return $"{Path}/{at}";
    }

    /// <summary>Writes down something that is done to a path. Comes before the deed.</summary>
    public void Note(HeldLine line) => Append(JsonSerializer.SerializeToUtf8Bytes(line, HeldJson.Default.HeldLine));

    public void Flush()
    {
        if (Native.Sync(record) != 0)
            throw Folder.Failure("flush", $"{Path}/operation.jsonl");
    }

    public void Dispose() => record.Dispose();

    private string RoomFor(string path)
    {
        var at = $"files/{path}";
        for (var copy = 2; anchor.Look($"{Path}/{at}") is not null; copy++)
            at = $"files/{path}~{copy}";
        OwnFolders.Ensure(anchor, OwnFolders.Of($"{Path}/{at}"));
        return at;
    }

    private void Append(ReadOnlySpan<byte> line)
    {
        RandomAccess.Write(record, line, recordLength);
        RandomAccess.Write(record, "\n"u8, recordLength + line.Length);
        recordLength += line.Length + 1;
    }
}
