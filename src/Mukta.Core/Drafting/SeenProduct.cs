using Mukta.Disk;
using Mukta.Host;
using Mukta.Host.Services;

namespace Mukta.Drafting;

/// <summary>Everything that was seen of a product.</summary>
internal sealed record SeenProduct(DraftRequest Request, DraftPlaces Places, InstallContents Contents)
{
    private const int MostTexts = 200;
    private const int DeepestText = 4;

    public required WatchedFiles Watched { get; init; }

    public required IReadOnlyList<SeenShortcut> Shortcuts { get; init; }

    /// <summary>The services that start a program of the install.</summary>
    public required IReadOnlyList<UnitProgram> Units { get; init; }

    public required HomeTraces Home { get; init; }

    /// <summary>The program that a shortcut or service starts, or called like the product, or the largest; null for none.</summary>
    public required ProgramFile? Main { get; init; }

    /// <summary>Looks at everything.</summary>
    public static async Task<SeenProduct> LookAsync(
        Folder install, DraftRequest request, IServiceControl services, TimeProvider time, CancellationToken cancel)
    {
        var places = new DraftPlaces(request.Machine, request.Install);
        var contents = InstallContents.Of(install, request.Manifest?.Manifest, cancel);
        var watched = request.Machine.IsLive
            ? await WatchedFiles.WatchAsync(request.Install, request.Watch, time, cancel).ConfigureAwait(false) : WatchedFiles.None;
        var shortcuts = SeenShortcut.Find(request, places);
        var named = request.Machine.NameOf(request.Install);
        var units = await services.StartingFromAsync(named, cancel).ConfigureAwait(false);
        var started = shortcuts.Select(s => s.Program).Concat(units.Select(u => Path.GetRelativePath(named, u.Program)));
        var programs = contents.Programs.Where(p => !p.IsSetup).ToList();
        var main = started.Select(s => programs.Find(p => p.Path == s)).FirstOrDefault(p => p is not null)
            ?? programs.Find(p => HomeTraces.Bare(p.Stem) == HomeTraces.Bare(request.Product)) ?? programs.FirstOrDefault();
        var names = shortcuts.SelectMany(s => new[] { s.File.Get("Name"), Path.GetFileNameWithoutExtension(s.Path) })
            .Append(request.Product).Append(main?.Stem).OfType<string>();
        return new SeenProduct(request, places, contents)
        {
            Watched = watched,
            Shortcuts = shortcuts,
            Units = [.. units.Where(u => ProfileDrafter.IsWord(u.Unit))],
            Home = new HomeTraces(places, names, [.. watched.Files.Where(f => f.Value).Select(f => f.Key)]),
            Main = main,
        };
    }

    /// <summary>The small text files among its settings, which may name other products and addresses.</summary>
    public IReadOnlyList<(string Path, string Text)> Texts() =>
    [
        .. Home.Settings.SelectMany(s => Directory.EnumerateFiles(
            s.Path, "*", new EnumerationOptions { RecurseSubdirectories = true, MaxRecursionDepth = DeepestText }).Take(MostTexts))
            .Order(StringComparer.Ordinal).Select(f => (f, SmallText.Read(f))).Where(t => t.Item2.Length > 0),
    ];
}
