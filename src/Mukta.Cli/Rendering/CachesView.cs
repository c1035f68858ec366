using Mukta.Cli.Json;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Caches that are cleared.</summary>
internal sealed class CachesView(Session session, Product product, bool isPermanent) : RemedyView<ClearCachesPlan, ClearCachesOutcome>
{
    private readonly CacheText text = new(session.Output);

    public override void Plan(ClearCachesPlan plan, bool isResumed)
    {
        text.Write(plan.Caches, product.Arguments);
        session.Output.WriteLine(
            isPermanent ? "All of this will be deleted permanently."
            : "The files are kept until they are purged; the folders themselves stay.");
    }

    public override string Question(ClearCachesPlan plan) =>
        isPermanent ? $"Permanently delete {Units.Bytes(plan.Bytes)} of caches?"
        : $"Clear {Units.Count(plan.Caches.Count, "cache")} ({Units.Bytes(plan.Bytes)})?";

    public override void Outcome(ClearCachesPlan plan, ClearCachesOutcome outcome, bool isQuiet) =>
        text.Cleared(outcome.Cleared, isPermanent, isQuiet);

    public override void NothingToDo(ClearCachesPlan plan, bool isQuiet) => session.Output.WriteLine("Nothing to clear.");

    public override void Write(ClearCachesPlan plan, ClearCachesOutcome? outcome, bool isDryRun, ExitCode code) => Session.Write(
        new CachesClearDocument(
        "mukta.caches.clear/1", product.Profile.Product, isDryRun, (int)code,
        outcome is null ? [.. plan.Caches.Select(CachePart.Of)] : [.. outcome.Cleared.Select(CachePart.Of)])
        {
            Operation = outcome?.Operation,
        },
        Documents.Readable.CachesClearDocument);
}
