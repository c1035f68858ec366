using Mukta.Bundles;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Verification;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.bundle.make/1</c></summary>
internal sealed record BundleMakeDocument
{
    public string Format { get; init; } = "mukta.bundle.make/1";

    public required string Bundle { get; init; }

    public required bool IsDryRun { get; init; }

    public required int ExitCode { get; init; }

    public required IReadOnlyList<BundledPart> Releases { get; init; }

    public required long BytesToFetch { get; init; }

    public required long Room { get; init; }

    public required IReadOnlyList<LeftOutPart> LeftOut { get; init; }

    public IReadOnlyList<LeftOutPart> Failures { get; init; } = [];

    public IReadOnlyList<SourcePart> Sources { get; init; } = [];

    public static Mukta.ExitCode Code(BundlePlan plan, MadeBundle made) => made.Failures.Count > 0 ? Mukta.ExitCode.NoSource
        : plan.LeftOut.Count > 0 ? Mukta.ExitCode.Problems : Mukta.ExitCode.Done;

    public static BundleMakeDocument Of(BundlePlan plan, MadeBundle? made, string to, bool isDryRun) => new()
    {
        Bundle = PathBytes.Shown(to),
        IsDryRun = isDryRun,
        ExitCode = made is null ? 0 : (int)Code(plan, made),
        Releases = made is not null ? [.. made.Releases.Select(BundledPart.Of)]
            : [.. plan.Wishes.Select(w => BundledPart.Planned(w, [.. plan.Files.Where(f => f.Wish == w)]))],
        BytesToFetch = plan.Bytes,
        Room = plan.Room,
        LeftOut = [.. plan.LeftOut.Select(f => new LeftOutPart(PathBytes.Shown(f.File.Path), "there is no room for it"))],
        Failures = [.. (made?.Failures ?? []).Select(f => new LeftOutPart(PathBytes.Shown(f.Path), f.Reason))],
        Sources =
            [.. (made?.Sources ?? []).Select(s => new SourcePart(s.Name, s.Bytes, s.BadPieces, s.Failures, s.IsDropped, s.HasChanged))],
    };
}

/// <summary>A release of which a bundle holds something.</summary>
internal sealed record BundledPart(
    string? Product, string? Version, long? Sequence, string? Manifest, bool? IsSigned, IReadOnlyList<string> For, int Files, long Bytes)
{
    public static BundledPart Of(BundledRelease r) => new(
        r.Product, r.Release, r.Sequence, r.Manifest, r.IsSigned, [.. r.For.Select(PathBytes.Shown)], r.Files, r.Bytes);

    public static BundledPart Planned(BundleWish wish, IReadOnlyList<BundledFile> files) => new(
        wish.Manifest.Product, wish.Manifest.Release, wish.Manifest.Sequence, null, null,
        [.. wish.For.Select(f => PathBytes.Shown(f.Name))],
        files.Count, files.Sum(f => f.Bytes));
}

/// <summary><c>mukta.bundle.show/1</c></summary>
internal sealed record BundleShowDocument(
    string Format, string Bundle, bool IsSound, bool IsComplete, IReadOnlyList<BundledPart> Releases, int Pieces, long Bytes,
    IReadOnlyList<FindingPart> Problems)
{
    public static BundleShowDocument Of(Bundle bundle, VerifyResult found) => new(
        "mukta.bundle.show/1", PathBytes.Shown(bundle.Path), found.IsIntact, bundle.IsComplete, [.. bundle.Releases.Select(BundledPart.Of)],
        bundle.Pieces, bundle.Bytes, [.. found.Problems.Select(FindingPart.Of)]);
}
