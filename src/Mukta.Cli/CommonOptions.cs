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

    public static Option<bool> Quiet { get; } = new("--quiet")
    {
        Description = "Print only the verdict; no lists, no progress.",
        Recursive = true,
    };

    public static Option<bool> Verbose { get; } = new("--verbose")
    {
        Description = "Tell on standard error what is being done, and details of errors.",
        Recursive = true,
    };

    public static IReadOnlyList<Option> All { get; } = [Json, Quiet, Verbose];

    /// <summary>For commands that change something.</summary>
    public static Option<bool> DryRun() => new("--dry-run") { Description = "Print the plan and change nothing." };

    /// <summary>For commands that change something.</summary>
    public static Option<bool> Yes() => new("--yes") { Description = "Do not ask; do what the plan says." };

    /// <summary>Another machine's disk.</summary>
    public static Option<string?> Root() => new("--root")
    {
        Description = "The machine is the one whose disk is mounted at this folder.",
        HelpName = "DIR",
    };

    /// <summary>A number of seconds up to ten minutes, 15 unless said.</summary>
    public static Option<int> Seconds(string name, string description, int least)
    {
        const int Most = 600;
        return new Option<int>(name)
        {
            Description = $"{description}, {least} to {Most}.",
            HelpName = "SECONDS",
            DefaultValueFactory = _ => 15,
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

    /// <summary>Where profiles are looked for first.</summary>
    public static Option<string?> Profiles() => new("--profiles")
    {
        Description = "A folder with profiles, looked at before the user's and the system's.",
        HelpName = "DIR",
    };
}
