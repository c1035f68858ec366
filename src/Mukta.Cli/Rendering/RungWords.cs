using Mukta.Host.Packages;
using Mukta.Products;

namespace Mukta.Cli.Rendering;

/// <summary>The command that a rung stands for.</summary>
internal static class RungWords
{
    /// <summary>The command to type; null for what only a person can do.</summary>
    /// <param name="rung">The rung.</param>
    /// <param name="product">The product of the case.</param>
    public static string? Command(Rung rung, Product product)
    {
        var about = rung.Product is null || rung.Product == product.Profile.Product ? product.Arguments
            : rung.Product + product.OptionsForOthers;
        return rung.Act switch
        {
            RungAct.Stop => $"mukta stop {about}",
            RungAct.StopConflicts => $"mukta stop {about} --conflicts",
            RungAct.ClearCaches => $"mukta caches clear {about}{(rung.Part is { } cache ? " " + Shell.Quoted(cache) : "")}",
            RungAct.SweepDownloads => $"mukta caches clear {about} temporary",
            RungAct.RestoreServices => $"{Shell.Sudo}mukta services restore {about}",
            RungAct.RestartServices => $"{Shell.Sudo}mukta services restart {about}",
            RungAct.RestoreShortcuts => $"mukta shortcuts restore {about}",
            RungAct.SweepReleases => $"mukta installs sweep {about}",
            RungAct.Repair => $"mukta repair {about}{(rung.Part is { } part ? $" --renew {Shell.Quoted(part)}" : "")}",
            RungAct.Setup => $"mukta setup {rung.Part} {about}",
            RungAct.Reset => $"mukta reset {about}",
            RungAct.Move => $"mukta move {about} DIR",
            RungAct.Reinstall => $"mukta reinstall {about}",
            RungAct.RemoveAndInstall => $"mukta remove {about} && mukta repair {about}",
            RungAct.SystemPackage => PackageManagers.Of(product.Machine)?.Reinstall(rung.Part!),
            _ => null,
        };
    }

    /// <summary>What it may take from the user.</summary>
    public static string Loss(Rung rung) => rung.Loses switch
    {
        RungLoss.Settings => "may lose settings",
        RungLoss.UserData => "may lose user data",
        _ => "loses nothing",
    };
}
