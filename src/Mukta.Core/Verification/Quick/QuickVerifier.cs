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
    public VerifyResult Full(LazyManifest manifest, Folder install, VerifyOptions options, CancellationToken cancel)
    {
        ArgumentNullException.ThrowIfNull(manifest);
        ArgumentNullException.ThrowIfNull(options);
        var result = new Verifier(time).Verify(manifest.Value, install, options with { RememberProven = true }, cancel);
        Remember(result, manifest, install);
        return result;
    }

    /// <summary>Reads only what nothing is remembered of, or what was touched since; the manifest too.</summary>
    public VerifyResult Quick(LazyManifest manifest, Folder install, VerifyOptions options, CancellationToken cancel)
    {
        ArgumentNullException.ThrowIfNull(manifest);
        ArgumentNullException.ThrowIfNull(install);
        ArgumentNullException.ThrowIfNull(options);
        var (started, looked) = (time.GetTimestamp(), time.GetUtcNow());
        options.Meter?.Begin("looking", 0);
        var record = memory.Find(install.RealPath);
        if (record is null || !FileSystemCapabilities.Of(install.Path).KeepsChangeTime
            || record.FileSystem != FileSystemCapabilities.NumberOf(install.Path))
            return Full(manifest, install, options, cancel);
        if (record.IsWhole && record.Manifest == manifest.IdentityNow
            && new QuickLook(install, record, options.Meter, cancel).Look() is { } strays)
        {
            return new VerifyResult
            {
                UnreadManifest = new Lazy<Manifest>(() => manifest.Value),
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

        var value = manifest.Value.WithSizesIn(install);
        var result = new Verifier(time)
            .Verify(value, install, options with { RememberProven = true, Trusted = record.TrustedFor(value) }, cancel);
        result = result with { Elapsed = time.GetElapsedTime(started), TrustedSince = result.FilesTrusted > 0 ? record.Since : null };
        Remember(result, manifest, install);
        return result;
    }

    /// <summary>Remembers what a verification has shown; nothing where a file that was changed could look untouched.</summary>
    /// <param name="result">The verification; it must have remembered what it proved.</param>
    /// <param name="manifest">The manifest; nothing is remembered if its file has changed since it was read.</param>
    /// <param name="install">The install.</param>
    public void Remember(VerifyResult result, LazyManifest manifest, Folder install)
    {
        ArgumentNullException.ThrowIfNull(manifest);
        ArgumentNullException.ThrowIfNull(install);
        if (manifest.Identity is { } identity && identity == manifest.IdentityNow
            && FileSystemCapabilities.Of(install.Path).KeepsChangeTime)
            memory.TryPut(VerifiedRecord.Of(result, install, identity));
    }
}
