using Mukta.Drafting;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.profile.draft/1</c></summary>
internal sealed record DraftDocument(string Format, string Product, string File, IReadOnlyList<DraftLinePart> Lines)
{
    /// <summary>The lines that say how they are known, in the order in which they appear.</summary>
    public static IReadOnlyList<DraftLinePart> LinesOf(DraftMap draft) => [.. Of("", draft)];

    private static IEnumerable<DraftLinePart> Of(string key, DraftNode node) => node switch
    {
        DraftText { Note: { } note } text => [new DraftLinePart(key, text.Text, JsonNames.OfName(note.Trust.ToString()), note.Why)],
        DraftList list => list.Items.SelectMany((item, i) => Of($"{key}[{i}]", item)),
        DraftMap map => map.Pairs.SelectMany(p => Of(key.Length == 0 ? p.Key : $"{key}.{p.Key}", p.Value)),
        _ => [],
    };
}

/// <summary>A line of a draft.</summary>
internal sealed record DraftLinePart(string Key, string Value, string Trust, string Why);
