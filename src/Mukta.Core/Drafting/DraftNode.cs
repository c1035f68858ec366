namespace Mukta.Drafting;

/// <summary>How far a line of a draft can be trusted.</summary>
public enum DraftTrust
{
    /// <summary>It was seen on this machine.</summary>
    Seen,

    /// <summary>It follows from what was seen, as it usually does.</summary>
    Likely,

    /// <summary>It is a guess that somebody has to look at.</summary>
    Check,
}

/// <summary>How a line of a draft is known.</summary>
/// <param name="Trust">How far it can be trusted.</param>
/// <param name="Why">What was seen, in words.</param>
public sealed record DraftNote(DraftTrust Trust, string Why)
{
    /// <summary>The note as the draft writes it behind the line.</summary>
    public override string ToString() =>
        $"{Trust switch { DraftTrust.Seen => "seen", DraftTrust.Likely => "likely", _ => "please check" }}: {Why}";
}

/// <summary>A value of a draft: a text, a list or a map.</summary>
public abstract record DraftNode;

/// <summary>A text with its note.</summary>
/// <param name="Text">The text.</param>
/// <param name="Note">How it is known; null if the line above says it.</param>
public sealed record DraftText(string Text, DraftNote? Note) : DraftNode
{
    /// <summary>A text that says how it is known.</summary>
    public static DraftText Of(string text, DraftTrust trust, string why) => new(text, new DraftNote(trust, why));
}

/// <summary>A list.</summary>
/// <param name="Items">Its values.</param>
public sealed record DraftList(IReadOnlyList<DraftNode> Items) : DraftNode;

/// <summary>A map that keeps the order of its keys, and leaves out what is empty.</summary>
public sealed record DraftMap : DraftNode
{
    private readonly List<KeyValuePair<string, DraftNode>> pairs = [];

    /// <summary>Its keys and values.</summary>
    public IReadOnlyList<KeyValuePair<string, DraftNode>> Pairs => pairs;

    /// <summary>Adds a value, if there is something in it.</summary>
    public void Add(string key, DraftNode? value)
    {
        if (value is not (null or DraftList { Items.Count: 0 } or DraftMap { Pairs.Count: 0 }))
            pairs.Add(new(key, value));
    }

    /// <summary>Adds a text.</summary>
    public void Add(string key, string text, DraftTrust trust, string why) => Add(key, DraftText.Of(text, trust, why));
}
