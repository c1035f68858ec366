using Mukta.Cases;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Host.Checks;
using Mukta.Products;
using Mukta.State;
using Mukta.Verification;
using Mukta.Verification.Quick;

namespace Mukta.Cli;

/// <summary>Looks at a product for a case.</summary>
internal static class CaseLook
{
    /// <summary>The folder of a case's install; null if it has none, or none any more.</summary>
    public static string? InstallOf(Product product, CaseRecord one) =>
        one.Install is { } install && product.Machine.At(install) is var path && Directory.Exists(path) ? path
        : ProductChoice.FirstInstall(product);

    /// <summary>What a check finds of some kinds, for the product that a rung is about.</summary>
    public static async Task<IReadOnlyList<CheckFinding>> FindingsAsync(
        Product product, CaseRecord one, Rung rung, IReadOnlyList<FindingKind> kinds, CancellationToken cancel)
    {
        var needsNetwork = kinds.Any(k => FindingAreas.Of(k) is Area.Network or Area.Outages);
        var checks = await new Checkup(product.Around(isAlone: false), isOffline: !needsNetwork)
            .OfAsync(product.Catalog.WithNeeds(product.Loaded), InstallOf(product, one), cancel).ConfigureAwait(false);
        var about = rung.Product ?? product.Profile.Product;
        return [.. checks.Where(c => c.Loaded.Profile.Product == about).SelectMany(c => c.Areas).SelectMany(a => a.Findings)
            .Where(f => kinds.Contains(f.Kind))];
    }

    /// <summary>What a check of everything and a quick verification of the product's files show.</summary>
    public static async Task<Func<string, SeenState>> SeenAsync(
        Session session, Product product, string? install, bool isOffline, CancellationToken cancel)
    {
        var checks = await new Checkup(product.Around(isAlone: false), isOffline)
            .OfAsync(product.Catalog.WithNeeds(product.Loaded), install, cancel).ConfigureAwait(false);
        var files = install is null ? FilesState.Unknown : await FilesAsync(session, product, install, cancel).ConfigureAwait(false);
        return id =>
        {
            var check = checks.FirstOrDefault(c => c.Loaded.Profile.Product == id);
            var areMissing = check?.Areas.SelectMany(a => a.Findings).Any(
                f => f.Kind is FindingKind.FilesMissing or FindingKind.InstallNotFound) == true;
            return new SeenState(check, areMissing ? FilesState.Damaged : id == product.Profile.Product ? files : FilesState.Unknown);
        };
    }

    private static async Task<FilesState> FilesAsync(Session session, Product product, string install, CancellationToken cancel)
    {
        try
        {
            using var folder = Folder.Open(install);
            var meter = new WorkMeter();
            var verifier = new QuickVerifier(TimeProvider.System, new VerifiedRecords(product.Machine));
            var result = await Progressing.ShowAsync(session, meter, () => Task.FromResult(
                verifier.Quick(product.Loaded.ManifestFile, folder, new VerifyOptions { Meter = meter }, cancel))).ConfigureAwait(false);
            return result.IsIntact ? FilesState.Intact : FilesState.Damaged;
        }
        catch (MuktaException e)
        {
            session.Say($"the files were not compared: {e.What.TrimEnd('.')}");
            return FilesState.Unknown;
        }
    }
}
