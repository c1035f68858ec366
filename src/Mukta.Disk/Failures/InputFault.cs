namespace Mukta;

/// <summary>A document (a manifest, a profile) that cannot be used, with the place in it.</summary>
/// <param name="what">What is wrong, as a sentence.</param>
/// <param name="source">The document's file name.</param>
/// <param name="line">Line, from 1.</param>
/// <param name="column">Column, from 1.</param>
/// <param name="next">What to do next, as a sentence.</param>
/// <param name="inner">The failure underneath.</param>
public class InputFault(string what, string source, int line, int column, string next, Exception? inner = null)
    : MuktaException(ExitCode.BadInput, what, $"{source}, line {line}, column {column}", next, inner)
{
    /// <summary>Line, from 1.</summary>
    public int Line { get; } = line;

    /// <summary>Column, from 1.</summary>
    public int Column { get; } = column;
}
