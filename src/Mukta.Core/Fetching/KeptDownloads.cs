using System.IO.Compression;
using System.Net;
using System.Net.Http.Headers;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Serialization;
using Mukta.Disk;
using Mukta.Manifests.Signatures;
using Mukta.Operations;

namespace Mukta.Fetching;

/// <summary>What can be downloaded from the network.</summary>
/// <param name="Url">Where it is.</param>
/// <param name="Trust">Files with the certificates that it has to be signed under; none if it need not be.</param>
/// <param name="FreshFor">How old what is kept may be.</param>
/// <param name="Accept">Refuses what cannot be used: it takes the place of nothing.</param>
internal sealed record Wanted(Uri Url, IReadOnlyList<string> Trust, TimeSpan FreshFor, Action<byte[]> Accept);

/// <summary>
/// Small files from the network, each kept in the user's cache with its signature, and asked for again once it is too old.
/// </summary>
/// <param name="cacheFolder">The user's folder for caches (XDG Base Directory specification).</param>
/// <param name="settings">How Mukta goes to the network.</param>
/// <param name="time">For dates.</param>
internal sealed class KeptDownloads(string cacheFolder, Func<HttpSettings> settings, TimeProvider time)
{
    private const string File = "manifest.meta4", Facts = "facts.json";
    private const int LongestFacts = 64 << 10;

    public required bool IsOffline { get; init; }

    public required TimeSpan Patience { get; init; }

    public required TimeSpan Longest { get; init; }

    public required Action<string>? Say { get; init; }

    /// <summary>Where a file is kept, there or not.</summary>
    public string PathOf(Uri url) => StatePlace.PathIn(cacheFolder, Inside(url, File));

    /// <summary>Makes sure that a file is kept and is not too old, and answers where it is.</summary>
    /// <exception cref="MuktaException">It cannot be had, is not trusted, or cannot be used.</exception>
    public string Bring(Wanted wanted)
    {
        BringAsync(wanted).GetAwaiter().GetResult();
        return PathOf(wanted.Url);
    }

    private async Task BringAsync(Wanted wanted)
    {
        var (url, trust, freshFor, _) = wanted;
        var kept = KeptOf(url);
        if (!IsOffline && kept?.Stands != StandsNow(url))
            kept = null; // Somebody or something has changed what was kept: it is asked for anew.
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
        Put(url, Facts, new KeptFacts(url.AbsoluteUri, answer.Tag, answer.Modified, now) { Stands = StandsNow(url) });
    }

    private async Task<byte[]> SignatureAsync(HttpClient client, Uri url, CancellationToken overall)
    {
        var beside = new UriBuilder(url) { Path = url.AbsolutePath + ManifestSignature.Extension }.Uri;
        var answer = await GetAsync(client, beside, null, 1 << 20, overall).ConfigureAwait(false);
        return answer.Body
            ?? throw new MuktaException(
            ExitCode.NotTrusted, $"The manifest is not signed: {Words(answer.Status)} for its signature.", beside.AbsoluteUri,
            "Nothing was touched. Ask its publisher for the signature.");
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

    /// <summary>How what is kept stands, in a few words.</summary>
    private string StandsNow(Uri url) => string.Join(
        ' ', new[] { PathOf(url), PathOf(url) + ManifestSignature.Extension }.Select(Node.At).Select(n => $"{n?.Size}:{n?.ModifiedNs}"));

    private void Put(Uri url, string file, KeptFacts facts) =>
        StatePlace.WriteFile(cacheFolder, Inside(url, file), JsonSerializer.SerializeToUtf8Bytes(facts, KeptFactsJson.Default.KeptFacts));

    private static string Inside(Uri url, string file) =>
        $"manifests/{Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(url.AbsoluteUri)).AsSpan(0, 16))}/{file}";

    private sealed record Answer(HttpStatusCode Status, byte[]? Body, string? Tag, DateTimeOffset? Modified);
}

/// <summary>What is known of a manifest that is kept.</summary>
internal sealed record KeptFacts(string Url, string? Tag, DateTimeOffset? Modified, DateTimeOffset AskedAt)
{
    /// <summary>The state of the kept files as it was once they were written.</summary>
    public string? Stands { get; init; }
}

[JsonSerializable(typeof(KeptFacts))]
[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase)]
internal sealed partial class KeptFactsJson : JsonSerializerContext;
