using System.CommandLine;
using System.Globalization;

namespace Mukta.Cli;

/// <summary>The options that every command takes.</summary>
internal static class CommonOptions
{
    public static Option<bool> Json { get; } = new("--json")
    {
        Description = "Print one JSON document on standard output.",
        Recursive = true,
    };

    public static Option<bool> Quiet { get; } = new("--quiet", "-q")
    {
        Description = "Print one line, the verdict, and no progress.",
        Recursive = true,
    };

    public static Option<bool> Verbose { get; } = new("--verbose", "-v")
    {
        Description = "Print each step and full error details to standard error.",
        Recursive = true,
    };

    public static IReadOnlyList<Option> All { get; } = [Json, Quiet, Verbose];

    /// <summary>For commands that change something.</summary>
    public static Option<bool> DryRun() => new("--dry-run", "-n") { Description = "Print the plan and change nothing." };

    /// <summary>For commands that change something.</summary>
    public static Option<bool> Yes() => new("--yes", "-y") { Description = "Carry out the plan without asking." };

    /// <summary>Another machine's disk.</summary>
    public static Option<string?> Root() => new("--root")
    {
        Description = "Work on another machine's disk, mounted at DIR.",
        HelpName = "DIR",
    };

    /// <summary>A number of seconds up to ten minutes, 15 unless said.</summary>
    public static Option<int> Seconds(string name, string description, int least, int usual = 15)
    {
        const int Most = 600;
        return new Option<int>(name)
        {
            Description = $"{description}, {least} to {Most}. Default: {usual}.",
            HelpName = "SECONDS",
            DefaultValueFactory = _ => usual,
            CustomParser = result =>
            {
                var text = result.Tokens.Single().Value;
                if (int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
                    && number >= least && number <= Most)
                {
                    return number;
                }

                result.AddError($"{name} takes a whole number from {least} to {Most}, not '{text}'.");
                return 0;
            },
        };
    }

    /// <summary>The name of the option for a folder of profiles.</summary>
    public const string ProfilesName = "--profiles";

    /// <summary>Where profiles are searched for first.</summary>
    public static Option<string?> Profiles() => new(ProfilesName)
    {
        Description = "Search this folder for profiles before yours and the system's.",
        HelpName = "DIR",
    };
}
