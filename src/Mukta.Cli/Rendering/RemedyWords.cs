using Mukta.Host.Checks;

namespace Mukta.Cli.Rendering;

/// <summary>The command that puts a finding right.</summary>
internal static class RemedyWords
{
    /// <summary>The command to type; null if no command of ours does it.</summary>
    /// <param name="finding">The finding.</param>
    /// <param name="product">The product's id with the options that the user gave.</param>
    /// <param name="checkedWords">The same for the product that was asked for.</param>
    public static string? Command(CheckFinding finding, string product, string checkedWords) => finding.Remedy switch
    {
        Remedy.Locate => $"mukta installs {product} --search DIR",
        Remedy.Sweep => $"mukta installs sweep {product}",
        Remedy.Verify => $"mukta verify {product}",
        Remedy.Repair => $"mukta repair {product}",
        Remedy.Stop => $"mukta stop {product}",
        Remedy.LookAsRoot => $"sudo mukta check {checkedWords}",
        Remedy.RestoreServices => $"{Shell.Sudo}mukta services restore {product}",
        Remedy.ClearCache => $"mukta caches clear {product} {Shell.Quoted(finding.Subject)}",
        Remedy.ClearTemporary => $"mukta caches clear {product} temporary",
        Remedy.StopConflicts => $"mukta stop {product} --conflicts",
        Remedy.RestoreShortcuts => $"mukta shortcuts restore {product}",
        _ => null,
    };
}
