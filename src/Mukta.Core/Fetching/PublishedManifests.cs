using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Manifests.Formats;
using Mukta.Manifests.Signatures;
using Mukta.Products;

namespace Mukta.Fetching;

/// <summary>
/// Manifests on the network. Each is kept in the user's cache with its signature, and asked for again once it is older than the profile
/// says. What is kept is replaced only by what is a manifest and, where it has to be signed, is signed.
/// </summary>
/// <param name="cacheFolder">The user's folder for caches (XDG Base Directory specification).</param>
/// <param name="settings">How Mukta goes to the network.</param>
/// <param name="time">For dates.</param>
[OutsideReader]
public sealed class PublishedManifests(string cacheFolder, Func<HttpSettings> settings, TimeProvider time)
{
    /// <summary>How long a manifest is used before it is asked for again, where the profile does not say.</summary>
    public static readonly TimeSpan UsuallyFresh = TimeSpan.FromHours(1);

    /// <summary>Clocks that are set right may go back so far.</summary>
    private static readonly TimeSpan ClockMayDiffer = TimeSpan.FromDays(1);

    private bool isClockTold;

    private const string OnPurpose = "To use it on purpose, download it and name the file with --manifest.";

    /// <summary>True to use what is kept, however old it is.</summary>
    public bool IsOffline { get; init; }

    /// <summary>The longest wait for an answer, and between two bytes of it.</summary>
    public TimeSpan Patience { get; init; } = TimeSpan.FromSeconds(10);

    /// <summary>The longest that a manifest and its signature may take in all.</summary>
    public TimeSpan Longest { get; init; } = TimeSpan.FromMinutes(5);

    /// <summary>Remembers which releases were seen; null to take older ones too.</summary>
    public ISeenReleases? Seen { get; init; }

    /// <summary>Told of a manifest that is used though it could not be asked for again.</summary>
    public Action<string>? Say { get; init; }

    private KeptDownloads Downloads => field ??= new KeptDownloads(cacheFolder, settings, time)
    {
        IsOffline = IsOffline,
        Patience = Patience,
        Longest = Longest,
        Say = Say,
    };

    /// <summary>True for the address of something on the network.</summary>
    public static bool IsUrl(string text) =>
        Uri.TryCreate(text, UriKind.Absolute, out var url) && (url.Scheme == Uri.UriSchemeHttp || url.Scheme == Uri.UriSchemeHttps);

    /// <summary>A manifest on the network, which is asked for when it is first read.</summary>
    /// <param name="url">Where it is. Its signature is there with <c>.p7s</c> at the end of the path.</param>
    /// <param name="trust">Files with the certificates that it has to be signed under; none if it need not be.</param>
    /// <param name="freshFor">How old what is kept may be.</param>
    /// <param name="product">The product that it has to be of; null for any.</param>
    /// <param name="isOnPurpose">True if the user has named the release: it may be an old one.</param>
    public LazyManifest Of(Uri url, IReadOnlyList<string> trust, TimeSpan freshFor, string? product, bool isOnPurpose = false)
    {
        return new LazyManifest(Downloads.PathOf(url), trust)
        {
            Product = product,
            Source = url.AbsoluteUri,
            Bring = () => Downloads.Bring(new Wanted(url, trust, freshFor, bytes => Accept(Parsed(bytes, url, product)))),
            Accept = Accept,
        };

        void Accept(Manifest manifest)
        {
            if (!isOnPurpose)
                Refuse(manifest, url, trust);
        }
    }

    /// <summary>The copy of a published manifest that somebody has brought along: as untrusted as what comes from a server.</summary>
    /// <param name="path">The file; its signature lies beside it.</param>
    /// <param name="trust">Files with the certificates that it has to be signed under.</param>
    /// <param name="product">The product that it has to be of.</param>
    public LazyManifest OfCopy(string path, IReadOnlyList<string> trust, string product) => new(path, trust)
    {
        Product = product,
        Accept = manifest => Refuse(manifest, new Uri(Path.GetFullPath(path)), trust),
    };

    /// <summary>The manifest of a release that an index on the network lists. Both are asked for when it is first read.</summary>
    /// <param name="place">Where the index is, and which channel counts.</param>
    /// <param name="release">The release that is meant; null for the channel's newest.</param>
    /// <param name="trust">Files with the certificates that both have to be signed under; none if they need not be.</param>
    /// <param name="product">The product.</param>
    public LazyManifest OfIndex(IndexPlace place, string? release, IReadOnlyList<string> trust, string product)
    {
        IndexedRelease? entry = null;
        return new LazyManifest(Downloads.PathOf(place.Url), trust)
        {
            Product = product,
            Source = place.Url.AbsoluteUri,
            Bring = () =>
            {
                entry = Chosen(Index(place, trust, product).Index, place, release);
                var url = UrlOf(entry, place);
                return Downloads.Bring(new Wanted(url, trust, place.FreshFor, bytes => Accept(Parsed(bytes, url, product))));
            },
            Accept = Accept,
        };

        void Accept(Manifest manifest)
        {
            if (entry is not null)
                RefuseOther(manifest, entry, place.Url);
            if (release is null) // Who names a release may mean an old one.
                Refuse(manifest, place.Url, trust);
        }
    }

    /// <summary>A product's index of releases, and who has signed it.</summary>
    /// <exception cref="MuktaException">It cannot be had, is not trusted, or is none.</exception>
    public (ReleaseIndex Index, Signer? Signer) Index(IndexPlace place, IReadOnlyList<string> trust, string product)
    {
        var path = Downloads.Bring(new Wanted(place.Url, trust, place.FreshFor, bytes => ReadIndex(bytes, place.Url, product)));
        return KeptIndex(path, place, trust, product);
    }

    /// <summary>
    /// What is kept of a manifest; null for nothing. Nobody is asked, and it may be old: it is for recognising an install, not for changing
    /// one.
    /// </summary>
    public LazyManifest? Kept(Uri url, IReadOnlyList<string> trust, string? product) => File.Exists(Downloads.PathOf(url))
        ? new LazyManifest(Downloads.PathOf(url), trust) { Source = url.AbsoluteUri, Product = product } : null;

    /// <summary>What is kept of the manifest of an index's newest release; null for nothing. Nobody is asked.</summary>
    public LazyManifest? KeptOfIndex(IndexPlace place, IReadOnlyList<string> trust, string product)
    {
        try
        {
            if (!File.Exists(Downloads.PathOf(place.Url)))
                return null;
            var (index, _) = KeptIndex(Downloads.PathOf(place.Url), place, trust, product);
            return Kept(UrlOf(Chosen(index, place, null), place), trust, product);
        }
        catch (MuktaException)
        {
            return null;
        }
    }

    private (ReleaseIndex Index, Signer? Signer) KeptIndex(string path, IndexPlace place, IReadOnlyList<string> trust, string product)
    {
        var (bytes, signer) = trust.Count == 0
            ? (ManifestSignature.Bytes(path, ReleaseIndex.Longest, "The index of releases cannot be opened."), (Signer?)null)
            : ManifestSignature.SignedBytes(path, TrustAnchors.Read(trust), time.GetUtcNow());
        return (ReadIndex(bytes, place.Url, product), signer);
    }

    private ReleaseIndex ReadIndex(byte[] bytes, Uri url, string product)
    {
        if (bytes.Length > ReleaseIndex.Longest)
            throw new HttpRequestException($"it is longer than {Units.Bytes(ReleaseIndex.Longest)}");
        var index = ReleaseIndex.Parse(bytes, url.AbsoluteUri);
        if (index.Product != product)
        {
            throw NotTrusted(
                $"This is the index of {PathBytes.Shown(index.Product)}, not of {product}.", url, "Check the address in the profile.");
        }

        return index.Expires is { } expires && expires < time.GetUtcNow() ? throw Expired("index of releases", expires, url) : index;
    }

    private static IndexedRelease Chosen(ReleaseIndex index, IndexPlace place, string? release) =>
        (release is null ? index.Newest(place.Channel) : index.Of(release)) ?? throw new MuktaException(
        ExitCode.BadInput,
        release is null ? $"The index lists no release of the channel {place.Channel}."
        : $"The index lists no release {PathBytes.Shown(release)}.",
        place.Url.AbsoluteUri, $"Show what it lists with: mukta manifest releases {index.Product}");

    private static Uri UrlOf(IndexedRelease entry, IndexPlace place)
    {
        if (entry.Manifest is null && place.UrlOfRelease is { } template)
            return ManifestPlace.UrlOf(template, entry.Release);
        if (entry.Manifest is null)
        {
            throw new MuktaException(
                ExitCode.BadInput, $"The index does not say where the manifest of {PathBytes.Shown(entry.Release)} is.",
                place.Url.AbsoluteUri, "Add its address to the profile: \"url\" beside \"index\", with ${release} in it.");
        }

        return Uri.TryCreate(place.Url, entry.Manifest, out var url) && IsUrl(url.AbsoluteUri)
            && (url.Scheme == Uri.UriSchemeHttps || place.Url.Scheme == Uri.UriSchemeHttp) ? url
            : throw NotTrusted(
                $"The index leads to a place that manifests are not taken from: {PathBytes.Shown(entry.Manifest)}.", place.Url,
                "Ask its publisher. An index that came over TLS leads to TLS only.");
    }

    /// <summary>The index and the manifest have to agree: a release cannot stand for another.</summary>
    private static void RefuseOther(Manifest manifest, IndexedRelease entry, Uri url)
    {
        if (manifest.Release != entry.Release || manifest.Sequence != entry.Sequence)
        {
            throw NotTrusted(
                $"The index says that this is {NameOf(entry.Release, entry.Sequence)}, "
                + $"and it is {NameOf(manifest.Release, manifest.Sequence)}.",
                url, "Ask its publisher.");
        }
    }

    private static Manifest Parsed(byte[] bytes, Uri url, string? product)
    {
        using var stream = new MemoryStream(bytes, writable: false);
        var read = ManifestReader.Read(stream, url.AbsoluteUri);
        LazyManifest.RefuseOther(read, product, url.AbsoluteUri);
        return read;
    }

    /// <summary>Refuses a manifest that is too old: expired, or older than one that the same certificates have vouched for.</summary>
    private void Refuse(Manifest manifest, Uri url, IReadOnlyList<string> trust)
    {
        var now = time.GetUtcNow();
        if (manifest.Expires is { } expires && expires < now)
            throw Expired("manifest", expires, url);
        if (Seen is null || trust.Count == 0 || manifest.Product is not { } product)
            return;
        var by = TrustAnchors.Read(trust).Fingerprint;
        var newest = Seen.Newest(product, by);
        if (newest?.At > now + ClockMayDiffer)
            SayWrongClock(newest.At, now);
        if (newest is not null && (manifest.Sequence ?? -1) < newest.Sequence)
        {
            throw NotTrusted(
                $"The server offers an older release than it did on {newest.At:yyyy-MM-dd}: {NameOf(manifest.Release, manifest.Sequence)} "
                + $"instead of {NameOf(newest.Release, newest.Sequence)}.", url, $"Ask the publisher whether that is meant. {OnPurpose}");
        }

        if (manifest.Sequence is { } sequence)
            Seen.Remember(product, by, new SeenRelease(sequence, manifest.Release, now));
    }

    /// <summary>With a clock that is behind nothing ever expires; but it may also have been ahead then, so that is only told.</summary>
    private void SayWrongClock(DateTimeOffset then, DateTimeOffset now)
    {
        if (!isClockTold)
        {
            Say?.Invoke(
                $"This machine's clock is wrong, or was: it says {now:yyyy-MM-dd}, and it said {then:yyyy-MM-dd} before. "
                + "What has expired is told by it, so set it right.");
        }

        isClockTold = true;
    }

    private MuktaException Expired(string what, DateTimeOffset expires, Uri url) => NotTrusted(
        $"The {what} expired on {expires:yyyy-MM-dd}, by this machine's clock ({time.GetUtcNow():yyyy-MM-dd}).", url,
        $"Check the clock, and ask the publisher for a newer one. {OnPurpose}");

    private static MuktaException NotTrusted(string what, Uri url, string next) =>
        new(ExitCode.NotTrusted, what, url.AbsoluteUri, $"Nothing was touched. {next}");

    private static string NameOf(string? release, long? sequence) =>
        $"{PathBytes.Shown(release ?? "one without a name")} ({(sequence is { } number ? $"release {number}" : "without a number")})";
}

/// <summary>Where a product's index of releases is.</summary>
/// <param name="Url">Its address.</param>
/// <param name="Channel">The channel whose newest release is meant.</param>
/// <param name="FreshFor">How old what is kept may be.</param>
public sealed record IndexPlace(Uri Url, string Channel, TimeSpan FreshFor)
{
    /// <summary>The address of a manifest where the index does not say it, see <see cref="ManifestPlace.UrlOfRelease"/>.</summary>
    public string? UrlOfRelease { get; init; }
}
