using System.Text.Json.Serialization;

namespace Mukta.Operations;

[JsonDerivedType(typeof(StepDone), "step-done")]
[JsonDerivedType(typeof(Noted), "noted")]
[JsonDerivedType(typeof(AreaUsed), "area-used")]
[JsonDerivedType(typeof(WaitsForRestart), "waits-for-restart")]
[JsonDerivedType(typeof(NotDone), "not-done")]
[JsonDerivedType(typeof(Settled), "settled")]
[JsonDerivedType(typeof(LeftBehind), "left-behind")]
[JsonDerivedType(typeof(Ended), "ended")]
[JsonDerivedType(typeof(Undone), "undone")]
public abstract partial record Change;

/// <summary>A step of an operation of several steps is done.</summary>
/// <param name="Step">The step.</param>
/// <param name="Bytes">How many bytes were downloaded for it; null if it downloads none.</param>
public sealed record StepDone([property: JsonConverter(typeof(OddText))] string Step, long? Bytes = null) : Change;

/// <summary>Something that the same command has to know when it goes on.</summary>
/// <param name="Key">What it is about.</param>
/// <param name="Text">What is known.</param>
/// <param name="Of">What it belongs to; null for the whole operation.</param>
public sealed record Noted(
    string Key, [property: JsonConverter(typeof(OddText))] string Text, [property: JsonConverter(typeof(OddText))] string? Of = null)
    : Change;

/// <summary>The operation keeps something in another place too: its own journal is there.</summary>
/// <param name="Place">The folder that holds <c>.mukta</c>, relative to the machine's root.</param>
public sealed record AreaUsed([property: JsonConverter(typeof(PathText))] string Place) : Change;

/// <summary>The operation goes on once a start of the machine is over.</summary>
/// <param name="Boot">The number of that start (random(4), boot_id).</param>
public sealed record WaitsForRestart(string Boot) : Change;

/// <summary>A change that was written down was not made: it failed, or the run was interrupted before it.</summary>
/// <param name="Of">The change's number.</param>
/// <param name="Reason">Why.</param>
public sealed record NotDone(int Of, string Reason) : Change;

/// <summary>After an interruption: what was written down before is done, or written down as not done.</summary>
public sealed record Settled : Change;

/// <summary>In the journal of an undo: something could not be put back. The same undo tries it again.</summary>
/// <param name="Of">The change's number in the other journal.</param>
/// <param name="Reason">Why.</param>
public sealed record LeftBehind(int Of, string Reason) : Change;

/// <summary>The operation came to its end: the same command does not go on with it.</summary>
public sealed record Ended : Change;

/// <summary>The operation was undone.</summary>
/// <param name="By">The undo's id.</param>
public sealed record Undone(string By) : Change;
