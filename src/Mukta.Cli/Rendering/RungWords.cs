using Mukta.Host.Packages;
using Mukta.Products;

namespace Mukta.Cli.Rendering;

/// <summary>The commands that a rung stands for.</summary>
internal static class RungWords
{
    /// <summary>What stands where a move needs to be told its folder.</summary>
    private const string AnyFolder = "DIR";

    /// <summary>What to type; null for what only a person can do.</summary>
    /// <param name="rung">The rung.</param>
    /// <param name="product">The product of the case.</param>
    public static string? Command(Rung rung, Product product)
    {
        if (rung.Act == RungAct.SystemPackage)
            return PackageManagers.Of(product.Machine)?.Reinstall(rung.Part!);
        var commands = Commands(rung, product, AnyFolder);
        var sudo = rung.Act is RungAct.RestoreServices or RungAct.RestartServices ? Shell.Sudo : "";
        return commands.Count == 0 ? null : string.Join(" && ", commands.Select(c => sudo + Shell.Typed(c)));
    }

    /// <summary>The words of each command of mukta, one after another; none for what mukta does not do itself.</summary>
    /// <param name="rung">The rung.</param>
    /// <param name="product">The product of the case.</param>
    /// <param name="destination">Where a move goes.</param>
    public static IReadOnlyList<IReadOnlyList<string>> Commands(Rung rung, Product product, string destination)
    {
        var isOwn = rung.Product is null || rung.Product == product.Profile.Product;
        string[] any = [rung.Product ?? product.Profile.Product, .. product.WordsForOthers];
        string[] one = isOwn ? [product.Profile.Product, .. product.OptionWords] : any;
        string[] Part(string option) => rung.Part is { } part ? [option, part] : [];
        return rung.Act switch
        {
            RungAct.Stop => [["stop", .. one]],
            RungAct.StopConflicts => [["stop", .. one, "--conflicts"]],
            RungAct.ClearCaches => [["caches", "clear", one[0], .. rung.Part is { } cache ? new[] { cache } : [], .. one[1..]]],
            RungAct.SweepDownloads => [["caches", "clear", one[0], "temporary", .. one[1..]]],
            RungAct.RestoreServices => [["services", "restore", .. any]],
            RungAct.RestartServices => [["services", "restart", .. any]],
            RungAct.RestoreShortcuts => [["shortcuts", "restore", .. one]],
            RungAct.SweepReleases => [["installs", "sweep", .. any]],
            RungAct.Repair => [["repair", .. one, .. Part("--renew")]],
            RungAct.Setup => [["setup", rung.Part!, .. one]],
            RungAct.Reset => [["reset", .. one]],
            RungAct.Move => [["move", one[0], destination, .. one[1..]]],
            RungAct.Reinstall => [["reinstall", .. one]],
            RungAct.RemoveAndInstall => [["remove", .. one], ["repair", .. one]],
            _ => [],
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
