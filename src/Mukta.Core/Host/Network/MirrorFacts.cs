using Mukta.Manifests;

namespace Mukta.Host.Network;

/// <summary>A step on the way to a mirror, in order.</summary>
public enum NetworkStep
{
    /// <summary>The name is looked up.</summary>
    NameLookup,

    /// <summary>A connection is made.</summary>
    Connect,

    /// <summary>The connection is encrypted (TLS).</summary>
    Tls,

    /// <summary>The request is answered.</summary>
    FirstByte,

    /// <summary>A bounded sample is read.</summary>
    Sample,
}

/// <summary>A step that was done, and how long it took.</summary>
/// <param name="Step">Which.</param>
/// <param name="Took">How long.</param>
public sealed record StepTime(NetworkStep Step, TimeSpan Took);

/// <summary>What was asked of a mirror.</summary>
/// <param name="Mirror">What to call the mirror.</param>
/// <param name="Url">What is fetched from it: a manifest, a file of a release, or the mirror's own folder.</param>
/// <param name="HoldsFile">True if a file should come: then a page of HTML is somebody else's.</param>
public sealed record MirrorSample(string Mirror, Uri Url, bool HoldsFile)
{
    /// <summary>The samples that a product's mirrors are tried with: its manifest's address, and one file from each base.</summary>
    /// <param name="manifestUrl">Where the manifest is on the network; null if it is a file.</param>
    /// <param name="mirrors">The profile's own mirrors.</param>
    /// <param name="manifest">The manifest; null if none is at hand.</param>
    public static IReadOnlyList<MirrorSample> Of(Uri? manifestUrl, IReadOnlyList<Uri> mirrors, Manifest? manifest)
    {
        var file = manifest?.Files.MaxBy(f => f.Size);
        var bases = mirrors.Concat((manifest?.Bases ?? []).OrderBy(b => b.Priority).Select(b => b.Url)).Distinct()
            .Select(url => new MirrorSample(url.AbsoluteUri, file is null ? url : MirrorUrl.Below(url, file.Path), file is not null))
            .ToList();
        var own = bases.Count > 0 ? []
            : (file?.Urls ?? []).OrderBy(u => u.Priority)
            .Select(u => new MirrorSample(u.Url.GetLeftPart(UriPartial.Authority), u.Url, HoldsFile: true));
        IEnumerable<MirrorSample> published = manifestUrl is null ? []
            : [new MirrorSample(manifestUrl.AbsoluteUri, manifestUrl, HoldsFile: true)];
        return [.. published.Concat(bases).Concat(own)];
    }
}

/// <summary>What trying a mirror has shown.</summary>
/// <param name="Sample">What was asked.</param>
/// <param name="Steps">The steps that were done, in order.</param>
public sealed record MirrorFacts(MirrorSample Sample, IReadOnlyList<StepTime> Steps)
{
    /// <summary>The step that failed; null if none did.</summary>
    public NetworkStep? FailedAt { get; init; }

    /// <summary>Why it failed, in a few words.</summary>
    public string? Reason { get; init; }

    /// <summary>The HTTP status of the answer; null if there was none.</summary>
    public int? Status { get; init; }

    /// <summary>True if a page of HTML came in the place of a file.</summary>
    public bool IsPage { get; init; }

    /// <summary>How far the mirror's clock is ahead of this machine's; null if it does not say (Date, RFC 9110, 6.6.1).</summary>
    public TimeSpan? ClockAhead { get; init; }

    /// <summary>Bytes of the sample.</summary>
    public long SampleBytes { get; init; }

    /// <summary>The proxy that it went through; null for none.</summary>
    public string? Proxy { get; init; }

    /// <summary>Bytes in a second; null if the sample is too small to tell.</summary>
    public double? Speed => SampleBytes >= MirrorProbe.LeastTelling && Steps.FirstOrDefault(s => s.Step == NetworkStep.Sample) is { } sample
        ? SampleBytes / Math.Max(sample.Took.TotalSeconds, 0.000_001) : null;
}
