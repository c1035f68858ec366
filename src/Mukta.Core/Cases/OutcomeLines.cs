using System.Globalization;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;
using Mukta.Disk;
using Mukta.Products;

namespace Mukta.Cases;

/// <summary>
/// Outcomes as JSON Lines, one a line, for other desks: what was tried for which code and what came of it. Who called, and on which
/// machine, is not in them; of the time only the day.
/// </summary>
[OutsideReader]
public static partial class OutcomeLines
{
    /// <summary>The format of a line.</summary>
    public const string Format = "mukta.outcome/1";

    private const string Day = "yyyy-MM-dd";
    private const long Longest = 64 << 20;
    private const int LongestLine = 4096, LongestName = 200;
    private const double MostMinutes = 1_000_000;

    /// <summary>The lines.</summary>
    public static IEnumerable<string> Of(IEnumerable<RungOutcome> outcomes) => outcomes.Select(Line);

    /// <summary>Reads a file of them, all or none.</summary>
    /// <exception cref="MuktaException">It cannot be read, or a line is not an outcome.</exception>
    public static IReadOnlyList<RungOutcome> ReadFile(string path)
    {
        using var file = InputFile.Open(path, Longest);
        using var reader = new StreamReader(file, new UTF8Encoding(false));
        var outcomes = new List<RungOutcome>();
        for (var number = 1; Next(reader) is { } line; number++)
        {
            if (line.Length > LongestLine)
                throw Fault(path, number, $"The line is longer than {Units.Number(LongestLine)} characters.");
            if (line.Length > 0)
                outcomes.Add(Read(path, number, line));
        }

        return outcomes;
    }

    /// <summary>The next line, or as much of it as tells that it is too long; null at the end.</summary>
    private static string? Next(StreamReader reader)
    {
        var line = new StringBuilder();
        while (line.Length <= LongestLine)
        {
            var next = reader.Read();
            if (next < 0)
                return line.Length > 0 ? line.ToString() : null;
            if (next == '\n')
                break;
            line.Append((char)next);
        }

        return line.ToString().TrimEnd('\r');
    }

    private static string Line(RungOutcome outcome)
    {
        using var stream = new MemoryStream();
        using (var writer = new Utf8JsonWriter(stream))
        {
            writer.WriteStartObject();
            writer.WriteString("format", Format);
            writer.WriteString("id", outcome.Id);
            writer.WriteString("day", outcome.At.UtcDateTime.ToString(Day, CultureInfo.InvariantCulture));
            writer.WriteString("product", outcome.Product);
            writer.WriteString("code", outcome.Code);
            writer.WriteString("rung", outcome.Rung);
            writer.WriteString("act", LadderReader.NameOf(outcome.Act));
            writer.WriteString("result", CaseBook.NameOf(outcome.Result));
            if (outcome.Minutes is { } minutes)
                writer.WriteNumber("minutes", Math.Round(minutes, 1));
            writer.WriteEndObject();
        }

        return Encoding.UTF8.GetString(stream.ToArray());
    }

    private static RungOutcome Read(string path, int number, string line)
    {
        try
        {
            using var document = JsonDocument.Parse(line, new JsonDocumentOptions { MaxDepth = 4 });
            var fields = document.RootElement;
            if (Text(fields, "format") is var format && format != Format)
                throw Fault(path, number, $"The format is {PathBytes.Shown(format)}, not {Format}.");
            var result = CaseBook.ResultNamed(Text(fields, "result"));
            if (result is null or TriedResult.NotNeeded)
                throw Fault(path, number, "The result is not fixed, not-fixed or worse.");
            return new RungOutcome(
                DateTimeOffset.ParseExact(Text(fields, "day"), Day, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal),
                Name(fields, "product"), Text(fields, "code").Length == 0 ? "" : Name(fields, "code"), Name(fields, "rung"),
                LadderReader.ActOf(Text(fields, "act")) ?? throw Fault(path, number, "The act is none that a rung can do."), result.Value)
            {
                Id = Text(fields, "id") is var id && IdPattern().IsMatch(id) ? id
                    : throw Fault(path, number, "The id is not 32 hexadecimal digits."),
                Minutes = !fields.TryGetProperty("minutes", out var minutes) ? null
                    : minutes.GetDouble() is var took and >= 0 and <= MostMinutes ? took
                    : throw Fault(path, number, $"The minutes are not 0 to {Units.Number((long)MostMinutes)}."),
            };
        }
        catch (JsonException)
        {
            throw Fault(path, number, "The line is not JSON.");
        }
        catch (Exception e) when (e is FormatException or InvalidOperationException or KeyNotFoundException)
        {
            throw Fault(path, number, $"The line is no outcome: {PathBytes.Shown(e.Message.TrimEnd('.'))}.");
        }
    }

    private static string Text(JsonElement fields, string name) =>
        fields.GetProperty(name).GetString() ?? throw new FormatException($"{name} is null");

    /// <summary>A name as profiles have it: it is printed, and compared.</summary>
    private static string Name(JsonElement fields, string name) =>
        Text(fields, name) is { Length: > 0 and <= LongestName } text && text.All(c => c > ' ' && !char.IsControl(c)) ? text
        : throw new FormatException($"{name} is not one word");

    private static MuktaException Fault(string path, int number, string what) => new(
        ExitCode.BadInput, what, $"{PathBytes.Shown(path)}, line {number}", "Export it again with: mukta outcomes --export FILE");

    [GeneratedRegex("^[0-9a-f]{32}$")]
    private static partial Regex IdPattern();
}
