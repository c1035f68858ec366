using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Verification.Quick;

/// <summary>
/// Verifies, and remembers what was shown; and verifies quickly, trusting what an earlier verification has shown of files
/// that nobody has touched since. Silent damage on a disk changes no date: only a full verification finds that.
/// </summary>
/// <param name="time">For durations and dates.</param>
/// <param name="memory">What remembers.</param>
public sealed class QuickVerifier(TimeProvider time, IVerifiedMemory memory)
{
    /// <summary>Reads everything, and remembers.</summary>
    public VerifyResult Full(string manifestPath, Folder install, VerifyOptions options, CancellationToken cancel)
    {
        var identity = VerifiedRecord.Identity(manifestPath);
        var result = new Verifier(time).Verify(MetalinkReader.ReadFile(manifestPath), install, options with { RememberProven = true }, cancel);
        Remember(result, manifestPath, identity, install);
        return result;
    }

    /// <summary>Reads only what nothing is remembered of, or what was touched since.</summary>
    public VerifyResult Quick(string manifestPath, Folder install, VerifyOptions options, CancellationToken cancel)
    {
        var (started, looked, identity) = (time.GetTimestamp(), time.GetUtcNow(), VerifiedRecord.Identity(manifestPath));
        options.Meter?.Begin("looking", 0);
        var record = memory.Find(install.RealPath);
        if (record is null || record.FileSystem != FileSystemCapabilities.NumberOf(install.Path))
            return Full(manifestPath, install, options, cancel);
        if (record.IsWhole && record.Manifest == identity && new QuickLook(install, record, options.Meter, cancel).Look() is { } strays)
        {
            return new VerifyResult
            {
                UnreadManifest = new Lazy<Manifest>(() => MetalinkReader.ReadFile(manifestPath)),
                Release = record.Release,
                Findings = strays,
                LookedAt = looked,
                BytesRead = 0,
                Elapsed = time.GetElapsedTime(started),
                ModesCompared = record.ModesCompared,
                BytesGood = record.Release.Bytes,
                BytesTrusted = record.Release.Bytes,
                FilesTrusted = record.Release.Files,
                TrustedSince = record.Since,
            };
        }

        var manifest = MetalinkReader.ReadFile(manifestPath);
        var result = new Verifier(time).Verify(manifest, install, options with { RememberProven = true, Trusted = record.TrustedFor(manifest) }, cancel);
        result = result with { Elapsed = time.GetElapsedTime(started), TrustedSince = result.FilesTrusted > 0 ? record.Since : null };
        Remember(result, manifestPath, identity, install);
        return result;
    }

    /// <summary>How a manifest's file stands, before it is read; null where it is not there.</summary>
    public static string? IdentityOf(string manifestPath) => VerifiedRecord.Identity(manifestPath);

    /// <summary>Remembers what a verification has shown that somebody else has made.</summary>
    /// <param name="result">The verification; it must have remembered what it proved.</param>
    /// <param name="manifestPath">The manifest's file.</param>
    /// <param name="identity">How the manifest's file stood before it was read; null where nobody has looked.</param>
    /// <param name="install">The install.</param>
    public void Remember(VerifyResult result, string manifestPath, string? identity, Folder install)
    {
        if (identity is not null && identity == VerifiedRecord.Identity(manifestPath))
            memory.TryPut(VerifiedRecord.Of(result, install, identity));
    }
}
