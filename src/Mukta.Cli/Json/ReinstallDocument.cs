using Mukta.Disk;
using Mukta.Reinstall;
using Mukta.UserData;

namespace Mukta.Cli.Json;

/// <summary>What a reinstall's document is made of.</summary>
internal sealed record ReinstallDocument(
    string Product, bool IsDryRun, ExitCode Code, IReadOnlyList<ReinstallTarget> Targets, ReinstallWish Wish)
{
    public ReinstallOutcome? Outcome { get; init; }

    public ReinstallPart Made() => new()
    {
        Format = "mukta.reinstall/1",
        Product = Product,
        IsDryRun = IsDryRun,
        ExitCode = (int)Code,
        Operation = Outcome?.Operation,
        ElapsedMs = (long?)Outcome?.Elapsed.TotalMilliseconds,
        IsWithoutUserData = Wish.DropsUserData,
        Installs = [.. Targets.Select(t => RemadePart.Of(t, Outcome?.Targets.FirstOrDefault(d => d.Target == t)))],
    };
}

/// <summary><c>mukta.reinstall/1</c></summary>
internal sealed record ReinstallPart
{
    public required string Format { get; init; }

    public required string Product { get; init; }

    public required bool IsDryRun { get; init; }

    public required int ExitCode { get; init; }

    public string? Operation { get; init; }

    public long? ElapsedMs { get; init; }

    public required bool IsWithoutUserData { get; init; }

    public required IReadOnlyList<RemadePart> Installs { get; init; }
}

/// <summary>One install that is replaced.</summary>
internal sealed record RemadePart
{
    public required string Product { get; init; }

    public required string Path { get; init; }

    public required bool IsReplacing { get; init; }

    public string? Version { get; init; }

    public required long Bytes { get; init; }

    public required long BytesToFetch { get; init; }

    public required long BytesNotFetched { get; init; }

    public required bool IsRemoverRun { get; init; }

    public required bool IsInstallerRun { get; init; }

    public required IReadOnlyList<PlacePart> UserData { get; init; }

    public required IReadOnlyList<PlacePart> Leftovers { get; init; }

    public required IReadOnlyList<string> Inside { get; init; }

    public long? BytesFetched { get; init; }

    public string? UserDataArchive { get; init; }

    public VerifyDocument? After { get; init; }

    public static RemadePart Of(ReinstallTarget target, ReinstalledTarget? done) => new()
    {
        Product = target.Profile.Product,
        Path = PathBytes.Shown(target.Path),
        IsReplacing = target.IsThere,
        Version = target.Manifest.Release,
        Bytes = target.Manifest.TotalSize,
        BytesToFetch = target.Build.BytesToFetch,
        BytesNotFetched = target.BytesNotFetched,
        IsRemoverRun = target.RunsRemove,
        IsInstallerRun = target.RunsInstall,
        UserData = [.. target.UserData.Select(PlacePart.Of)],
        Leftovers = [.. target.Leftovers.Select(PlacePart.Of)],
        Inside = [.. target.Inside.Select(PathBytes.Shown)],
        BytesFetched = done?.BytesFetched,
        UserDataArchive = done?.Archive is { } archive ? PathBytes.Shown(archive) : null,
        After = done is null ? null : VerifyDocument.Of(done.After, target.Path, straysCount: false, next: null),
    };
}

/// <summary>Something of the user's, or something left behind.</summary>
internal sealed record PlacePart(string Path, long Bytes, long Files, DateTimeOffset? LastUsed, string Why, string? Stays)
{
    public static PlacePart Of(UserPlace place) => new(
        PathBytes.Shown(place.Path), place.Size.Bytes, place.Size.Files,
        place.Size.LastUsed, place.Why, place.Blocked);
}
