using System.IO.Compression;
using System.Net;
using System.Net.Http.Headers;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Serialization;
using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Manifests.Signatures;
using Mukta.Operations;

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

    private const string File = "manifest.meta4", Facts = "facts.json";
    private const int LongestFacts = 64 << 10;
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

    /// <summary>True for the address of something on the network.</summary>
    public static bool IsUrl(string text) =>
        Uri.TryCreate(text, UriKind.Absolute, out var url) && (url.Scheme == Uri.UriSchemeHttp || url.Scheme == Uri.UriSchemeHttps);

    /// <summary>A manifest on the network, which is asked for when it is first read.</summary>
    /// <param name="url">Where it is. Its signature is there with <c>.p7s</c> at the end of the path.</param>
    /// <param name="trust">Files with the certificates that it has to be signed under; none if it need not be.</param>
    /// <param name="freshFor">How old what is kept may be.</param>
    /// <param name="product">The product that it has to be of; null for any.</param>
    public LazyManifest Of(Uri url, IReadOnlyList<string> trust, TimeSpan freshFor, string? product) => new(PathOf(url), trust)
    {
        Product = product,
        Source = url.AbsoluteUri,
        Bring = () => Bring(new Wanted(url, trust, freshFor, bytes => Refuse(Parsed(bytes, url, product), url, trust))),
        Accept = manifest => Refuse(manifest, url, trust),
    };

    /// <summary>The manifest of a release that an index on the network lists. Both are asked for when it is first read.</summary>
    /// <param name="place">Where the index is, and which channel counts.</param>
    /// <param name="release">The release that is meant; null for the channel's newest.</param>
    /// <param name="trust">Files with the certificates that both have to be signed under; none if they need not be.</param>
    /// <param name="product">The product.</param>
    public LazyManifest OfIndex(IndexPlace place, string? release, IReadOnlyList<string> trust, string product)
    {
        IndexedRelease? entry = null;
        return new LazyManifest(PathOf(place.Url), trust)
        {
            Product = product,
            Source = place.Url.AbsoluteUri,
            Bring = () =>
            {
                entry = Chosen(Index(place, trust, product).Index, place, release);
                var url = UrlOf(entry, place.Url);
                return Bring(new Wanted(url, trust, place.FreshFor, bytes => Accept(Parsed(bytes, url, product))));
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
        var path = Bring(new Wanted(place.Url, trust, place.FreshFor, bytes => ReadIndex(bytes, place.Url, product)));
        return KeptIndex(path, place, trust, product);
    }

    /// <summary>
    /// What is kept of a manifest; null for nothing. Nobody is asked, and it may be old: it is for recognising an install, not for changing
    /// one.
    /// </summary>
    public LazyManifest? Kept(Uri url, IReadOnlyList<string> trust, string? product) => System.IO.File.Exists(PathOf(url))
        ? new LazyManifest(PathOf(url), trust) { Source = url.AbsoluteUri, Product = product } : null;

    /// <summary>What is kept of the manifest of an index's newest release; null for nothing. Nobody is asked.</summary>
    public LazyManifest? KeptOfIndex(IndexPlace place, IReadOnlyList<string> trust, string product)
    {
        try
        {
            if (!System.IO.File.Exists(PathOf(place.Url)))
                return null;
            var (index, _) = KeptIndex(PathOf(place.Url), place, trust, product);
            return Kept(UrlOf(Chosen(index, place, null), place.Url), trust, product);
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

    private static Uri UrlOf(IndexedRelease entry, Uri index) =>
        Uri.TryCreate(index, entry.Manifest, out var url) && IsUrl(url.AbsoluteUri)
        && (url.Scheme == Uri.UriSchemeHttps || index.Scheme == Uri.UriSchemeHttp) ? url
        : throw NotTrusted(
            $"The index leads to a place that manifests are not taken from: {PathBytes.Shown(entry.Manifest)}.", index,
            "Ask its publisher. An index that came over TLS leads to TLS only.");

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
        var read = MetalinkReader.Read(stream, url.AbsoluteUri);
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
        if (Seen.Newest(product, by) is { } newest && (manifest.Sequence ?? -1) < newest.Sequence)
        {
            throw NotTrusted(
                $"The server offers an older release than it did on {newest.At:yyyy-MM-dd}: {NameOf(manifest.Release, manifest.Sequence)} "
                + $"instead of {NameOf(newest.Release, newest.Sequence)}.", url, $"Ask the publisher whether that is meant. {OnPurpose}");
        }

        if (manifest.Sequence is { } sequence)
            Seen.Remember(product, by, new SeenRelease(sequence, manifest.Release, now));
    }

    private MuktaException Expired(string what, DateTimeOffset expires, Uri url) => NotTrusted(
        $"The {what} expired on {expires:yyyy-MM-dd}, by this machine's clock ({time.GetUtcNow():yyyy-MM-dd}).", url,
        $"Check the clock, and ask the publisher for a newer one. {OnPurpose}");

    private static MuktaException NotTrusted(string what, Uri url, string next) =>
        new(ExitCode.NotTrusted, what, url.AbsoluteUri, $"Nothing was touched. {next}");

    private static string NameOf(string? release, long? sequence) =>
        $"{PathBytes.Shown(release ?? "one without a name")} ({(sequence is { } number ? $"release {number}" : "without a number")})";

    private string Bring(Wanted wanted)
    {
        BringAsync(wanted).GetAwaiter().GetResult();
        return PathOf(wanted.Url);
    }

    private async Task BringAsync(Wanted wanted)
    {
        var (url, trust, freshFor, _) = wanted;
        var kept = KeptOf(url);
        var now = time.GetUtcNow();
        var isSignedHere = trust.Count == 0 || StatePlace.HasFile(cacheFolder, Inside(url, File + ManifestSignature.Extension));
        if (kept is not null && isSignedHere && (IsOffline || (now - kept.AskedAt is var age && age >= TimeSpan.Zero && age < freshFor)))
        {
            if (IsOffline)
                Say?.Invoke($"Offline: the manifest of {Units.Time(now - kept.AskedAt)} ago is used.");
            return;
        }

        if (IsOffline)
        {
            throw new MuktaException(
                ExitCode.NoSource, "The manifest is on the network, which --offline leaves out, and none was kept.", url.AbsoluteUri,
                "Run the same command once without --offline.");
        }

        try
        {
            await AskAsync(wanted, isSignedHere ? kept : null, now).ConfigureAwait(false);
        }
        catch (Exception e) when (e is HttpRequestException or IOException or OperationCanceledException or InvalidDataException)
        {
            var reason = e is OperationCanceledException ? $"no answer within {Units.Time(Patience)}"
                : (e.InnerException ?? e).Message.TrimEnd('.');
            if (kept is null || !isSignedHere)
            {
                var proxy = settings().ProxyFor(url) is { } through ? $" through the proxy {through}" : "";
                throw new MuktaException(
                    ExitCode.NoSource, $"The manifest cannot be downloaded{proxy}: {PathBytes.Shown(reason)}.", url.AbsoluteUri,
                    "Check the address and the network, or name a manifest on this machine with --manifest.", e);
            }

            Say?.Invoke(
                $"The manifest could not be asked for again ({PathBytes.Shown(reason)}); "
                + $"the one of {Units.Time(now - kept.AskedAt)} ago is used.");
        }
    }

    private async Task AskAsync(Wanted wanted, KeptFacts? kept, DateTimeOffset now)
    {
        var (url, trust, _, accept) = wanted;
        using var client = HttpClients.Make(settings(), redirects: 5, handler => handler.ConnectTimeout = Patience);
        using var overall = new CancellationTokenSource(Longest, time);
        var answer = await GetAsync(client, url, kept, ManifestSignature.LongestSigned, overall.Token).ConfigureAwait(false);
        if (answer.Body is not { } content)
        {
            if (kept is null)
                throw new HttpRequestException(Words(answer.Status));
            Put(url, Facts, kept with { AskedAt = now });
            return;
        }

        var signature = trust.Count == 0 ? null : await SignatureAsync(client, url, overall.Token).ConfigureAwait(false);
        if (signature is not null)
            ManifestSignature.Check(content, signature, TrustAnchors.Read(trust), url.AbsoluteUri + ManifestSignature.Extension, now);
        accept(content); // What cannot be used takes the place of nothing.
        if (signature is not null)
            StatePlace.WriteFile(cacheFolder, Inside(url, File + ManifestSignature.Extension), signature);
        StatePlace.WriteFile(cacheFolder, Inside(url, File), content);
        Put(url, Facts, new KeptFacts(url.AbsoluteUri, answer.Tag, answer.Modified, now));
    }

    private async Task<byte[]> SignatureAsync(HttpClient client, Uri url, CancellationToken overall)
    {
        var beside = new UriBuilder(url) { Path = url.AbsolutePath + ManifestSignature.Extension }.Uri;
        var answer = await GetAsync(client, beside, null, 1 << 20, overall).ConfigureAwait(false);
        return answer.Body
            ?? throw NotTrusted(
            $"The manifest is not signed: {Words(answer.Status)} for its signature.", beside, "Ask its publisher for the signature.");
    }

    private async Task<Answer> GetAsync(HttpClient client, Uri url, KeptFacts? kept, long most, CancellationToken overall)
    {
        using var silence = CancellationTokenSource.CreateLinkedTokenSource(overall);
        silence.CancelAfter(Patience);
        using var request = new HttpRequestMessage(HttpMethod.Get, url)
        {
            Version = HttpVersion.Version20,
            VersionPolicy = HttpVersionPolicy.RequestVersionOrLower,
        };
        request.Headers.AcceptEncoding.ParseAdd("gzip");
        if (kept?.Tag is { } tag && EntityTagHeaderValue.TryParse(tag, out var known))
            request.Headers.IfNoneMatch.Add(known);
        else if (kept?.Modified is { } modified)
            request.Headers.IfModifiedSince = modified;
        using var response = await client.SendAsync(request, HttpCompletionOption.ResponseHeadersRead, silence.Token).ConfigureAwait(false);
        if (response.StatusCode != HttpStatusCode.OK)
        {
            var isSignature = url.AbsolutePath.EndsWith(ManifestSignature.Extension, StringComparison.Ordinal);
            return response.StatusCode == HttpStatusCode.NotModified || isSignature
                ? new Answer(response.StatusCode, null, null, null) : throw new HttpRequestException(Words(response.StatusCode));
        }

        var stream = await response.Content.ReadAsStreamAsync(silence.Token).ConfigureAwait(false);
        var sent = await ReadAsync(stream, most, silence).ConfigureAwait(false);
        return new Answer(
            response.StatusCode, await DecodedAsync(response, sent, most, silence).ConfigureAwait(false), response.Headers.ETag?.ToString(),
            response.Content.Headers.LastModified);
    }

    private async Task<byte[]> DecodedAsync(HttpResponseMessage response, byte[] sent, long most, CancellationTokenSource silence)
    {
        switch (response.Content.Headers.ContentEncoding.ToList())
        {
            case []:
                return sent;
            case ["gzip" or "x-gzip"]:
                using (var packed = new GZipStream(new MemoryStream(sent, writable: false), CompressionMode.Decompress))
                    return await ReadAsync(packed, most, silence).ConfigureAwait(false);
            default:
                throw new HttpRequestException("it is encoded in a way that was not asked for");
        }
    }

    private async Task<byte[]> ReadAsync(Stream stream, long most, CancellationTokenSource silence)
    {
        using var whole = new MemoryStream();
        var buffer = new byte[1 << 16];
        for (int got; (got = await stream.ReadAsync(buffer, silence.Token).ConfigureAwait(false)) > 0;)
        {
            whole.Write(buffer, 0, got);
            if (whole.Length > most)
                throw new HttpRequestException($"it is longer than {Units.Bytes(most)}");
            silence.CancelAfter(Patience);
        }

        return whole.ToArray();
    }

    private static string Words(HttpStatusCode status) => $"the server answers {(int)status}";

    private KeptFacts? KeptOf(Uri url)
    {
        try
        {
            return StatePlace.HasFile(cacheFolder, Inside(url, File)) && StatePlace.HasFile(cacheFolder, Inside(url, Facts))
                && JsonSerializer.Deserialize(
                StatePlace.ReadFile(cacheFolder, Inside(url, Facts), LongestFacts), KeptFactsJson.Default.KeptFacts) is { } facts
                && facts.Url == url.AbsoluteUri ? facts : null;
        }
        catch (Exception e) when (e is JsonException or MuktaException)
        {
            return null;
        }
    }

    private void Put(Uri url, string file, KeptFacts facts) =>
        StatePlace.WriteFile(cacheFolder, Inside(url, file), JsonSerializer.SerializeToUtf8Bytes(facts, KeptFactsJson.Default.KeptFacts));

    private string PathOf(Uri url) => StatePlace.PathIn(cacheFolder, Inside(url, File));

    private static string Inside(Uri url, string file) =>
        $"manifests/{Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(url.AbsoluteUri)).AsSpan(0, 16))}/{file}";

    private sealed record Wanted(Uri Url, IReadOnlyList<string> Trust, TimeSpan FreshFor, Action<byte[]> Accept);

    private sealed record Answer(HttpStatusCode Status, byte[]? Body, string? Tag, DateTimeOffset? Modified);
}

/// <summary>Where a product's index of releases is.</summary>
/// <param name="Url">Its address.</param>
/// <param name="Channel">The channel whose newest release is meant.</param>
/// <param name="FreshFor">How old what is kept may be.</param>
public sealed record IndexPlace(Uri Url, string Channel, TimeSpan FreshFor);

/// <summary>What is known of a manifest that is kept.</summary>
internal sealed record KeptFacts(string Url, string? Tag, DateTimeOffset? Modified, DateTimeOffset AskedAt);

[JsonSerializable(typeof(KeptFacts))]
[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase)]
internal sealed partial class KeptFactsJson : JsonSerializerContext;
