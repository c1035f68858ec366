using System.Globalization;
using System.Security.Cryptography;
using System.Text.Json.Serialization;
using System.Text.Json;
using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>How an operation's record begins (docs/formats.md).</summary>
/// <param name="Format">mukta.operation/1.</param>
/// <param name="Operation">The operation's id: date and time (UTC) and six random digits.</param>
/// <param name="Command">The command that did it.</param>
/// <param name="Product">The product; null where it was not said.</param>
/// <param name="Release">The release; null where it was not said, or does not matter.</param>
/// <param name="Started">When, UTC.</param>
/// <param name="Anchor">What the paths are relative to: install, or root for the machine's root.</param>
public sealed record OperationHeader(string Format, string Operation, string Command, string? Product, string? Release, DateTimeOffset Started, string Anchor)
{
    /// <summary>For an operation on an install.</summary>
    public const string Install = "install";

    /// <summary>For an operation on what lies outside of one.</summary>
    public const string Root = "root";

    /// <summary>The operation that this one undoes; null for none.</summary>
    public string? Undoes { get; init; }

    /// <summary>The beginning of a new operation, with a new id.</summary>
    public static OperationHeader New(string command, string? product, string? release, string anchor, TimeProvider time)
    {
        var now = time.GetUtcNow();
        var id = string.Create(CultureInfo.InvariantCulture, $"{now:yyyyMMdd'T'HHmmss'Z'}-{RandomNumberGenerator.GetHexString(6, lowercase: true)}");
        return new OperationHeader("mukta.operation/1", id, command, product, release, now, anchor);
    }
}

/// <summary>One line of an operation's record: what was done to a path, so that it can be put back (docs/formats.md).</summary>
/// <param name="Act">
/// held, emptied, replaced, made, patched, renamed, mode, folder-made, folder-removed, changes-in, service; end and undone for the
/// whole; step, wish, waits and area of an operation of several steps.
/// </param>
/// <param name="Path">Relative to the anchor; of a service its unit.</param>
/// <param name="HeldAt">Where the old one is kept, relative to the operation's folder.</param>
public sealed record OperationLine(string Act, string Path, string? HeldAt = null)
{
    /// <summary>The name that it had.</summary>
    public string? From { get; init; }

    /// <summary>The permission bits that it had, octal.</summary>
    public string? Mode { get; init; }

    /// <summary>The owner that it had.</summary>
    public uint? User { get; init; }

    /// <summary>The group that it had.</summary>
    public uint? Group { get; init; }

    /// <summary>Where the overwritten bytes begin.</summary>
    public long? Offset { get; init; }

    /// <summary>How many they are.</summary>
    public long? Length { get; init; }

    /// <summary>The time of its last change, nanoseconds since 1970 UTC.</summary>
    public long? ModifiedNs { get; init; }

    /// <summary>The number of the folder that was emptied.</summary>
    public ulong? Inode { get; init; }

    /// <summary>The startup mode that a service had.</summary>
    public string? Startup { get; init; }

    /// <summary>The state that a service had, in systemd's words.</summary>
    public string? Active { get; init; }

    /// <summary>Which line of the undone operation's record this undoes, from 0; null for none.</summary>
    public int? Undoes { get; init; }
}

[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull)]
[JsonSerializable(typeof(OperationLine))]
[JsonSerializable(typeof(OperationHeader))]
internal sealed partial class OperationJson : JsonSerializerContext;

/// <summary>An operation's record as it stands on the disk.</summary>
/// <param name="Path">The operation's folder, relative to the anchor.</param>
/// <param name="Header">How it begins.</param>
/// <param name="Lines">What was done, in order.</param>
/// <param name="Length">Bytes of what could be read; a line that was only half written does not count.</param>
public sealed record OperationRecord(string Path, OperationHeader Header, IReadOnlyList<OperationLine> Lines, long Length)
{
    internal const string FileName = "operation.jsonl", EndAct = "end", UndoneAct = "undone", ServiceAct = "service";

    /// <summary>Lines of an operation of several steps: one is done, what was asked for, the machine's start that it waits to be over, another area that it uses.</summary>
    internal const string StepAct = "step", WishAct = "wish", WaitsAct = "waits", AreaAct = "area";

    private const long LongestRecord = 1L << 30;

    /// <summary>True where the operation came to its end.</summary>
    public bool IsEnded => Lines.Any(l => l.Act == EndAct);

    /// <summary>True where it was undone.</summary>
    public bool IsUndone => Lines.Any(l => l.Act == UndoneAct);

    /// <summary>Reads the records of all operations in a folder of held areas, oldest first. What is no record is passed over.</summary>
    /// <param name="anchor">What the folder's path is relative to.</param>
    /// <param name="parent">The folder of held areas.</param>
    public static IReadOnlyList<OperationRecord> In(Folder anchor, string parent)
    {
        if (anchor.Look(parent) is not { Kind: NodeKind.Folder })
            return [];
        return [.. TreeWalk.NamesIn(anchor, parent).Order(StringComparer.Ordinal).Select(name => Read(anchor, $"{parent}/{name}")).OfType<OperationRecord>().OrderBy(r => r.Header.Started)];
    }

    /// <summary>Reads one record; null where there is none.</summary>
    public static OperationRecord? Read(Folder anchor, string path)
    {
        if (anchor.Look($"{path}/{FileName}") is not { Kind: NodeKind.File, Size: < LongestRecord })
            return null;
        using var stream = new FileStream(anchor.OpenRead($"{path}/{FileName}"), FileAccess.Read);
        using var bytes = new MemoryStream();
        stream.CopyTo(bytes);
        return Parse(path, bytes.GetBuffer().AsSpan(0, (int)bytes.Length));
    }

    internal static byte[] Line(OperationHeader header) => JsonSerializer.SerializeToUtf8Bytes(header, OperationJson.Default.OperationHeader);

    internal static byte[] Line(OperationLine line) => JsonSerializer.SerializeToUtf8Bytes(line, OperationJson.Default.OperationLine);

    private static OperationRecord? Parse(string path, ReadOnlySpan<byte> bytes)
    {
        OperationHeader? header = null;
        var lines = new List<OperationLine>();
        var length = 0;
        try
        {
            for (int end; (end = bytes[length..].IndexOf((byte)'\n')) >= 0; length += end + 1)
            {
                var line = bytes.Slice(length, end);
                if (header is null)
                    header = JsonSerializer.Deserialize(line, OperationJson.Default.OperationHeader);
                else
                    lines.Add(JsonSerializer.Deserialize(line, OperationJson.Default.OperationLine)!);
            }
        }
        catch (JsonException)
        {
            // Bytes that a loss of power has left unwritten: what comes before them is what was done.
        }

        return header is { Format: "mukta.operation/1" } ? new OperationRecord(path, header, lines, length) : null;
    }
}
