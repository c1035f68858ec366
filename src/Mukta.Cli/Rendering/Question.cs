using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Asks before something is changed.</summary>
internal static class Question
{
    /// <summary>True if the user types a word just so. Without a terminal nobody can be asked, and that is an error of usage.</summary>
    public static async Task<bool> IsTypedAsync(Session session, string question, string word, string options, CancellationToken cancel)
    {
        if (!CanAsk(session))
        {
            throw new MuktaException(
                ExitCode.BadInput, "This removes user data, but there is no terminal to ask on.", word,
                $"Nothing was changed. See the plan with --dry-run, then confirm with: {options}");
        }

        return await new TextPrompt<string>(Markup.Escape(question)) { AllowEmpty = true }.ShowAsync(
            session.Error, cancel).ConfigureAwait(false) == word;
    }

    /// <summary>True for a yes. Without a terminal nobody can be asked, and that is an error of usage.</summary>
    public static async Task<bool> IsAnsweredYesAsync(Session session, string question, CancellationToken cancel)
    {
        if (!CanAsk(session))
        {
            throw new MuktaException(
                ExitCode.BadInput, "This needs confirmation, but there is no terminal to ask on.",
                Shell.Typed(Environment.GetCommandLineArgs().Skip(1)),
                "Nothing was changed. Add --yes to do it without asking, or --dry-run to see the plan only.");
        }

        try
        {
            return await new ConfirmationPrompt(question) { DefaultValue = false }.ShowAsync(session.Error, cancel).ConfigureAwait(false);
        }
        catch (OperationCanceledException)
        {
            session.Error.WriteLine();
            throw;
        }
    }

    /// <summary>True if there is somebody at a terminal.</summary>
    public static bool CanAsk(Session session) => !Console.IsInputRedirected && !Console.IsErrorRedirected && !session.IsJson;
}
