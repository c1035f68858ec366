using System.Globalization;
using System.IO.Hashing;
using System.Text.Json;
using System.Text.Json.Serialization;
using Mukta.Disk;

namespace Mukta.Operations;

[JsonSourceGenerationOptions(
    PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
    RespectNullableAnnotations = true)]
[JsonSerializable(typeof(OperationHeader))]
internal sealed partial class HeaderJson : JsonSerializerContext;

[JsonSourceGenerationOptions(
    PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
    RespectNullableAnnotations = true, RespectRequiredConstructorParameters = true)]
[JsonSerializable(typeof(Change[]))]
internal sealed partial class ChangeJson : JsonSerializerContext;

/// <summary>A journal that cannot be used. Nothing is touched by what it says.</summary>
/// <param name="code">Not trusted, or damaged.</param>
/// <param name="what">What is wrong, as a sentence.</param>
/// <param name="where">The journal.</param>
/// <param name="next">What to do next.</param>
public sealed class JournalFault(ExitCode code, string what, string where, string next)
    : MuktaException(code, what, PathBytes.Shown(where), next);

/// <summary>What an operation has done, as its journal on the disk has it (docs/formats.md).</summary>
/// <param name="Path">The operation's folder, relative to the anchor.</param>
/// <param name="Header">How it begins.</param>
/// <param name="Changes">What was done, in order.</param>
[OutsideReader]
public sealed record OperationRecord(string Path, OperationHeader Header, IReadOnlyList<Change> Changes)
{
    /// <summary>The journal's name in the operation's folder.</summary>
    public const string FileName = "journal";

    /// <summary>The longest journal that is read: 512 MiB, some two million changes.</summary>
    internal const long Longest = 512L << 20;

    private const int SumLength = 16;

    /// <summary>Bytes of what could be read. An unterminated last line does not count.</summary>
    internal long Length { get; init; }

    /// <summary>The checksum of the last line, which the next one's begins with.</summary>
    internal ulong Sum { get; init; }

    /// <summary>The number of the first change of the last line: all before it are done, or written down as not done.</summary>
    internal int LastLine { get; init; }

    /// <summary>True if the file has more bytes than could be read.</summary>
    internal bool HasTornEnd { get; init; }

    /// <summary>The journal's owner and group.</summary>
    internal (uint User, uint Group) Owner { get; init; }

    /// <summary>True if the operation came to its end.</summary>
    public bool IsEnded => Changes.Any(c => c is Ended);

    /// <summary>True if it was undone, and nothing of it is left.</summary>
    public bool IsUndone => Changes.Any(c => c is Undone);

    /// <summary>The start of the machine that it waits to be over; null if it does not wait.</summary>
    public string? WaitsFor =>
        Changes.LastOrDefault(c => c is WaitsForRestart or StepDone) is WaitsForRestart { Boot: var boot } ? boot : null;

    /// <summary>What was asked for when it began, as the same command has to ask again.</summary>
    public string Request => Notes(Operation.RequestKey).FirstOrDefault()?.Text ?? "";

    /// <summary>The notes about something.</summary>
    public IEnumerable<Noted> Notes(string key) => Changes.OfType<Noted>().Where(n => n.Key == key);

    /// <summary>True if a step is done.</summary>
    public bool HasStep(string step) => Changes.Any(c => c is StepDone done && done.Step == step);

    /// <summary>Where whole things that it set aside or replaced are kept, relative to the anchor.</summary>
    public IEnumerable<string> KeptFiles() => Changes.Where(c => c is SetAside or Replaced).Select(c => new ChangeSite(null!, Path).At(c));

    /// <summary>Its changes with those in other places, each with its path relative to the machine's root.</summary>
    /// <param name="root">The machine's root.</param>
    public IEnumerable<(Change Change, string Path)> WithOtherPlaces(Folder root)
    {
        foreach (var change in Changes)
            yield return (change, change.Subject);
        foreach (var used in Changes.OfType<AreaUsed>())
        {
            if (Read(root, $"{used.Place}/{KeptArea.OfInstall}/{Header.Operation}") is not { } other)
                continue;
            foreach (var change in other.Changes)
                yield return (change, $"{used.Place}/{change.Subject}");
        }
    }

    /// <summary>The numbers of changes that were written down and not made.</summary>
    public IReadOnlySet<int> NotMade() => Changes.OfType<NotDone>().Select(n => n.Of).ToHashSet();

    /// <summary>
    /// Reads the journals of all operations in a folder of them, first one first. One that cannot be used is skipped.
    /// </summary>
    /// <param name="anchor">What the folder's path is relative to.</param>
    /// <param name="parent">The folder.</param>
    /// <param name="faults">Takes those that cannot be used; null if nobody wants to know.</param>
    public static IReadOnlyList<OperationRecord> In(Folder anchor, string parent, ICollection<JournalFault>? faults = null)
    {
        if (anchor.Look(parent) is not { Kind: NodeKind.Folder })
            return [];
        var records = new List<OperationRecord>();
        foreach (var name in TreeWalk.NamesIn(anchor, parent).Where(OperationHeader.IsId))
        {
            try
            {
                if (Read(anchor, $"{parent}/{name}") is { } record)
                    records.Add(record);
            }
            catch (JournalFault e)
            {
                faults?.Add(e);
            }
        }

        return [.. records.OrderBy(r => r.Header.Sequence).ThenBy(r => r.Header.Operation, StringComparer.Ordinal)];
    }

    /// <summary>Reads one; null if there is none, or if it was interrupted before its first line was whole.</summary>
    /// <exception cref="JournalFault">It is damaged, or it is not a file that those who may change things here have made.</exception>
    public static OperationRecord? Read(Folder anchor, string path)
    {
        var file = $"{path}/{FileName}";
        if (anchor.Look(file) is not { } node)
            return null;
        JournalTrust.Prove(anchor, path, node);
        try
        {
            using var bytes = anchor.OpenStream(file, Longest);
            return Parse(path, System.IO.Path.Join(anchor.Path, file), bytes) is { } record
                ? record with { Owner = (node.User, node.Group) } : null;
        }
        catch (DiskException e)
        {
            throw new JournalFault(e.Code, e.What, System.IO.Path.Join(anchor.Path, file), e.Next);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new JournalFault(
                ExitCode.Blocked, "The journal of an operation cannot be read.", System.IO.Path.Join(anchor.Path, file), "Check the disk.");
        }
    }

    internal static byte[] Line(OperationHeader header) => JsonSerializer.SerializeToUtf8Bytes(header, HeaderJson.Default.OperationHeader);

    internal static byte[] Line(Change[] changes) => JsonSerializer.SerializeToUtf8Bytes(changes, ChangeJson.Default.ChangeArray);

    /// <summary>
    /// A line of text with its checksum before it: XXH3 of 64 bits, begun with the checksum of the line before, in hexadecimal.
    /// </summary>
    internal static (byte[] Bytes, ulong Sum) Summed(ReadOnlySpan<byte> json, ulong before)
    {
        var sum = XxHash3.HashToUInt64(json, unchecked((long)before));
        return ([.. System.Text.Encoding.ASCII.GetBytes(sum.ToString("x16", CultureInfo.InvariantCulture)), (byte)' ', .. json, (byte)'\n'],
            sum);
    }

    /// <summary>Reads a journal's bytes.</summary>
    internal static OperationRecord? Parse(string path, string shown, Stream bytes)
    {
        OperationHeader? header = null;
        var changes = new List<Change>();
        var lines = new JournalLines(bytes);
        var (length, sum, lastLine, number) = (0L, 0UL, 0, 1);
        for (; lines.Next(); number++)
        {
            var first = changes.Count;
            if (!TryRead(lines.Line, shown, sum, ref header, changes, out var next))
            {
                if (lines.IsLast && lines.Line.Contains((byte)0))
                    break; // Blocks that a loss of power has left unwritten: this line was never flushed, so nothing of it was begun.
                throw Damaged(shown, number);
            }

            (length, sum, lastLine) = (lines.Read, next, first);
        }

        if (lines.IsTooLong)
            throw Damaged(shown, number);
        if (header is null)
            return null;
        if (header.Format != OperationHeader.CurrentFormat || !OperationHeader.IsId(header.Operation)
            || header.Operation != System.IO.Path.GetFileName(path))
            throw new JournalFault(
                ExitCode.BadInput, "This journal is not one of this version of mukta.", shown, "Use the version that made it.");
        return new OperationRecord(path, header, changes)
        {
            Length = length,
            Sum = sum,
            LastLine = lastLine,
            HasTornEnd = length < bytes.Length,
        };
    }

    private static bool TryRead(
        ReadOnlySpan<byte> line, string shown, ulong before, ref OperationHeader? header, List<Change> changes, out ulong sum)
    {
        sum = 0;
        if (line.Length <= SumLength || line[SumLength] != (byte)' '
            || XxHash3.HashToUInt64(line[(SumLength + 1)..], unchecked((long)before)) is var right
            && (!ulong.TryParse(line[..SumLength], NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out sum) || sum != right))
            return false;
        try
        {
            if (header is null)
            {
                header = JsonSerializer.Deserialize(line[(SumLength + 1)..], HeaderJson.Default.OperationHeader);
                return header is { Operation: not null, Command: not null };
            }

            foreach (var change in JsonSerializer.Deserialize(line[(SumLength + 1)..], ChangeJson.Default.ChangeArray) ?? [])
            {
                if (change is not { IsSound: true })
                    return false;
                changes.Add(change with { Number = changes.Count });
            }

            return true;
        }
        catch (LeadsOut e)
        {
            throw new JournalFault(
                ExitCode.NotTrusted,
                $"The journal of an operation names a path outside of its folder ({PathBytes.Shown(e.Message)}), so nothing was done by "
                + $"it.", shown,
                "Remove it if you do not know who made it; the kept files are beside it.");
        }
        catch (Exception e) when (e is JsonException or NotSupportedException or InvalidOperationException)
        {
            return false;
        }
    }

    private static JournalFault Damaged(string shown, int line) => new(
        ExitCode.Blocked, string.Create(
        CultureInfo.InvariantCulture, $"Line {line} of an operation's journal is damaged, so nothing of the operation was touched."), shown,
        "Check the disk. What the operation keeps is in the folder beside the journal, and can be copied from there by hand.");
}
