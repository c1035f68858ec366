using System.CommandLine;

namespace Mukta.Cli.Help;

/// <summary>What help and man pages say of commands, in one place.</summary>
internal static class CommandTexts
{
    /// <summary>Options that every command has come last.</summary>
    private static readonly string[] Last = ["--profiles", "--root", "--dry-run", "--yes", "--json", "--quiet", "--verbose", "--help"];

    /// <summary>What the program answers.</summary>
    public static IReadOnlyList<(string Code, string Meaning)> ExitCodes { get; } =
    [
        ("0", "healthy, or done"), ("1", "problems found or remaining"), ("2", "bad usage or input"), ("3", "blocked"),
        ("4", "no source available"), ("5", "not trusted"), ("70", "internal error"), ("130", "interrupted"),
    ];

    /// <summary>The environment variables that count.</summary>
    public static IReadOnlyList<(string Name, string Meaning)> Environment { get; } =
    [
        (Session.ProfilesVariable, "a folder of profiles, as --profiles"),
        ("XDG_STATE_HOME, XDG_CONFIG_HOME", "where mukta keeps its state and profiles"),
        ("NO_COLOR", "no colour, if set"),
    ];

    /// <summary>The files and folders that are read or kept.</summary>
    public static IReadOnlyList<(string Path, string Meaning)> Files { get; } =
    [
        ("~/.config/mukta/settings.yaml", "settings: mirrors, proxy, limits and more"),
        ("~/.config/mukta/profiles, /etc/xdg/mukta/profiles", "profiles"),
        ("~/.local/state/mukta", "state, log, and what operations outside of installs keep"),
        ("INSTALL/.mukta/kept", "what operations in an install keep, until mukta operations purge"),
    ];

    /// <summary>The program's own examples.</summary>
    public const string Examples = """
          mukta demo
          mukta verify games/gannet-post --manifest gannet-post.meta4
          mukta repair gannet-post --dry-run
        """;

    /// <summary>The words that lead to a command.</summary>
    public static string Path(Command command) =>
        command.Parents.OfType<Command>().FirstOrDefault() is { } parent ? $"{Path(parent)} {command.Name}" : "mukta";

    /// <summary>What follows the words of a command, such as <c>PRODUCT [NAME...] [options]</c>.</summary>
    public static string Arguments(Command command)
    {
        if (command.Subcommands.Count > 0 && command.Arguments.Count == 0)
            return $"{(command is RootCommand ? "COMMAND" : "WORD")} [options]";
        var arguments = command.Arguments.Select(a => a.Arity.MaximumNumberOfValues > 1 ? $"{a.Name}..." : a.Name)
            .Zip(command.Arguments, (name, a) => a.Arity.MinimumNumberOfValues == 0 ? $"[{name}]" : name);
        return string.Join(' ', [.. arguments, "[options]"]);
    }

    /// <summary>A command's options, its own first.</summary>
    public static IEnumerable<Option> Options(Command command) => command.Options
        .Concat(command.Parents.OfType<Command>().SelectMany(Ancestors).SelectMany(p => p.Options).Where(o => o.Recursive))
        .Where(o => !o.Hidden).DistinctBy(o => o.Name).OrderBy(o => Array.IndexOf(Last, o.Name));

    /// <summary>The first sentence of what a command does, without its full stop.</summary>
    public static string FirstSentence(Command command) => command.Description!.Split(". ")[0].TrimEnd('.');

    /// <summary>An option as it is typed, such as <c>-n, --dry-run</c> or <c>--from URL|DIR</c>.</summary>
    public static string Label(Option option)
    {
        var value = option.HelpName is { } name ? $" {name}" : "";
        var letter = option.Aliases.FirstOrDefault(a => a.Length == 2) is { } alias ? $"{alias}, " : "";
        return $"{letter}{option.Name}{value}";
    }

    private static IEnumerable<Command> Ancestors(Command command) =>
        command.Parents.OfType<Command>().SelectMany(Ancestors).Prepend(command);
}
