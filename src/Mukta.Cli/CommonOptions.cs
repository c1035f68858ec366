using System.CommandLine;

namespace Mukta.Cli;

/// <summary>The options that every command takes.</summary>
internal static class CommonOptions
{
    public static Option<bool> Json { get; } = new("--json") { Description = "Print one JSON document on standard output.", Recursive = true };

    public static Option<bool> Quiet { get; } = new("--quiet") { Description = "Print only the verdict; no lists, no progress.", Recursive = true };

    public static Option<bool> Verbose { get; } = new("--verbose") { Description = "Tell on standard error what is being done, and details of errors.", Recursive = true };

    public static IReadOnlyList<Option> All { get; } = [Json, Quiet, Verbose];

    /// <summary>For commands that change something.</summary>
    public static Option<bool> DryRun() => new("--dry-run") { Description = "Print the plan and change nothing." };

    /// <summary>For commands that change something.</summary>
    public static Option<bool> Yes() => new("--yes") { Description = "Do not ask; do what the plan says." };

    public static Argument<string> Install() => new("DIR") { Description = "The folder of the install." };

    public static Option<string> Manifest() => new("--manifest") { Description = "The release's manifest, a Metalink 4 file.", HelpName = "FILE", Required = true };
}
