using System.Text.Json;
using Mukta.Cli.Help;

namespace Mukta.Cli;

/// <summary>What a command of mukta did that another one has run.</summary>
/// <param name="Command">What one would have typed.</param>
/// <param name="Code">Its exit code.</param>
/// <param name="Document">What it has printed with --json; null without.</param>
internal sealed record InnerRun(string Command, int Code, JsonElement? Document);

/// <summary>Runs a command of mukta inside of another one, as if it had been typed: with its plan, its question and its words.</summary>
/// <param name="session">The session of the outer command.</param>
internal sealed class InnerCommand(Session session)
{
    /// <summary>Runs it to its end.</summary>
    /// <param name="words">Its words.</param>
    /// <param name="cancel">Interrupts it.</param>
    /// <exception cref="MuktaException">It has failed.</exception>
    public async Task<InnerRun> RunAsync(IReadOnlyList<string> words, CancellationToken cancel)
    {
        var (output, kept) = (Console.Out, session.IsJson || session.IsQuiet ? new StringWriter() : null);
        string[] common =
            [.. session.IsJson ? ["--json"] : Array.Empty<string>(), .. session.IsQuiet ? ["--quiet"] : Array.Empty<string>(),
            .. session.IsVerbose ? ["--verbose"] : Array.Empty<string>()];
        try
        {
            if (kept is not null)
                Console.SetOut(kept);
            var parsed = CommandTree.Build().Parse([.. words, .. common], App.Parsing);
            var code = await parsed.InvokeAsync(App.Running, cancel).ConfigureAwait(false);
            return new InnerRun(Shell.Typed(words), code, session.IsJson ? Read(kept!.ToString()) : null);
        }
        finally
        {
            Console.SetOut(output);
        }
    }

    private static JsonElement Read(string text)
    {
        using var document = JsonDocument.Parse(text);
        return document.RootElement.Clone();
    }
}
