using System.Text.Json;
using System.Text.Json.Serialization;
using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Repair;

/// <summary>One line of an operation's record: what was done to a path, so that it can be put back (docs/formats.md).</summary>
/// <param name="Act">held, replaced, made, renamed, mode or folder-removed.</param>
/// <param name="Path">Relative to the install.</param>
/// <param name="HeldAt">Where the old one is kept, relative to the operation's folder.</param>
/// <param name="From">The name it had.</param>
/// <param name="Mode">The permission bits it had, octal.</param>
internal sealed record HeldLine(string Act, string Path, string? HeldAt = null, string? From = null, string? Mode = null);

/// <summary>How an operation's record begins.</summary>
internal sealed record HeldHeader(string Format, string Operation, string Command, string? Product, string? Release, DateTimeOffset Started);

[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull)]
[JsonSerializable(typeof(HeldLine))]
[JsonSerializable(typeof(HeldHeader))]
internal sealed partial class HeldJson : JsonSerializerContext;

/// <summary>
/// Where one operation keeps what it removes and overwrites: below the install, so that a rename is enough. Nothing in it
/// is ever overwritten. Not for use by several threads at once.
/// </summary>
internal sealed class HeldArea : IDisposable
{
    private readonly Folder install;
    private readonly SafeFileHandle record;
    private long recordLength;

    public HeldArea(Folder install, string operation, string command, Manifest manifest, TimeProvider time)
    {
        this.install = install;
        Path = $"{ManifestPath.OwnFolder}/held/{operation}";
        OwnFolders.Ensure(install, Path);
        record = install.CreateFile($"{Path}/operation.jsonl", 0b110_100_100);
        Append(JsonSerializer.SerializeToUtf8Bytes(
            new HeldHeader("mukta.operation/1", operation, command, manifest.Product, manifest.Release, time.GetUtcNow()), HeldJson.Default.HeldHeader));
    }

    /// <summary>The operation's folder, relative to the install.</summary>
    public string Path { get; }

    /// <summary>True once something is kept here.</summary>
    public bool HoldsSomething { get; private set; }

    /// <summary>Moves what stands at a path here.</summary>
    public void Hold(string path)
    {
        var at = RoomFor(path);
        Note(new HeldLine("held", path, at));
        install.Move(path, $"{Path}/{at}");
        HoldsSomething = true;
    }

    /// <summary>
    /// Puts a finished file from staging where an old one stands. The old one gets a second name here first, so that the
    /// path always leads to a whole file; where the disk knows no second names it is moved here just before.
    /// </summary>
    public void Replace(string staged, string path)
    {
        var at = RoomFor(path);
        Note(new HeldLine("replaced", path, at));
        if (!install.TryLink(path, $"{Path}/{at}"))
            install.Move(path, $"{Path}/{at}");
        HoldsSomething = true;
        install.Move(staged, path, replace: true);
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
        for (var copy = 2; install.Look($"{Path}/{at}") is not null; copy++)
            at = $"files/{path}~{copy}";
        OwnFolders.Ensure(install, OwnFolders.Of($"{Path}/{at}"));
        return at;
    }

    private void Append(ReadOnlySpan<byte> line)
    {
        RandomAccess.Write(record, line, recordLength);
        RandomAccess.Write(record, "\n"u8, recordLength + line.Length);
        recordLength += line.Length + 1;
    }
}
