using System.CommandLine;
using Mukta.Host;
using Mukta.Host.Checks;
using Mukta.Host.Processes;
using Mukta.Host.Services;
using Mukta.Manifests;
using Mukta.Products;
using Mukta.Remedies;
using Mukta.State;

namespace Mukta.Cli;

/// <summary>A product on a machine.</summary>
/// <param name="Loaded">Its profile.</param>
/// <param name="Catalog">All profiles that are available.</param>
/// <param name="Machine">The machine.</param>
/// <param name="OptionWords">What the user added to its id, for the next command to type.</param>
internal sealed record Product(LoadedProfile Loaded, ProfileCatalog Catalog, Machine Machine, IReadOnlyList<string> OptionWords)
{
    /// <summary>The same without the choice of an install, for another product.</summary>
    public required IReadOnlyList<string> WordsForOthers { get; init; }

    /// <summary>What the user added to its id, as it is typed behind it.</summary>
    public string Options => Typed(OptionWords);

    /// <summary>The same without the choice of an install, for another product.</summary>
    public string OptionsForOthers => Typed(WordsForOthers);

    public Profile Profile => Loaded.Profile;

    /// <summary>How the user named it, for the next command to type.</summary>
    public string Arguments => Profile.Product + Options;

    private static string Typed(IReadOnlyList<string> words) => string.Concat(words.Select(w => $" {Shell.Quoted(w)}"));

    /// <summary>What remedies work with.</summary>
    public static OperationTools ToolsOf(Machine machine, Session session, ParseResult parsed) =>
        new(ControlOf(machine), TimeProvider.System)
        {
            Begun = (header, place) => OperationIndex.TryPut(machine, header, place),
            Doing = session.Say,
            Typed = Shell.Typed(parsed),
            OptionsForUndo = machine.IsLive ? "" : $" --root {Shell.Quoted(machine.Root)}",
            Log = session.Log(),
        };

    /// <summary>The service control of a machine.</summary>
    public static IServiceControl ControlOf(Machine machine) =>
        machine.IsLive ? Systemctl.Of(Environment.GetEnvironmentVariable, TimeProvider.System) : new UnitLinks(machine.Root);

    /// <summary>What a checkup of it needs.</summary>
    /// <param name="isAlone">True if a needed product without a profile is not told.</param>
    public CheckSurroundings Around(bool isAlone) => new(
        Machine, ControlOf(Machine), Environment.GetEnvironmentVariable, UserSettings.Http, TimeProvider.System,
        id => InstallRecords.PathsOf(Machine, id))
    {
        HasProfile = id => isAlone || Catalog.Has(id),
    };

    /// <summary>What a remedy acts on.</summary>
    /// <param name="installs">The installs that are meant.</param>
    /// <param name="manifest">The manifest that the user names; null for the profile's own.</param>
    public RemedyTarget Target(IReadOnlyList<string> installs, LazyManifest? manifest = null) =>
        new(Machine, Catalog, Loaded, [.. installs.Select(Disk.Folder.RealPathOf)])
        {
            NamedManifest = manifest,
            Guard = new RunningGuard(Machine, Profile.Processes, $"Stop it with: mukta stop {Arguments}"),
        };

    /// <summary>Knows who uses a product that is worked on together with this one.</summary>
    public RunningGuard GuardOf(LoadedProfile other) =>
        new(Machine, other.Profile.Processes, $"Stop it with: mukta stop {other.Profile.Product}{OptionsForOthers}, or add --stop");
}
