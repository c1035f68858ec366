using Mukta.Cases;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Host.Checks;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Repair;
using Mukta.State;
using Mukta.Verification;
using Mukta.Verification.Quick;

namespace Mukta.Cli;

/// <summary>What was seen of a product for a case.</summary>
/// <param name="Of">By a product's id.</param>
/// <param name="Snapshot">As it is kept.</param>
/// <param name="Measured">What this machine has measured of its own, but for how long rungs took.</param>
internal sealed record CaseSeen(Func<string, SeenState> Of, CaseSnapshot Snapshot, MeasuredTimes Measured);

/// <summary>Looks at a product for a case.</summary>
internal static class CaseLook
{
    private const int MostLogs = 10;
    private const long LeastBytes = 256 << 10; // What is shorter says nothing of the speed.

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
    public static async Task<CaseSeen> SeenAsync(
        Session session, Product product, string? install, bool isOffline, CancellationToken cancel)
    {
        var checks = await new Checkup(product.Around(isAlone: false), isOffline)
            .OfAsync(product.Catalog.WithNeeds(product.Loaded), install, cancel).ConfigureAwait(false);
        var result = install is null ? null : await FilesAsync(session, product, install, cancel).ConfigureAwait(false);
        var files = result is null ? FilesState.Unknown : result.IsIntact ? FilesState.Intact : FilesState.Damaged;
        return new CaseSeen(
            id =>
            {
                var check = checks.FirstOrDefault(c => c.Loaded.Profile.Product == id);
                var areMissing = check?.Areas.SelectMany(a => a.Findings).Any(
                    f => f.Kind is FindingKind.FilesMissing or FindingKind.InstallNotFound) == true;
                return new SeenState(check, areMissing ? FilesState.Damaged : id == product.Profile.Product ? files : FilesState.Unknown);
            },
            new CaseSnapshot(TimeProvider.System.GetUtcNow(), MachineFacts.Of(product.Machine), [.. checks.Select(SeenProduct.Of)])
            {
                Files = result is null ? null : SeenFiles.Of(result, FindingWords.Name, CauseWords.Sentence),
            },
            Measured(product, install, result));
    }

    private static MeasuredTimes Measured(Product product, string? install, VerifyResult? result)
    {
        var repairs = new OperationCatalog(product.Machine.Home, TimeProvider.System)
            .All(install is null ? [] : [install], OperationIndex.PlacesOf(product.Machine))
            .Where(o => o.Record.Header.Product == product.Profile.Product).Select(o => RepairNotes.Of(o.Record))
            .Where(n => n.Took > TimeSpan.Zero && n.Downloaded >= LeastBytes).ToList();
        return new MeasuredTimes
        {
            BytesPerSecond = repairs.Count == 0 ? null : repairs.Sum(r => r.Downloaded) / repairs.Sum(r => r.Took.TotalSeconds),
            ReadBytesPerSecond = result is { BytesRead: >= LeastBytes } ? result.BytesRead / result.Elapsed.TotalSeconds : null,
            BytesToFetch = result?.BytesToFetch,
            ReleaseBytes = result is null ? 0 : result.BytesGood + result.BytesToFetch,
        };
    }

    /// <summary>The product's logs, newest first.</summary>
    public static IEnumerable<string> Logs(Product product, string? install) => product.Profile.Logs
        .SelectMany(l => product.Machine.Folders.At(l, install)).Where(File.Exists).OrderByDescending(File.GetLastWriteTimeUtc)
        .Take(MostLogs);

    private static async Task<VerifyResult?> FilesAsync(Session session, Product product, string install, CancellationToken cancel)
    {
        try
        {
            using var folder = Folder.Open(install);
            var meter = new WorkMeter();
            var verifier = new QuickVerifier(TimeProvider.System, new VerifiedRecords(product.Machine));
            return await Progressing.ShowAsync(session, meter, () => Task.FromResult(
                verifier.Quick(product.Loaded.ManifestFile, folder, new VerifyOptions { Meter = meter }, cancel))).ConfigureAwait(false);
        }
        catch (MuktaException e)
        {
            session.Say($"the files were not compared: {e.What.TrimEnd('.')}");
            return null;
        }
    }
}
