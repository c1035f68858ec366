using Mukta.Host;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Reinstall;
using Mukta.Remedies;
using Mukta.State;
using Spectre.Console;

namespace Mukta.Cli;

/// <summary>A product on a machine.</summary>
/// <param name="Loaded">Its profile.</param>
/// <param name="Catalog">All profiles at hand.</param>
/// <param name="Machine">The machine.</param>
/// <param name="Options">What the user added to its id, for the next command to type.</param>
internal sealed record Product(LoadedProfile Loaded, ProfileCatalog Catalog, Machine Machine, string Options)
{
    /// <summary>The same without the choice of an install, for another product.</summary>
    public required string OptionsForOthers { get; init; }

    public Products.Profile Profile => Loaded.Profile;

    /// <summary>The profile's own manifest.</summary>
    /// <exception cref="MuktaException">It names none, or none that can be read here.</exception>
    public string ManifestFile
    {
        get
        {
            if (Loaded.ManifestLocation is not { } location)
                throw new MuktaException(ExitCode.BadInput, "The profile names no manifest.", Loaded.File, "Name one with --manifest.");
            return Loaded.ManifestUrl is not null
                ? throw new MuktaException(ExitCode.BadInput, "The profile's manifest is on the network, and this version reads manifests from files only.", location, "Download it, then name the file with --manifest.")
                : location;
        }
    }

    /// <summary>What a remedy acts on.</summary>
    public RemedyTarget Target(IReadOnlyList<string> installs) => new(Machine, Catalog, Loaded, [.. installs.Select(Disk.Folder.RealPathOf)])
    {
        Manifest = Loaded.TryReadManifest().Manifest,
        OtherInstalls = new ReinstallChoice(Machine, Catalog).OfOthers(Loaded),
        Arguments = Arguments,
    };

    /// <summary>What an undo has to be told to look at the same machine.</summary>
    public string OptionsForUndo => Machine.IsLive ? "" : $" --root {Shell.Quoted(Machine.Root)}";

    /// <summary>Remembers an operation in the state database.</summary>
    public void Remember(OperationHeader header, string place) => OperationIndex.TryPut(Machine, header, place);

    /// <summary>How the user named it, for the next command to type.</summary>
    public string Arguments => Profile.Product + Options;
}
