namespace Mukta.Manifests;

/// <summary>A manifest that cannot be used, with the place in it.</summary>
/// <param name="what">What is wrong, as a sentence.</param>
/// <param name="source">The manifest's file name.</param>
/// <param name="line">Line, from 1.</param>
/// <param name="column">Column, from 1.</param>
/// <param name="inner">The failure underneath.</param>
public sealed class ManifestFault(string what, string source, int line, int column, Exception? inner = null)
    : InputFault(
    what, source, line, column,
    "Nothing was touched. Get the manifest again from its publisher; if it stays like this, tell them the line.", inner);
