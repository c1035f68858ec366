using Mukta.Disk;
using Mukta.Reinstall;
using Mukta.UserData;

namespace Mukta.Cli.Json;

/// <summary>What a reinstall's document is made of.</summary>
internal sealed record ReinstallDocument(string Product, bool IsDryRun, ExitCode Code, IReadOnlyList<ReinstallTarget> Targets, ReinstallWish Wish)
{
    public ReinstallOutcome? Outcome { get; init; }

    public ReinstallPart Made() => new(
        "mukta.reinstall/1", Product, IsDryRun, (int)Code, Outcome?.Operation, Outcome?.Elapsed.TotalSeconds, Wish.DropsUserData,
        [.. Targets.Select(t => RemadePart.Of(t, Outcome?.Targets.FirstOrDefault(d => d.Target == t)))]);
}

/// <summary><c>mukta.reinstall/1</c></summary>
internal sealed record ReinstallPart(string Format, string Product, bool DryRun, int ExitCode, string? Operation, double? Seconds, bool DropsUserData, IReadOnlyList<RemadePart> Installs);

/// <summary>One install that is made anew.</summary>
internal sealed record RemadePart(
    string Product, string Path, bool WasThere, string? Release, long Bytes, long BytesToFetch, long BytesNotFetched, bool RunsRemove, bool RunsInstall,
    IReadOnlyList<PlacePart> UserData, IReadOnlyList<PlacePart> Leftovers, IReadOnlyList<string> Inside)
{
    public long? BytesFetched { get; init; }

    public string? UserDataArchive { get; init; }

    public VerifyDocument? After { get; init; }

    public static RemadePart Of(ReinstallTarget target, ReinstalledTarget? done) => new(
        target.Profile.Product, PathBytes.Shown(target.Path), target.IsThere, target.Manifest.Release, target.Manifest.TotalSize, target.Build.BytesToFetch, target.BytesNotFetched, target.RunsRemove, target.RunsInstall,
        [.. target.UserData.Select(PlacePart.Of)], [.. target.Leftovers.Select(PlacePart.Of)], [.. target.Inside.Select(PathBytes.Shown)])
    {
        BytesFetched = done?.BytesFetched,
        UserDataArchive = done?.Archive is { } archive ? PathBytes.Shown(archive) : null,
        After = done is null ? null : VerifyDocument.Of(done.After, target.Path, straysCount: false, next: null),
    };
}

/// <summary>Something of the user's, or something left behind.</summary>
internal sealed record PlacePart(string Path, long Bytes, long Files, DateTimeOffset? LastUsed, string Why, string? Stays)
{
    public static PlacePart Of(UserPlace place) => new(
        PathBytes.Shown(place.Path), place.Size.Bytes, place.Size.Files, place.Size.LastUsedNs > 0 ? DateTimeOffset.UnixEpoch.AddTicks(place.Size.LastUsedNs / 100) : null, place.Why, place.Blocked);
}
