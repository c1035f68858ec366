namespace Mukta;

/// <summary>A failure that is expected to happen in the field, told in three parts.</summary>
/// <param name="code">What the program answers to the shell.</param>
/// <param name="what">What happened, as a sentence.</param>
/// <param name="where">To which object: a path, a URL, a line and column.</param>
/// <param name="next">What to do next, as a sentence.</param>
/// <param name="inner">The failure underneath, shown only with <c>--verbose</c>.</param>
public class MuktaException(ExitCode code, string what, string where, string next, Exception? inner = null)
    : Exception($"{what} {where}", inner)
{
    /// <summary>What the program answers to the shell.</summary>
    public ExitCode Code { get; } = code;

    /// <summary>What happened.</summary>
    public string What { get; } = what;

    /// <summary>To which object it happened.</summary>
    public string Where { get; } = where;

    /// <summary>What to do next.</summary>
    public string Next { get; } = next;
}
