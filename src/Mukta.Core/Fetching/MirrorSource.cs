using System.Collections.Concurrent;
using System.Net;
using System.Net.Http.Headers;
using Mukta.Manifests;
using Polly;
using Polly.Retry;
using Serilog;
using Serilog.Events;

namespace Mukta.Fetching;

/// <summary>
/// A mirror over HTTP (RFC 9110). Asks for byte ranges (section 14); a mirror that ignores them and sends the whole file
/// is taken at its word, one that answers with other bytes than asked for is refused.
/// </summary>
/// <param name="name">What to call it in messages.</param>
/// <param name="http">The client; see <see cref="CreateClient"/>.</param>
/// <param name="urlOf">The file's URL on this mirror; null if it has none.</param>
/// <param name="time">For the waits between tries.</param>
/// <param name="log">Takes a line for each request.</param>
public sealed class MirrorSource(string name, HttpClient http, Func<ManifestFile, Uri?> urlOf, TimeProvider time, ILogger log) : ISource
{
    private static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(30);

    private readonly ConcurrentDictionary<Uri, EntityTagHeaderValue> tags = new();
    private readonly ResiliencePipeline<HttpResponseMessage> pipeline = Pipeline(time, log);

    /// <inheritdoc/>
    public string Name { get; } = name;

    /// <inheritdoc/>
    public bool IsRemote => true;

    /// <inheritdoc/>
    public int Rank { get; init; }

    /// <inheritdoc/>
    public long? MostPerSecond { get; init; }

    /// <summary>How the client goes to the network: names the proxy where nobody answers.</summary>
    public HttpSettings? Settings { get; init; }

    /// <summary>A client as mirrors need it: no cookies, no decompression, few redirects, proxies by the usual variables.</summary>
    /// <param name="settings">How Mukta goes to the network.</param>
    /// <param name="longestSilence">The longest that an answer's headers may take. Bodies are read with a limit of their own.</param>
    public static HttpClient CreateClient(HttpSettings settings, TimeSpan longestSilence)
    {
        var client = HttpClients.Make(settings, redirects: 5, handler =>
        {
            handler.ConnectTimeout = TimeSpan.FromSeconds(10);
            handler.PooledConnectionIdleTimeout = TimeSpan.FromSeconds(30);
            handler.MaxConnectionsPerServer = 8;
        });
        client.Timeout = longestSilence;
        client.DefaultRequestHeaders.AcceptEncoding.ParseAdd("identity");
        return client;
    }

    /// <inheritdoc/>
    public async Task ProbeAsync(ManifestFile file, CancellationToken cancel)
    {
        var url = Url(file);
        using var response = await SendAsync(url, HttpMethod.Head, null, cancel).ConfigureAwait(false);
        Refuse(response, url);
    }

    /// <inheritdoc/>
    public async Task<SourceAnswer> OpenAsync(ManifestFile file, ByteRange wanted, CancellationToken cancel)
    {
        var url = Url(file);
        var isWhole = wanted is { Offset: 0 } && wanted.Length == file.Size;
        var range = isWhole ? null : new RangeHeaderValue(wanted.Offset, wanted.End - 1);
        var response = await SendAsync(url, HttpMethod.Get, range, cancel).ConfigureAwait(false);
        try
        {
            Refuse(response, url);
            var covers = Covers(response, file, wanted);
            return new SourceAnswer(covers, await response.Content.ReadAsStreamAsync(cancel).ConfigureAwait(false), response)
            {
                HasChanged = file.PieceCount > 1 && HasChanged(url, response),
            };
        }
        catch
        {
            response.Dispose();
            throw;
        }
    }

    private static ResiliencePipeline<HttpResponseMessage> Pipeline(TimeProvider time, ILogger log) =>
        new ResiliencePipelineBuilder<HttpResponseMessage> { TimeProvider = time }
            .AddRetry(new RetryStrategyOptions<HttpResponseMessage>
            {
                MaxRetryAttempts = 3,
                BackoffType = DelayBackoffType.Exponential,
                Delay = TimeSpan.FromMilliseconds(200),
                UseJitter = true,
                MaxDelay = LongestWait,
                ShouldHandle = args => ValueTask.FromResult(args.Outcome switch
                {
                    { Exception: HttpRequestException } => true,
                    { Result.StatusCode: var status } => MayBePassing(status),
                    _ => false,
                }),
                DelayGenerator = args => ValueTask.FromResult(RetryAfter(args.Outcome.Result, time)),
                OnRetry = args =>
                {
                    log.Debug(
                        "trying again in {Delay} after {Outcome}", args.RetryDelay,
                        (object?)args.Outcome.Exception?.Message ?? args.Outcome.Result?.StatusCode);
                    args.Outcome.Result?.Dispose();
                    return default;
                },
            })
            .Build();

    /// <summary>How long a mirror asks to wait before the next try, within bounds; null if it does not say.</summary>
    internal static TimeSpan? RetryAfter(HttpResponseMessage? response, TimeProvider time)
    {
        var asked = response?.Headers.RetryAfter switch
        {
            { Delta: { } delta } => delta,
            { Date: { } date } => date - time.GetUtcNow(),
            _ => (TimeSpan?)null,
        };
        return asked is not { } wait ? null : wait < TimeSpan.Zero ? TimeSpan.Zero : wait > LongestWait ? LongestWait : wait;
    }

    /// <summary>Asks, and asks again where that may help. The retries cost time to set up, and most requests do not need them.</summary>
    private async Task<HttpResponseMessage> AskAsync(Func<CancellationToken, Task<HttpResponseMessage>> once, CancellationToken cancel)
    {
        Task<HttpResponseMessage>? first = once(cancel);
        await ((Task)first).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        if (first.IsCompletedSuccessfully && !MayBePassing(first.Result.StatusCode))
            return first.Result;
        return await pipeline.ExecuteAsync(
            async token => await (Interlocked.Exchange(ref first, null) ?? once(token)).ConfigureAwait(false), cancel)
            .ConfigureAwait(false);
    }

    private async Task<HttpResponseMessage> OnceAsync(Uri url, HttpMethod method, RangeHeaderValue? range, CancellationToken cancel)
    {
        using var request = new HttpRequestMessage(method, url)
        {
            Version = HttpVersion.Version20,
            VersionPolicy = HttpVersionPolicy.RequestVersionOrLower,
        };
        request.Headers.Range = range;
        if (range is not null && tags.TryGetValue(url, out var tag))
            request.Headers.IfRange = new RangeConditionHeaderValue(tag);
        return await http.SendAsync(request, HttpCompletionOption.ResponseHeadersRead, cancel).ConfigureAwait(false);
    }

    private static bool MayBePassing(HttpStatusCode status) =>
        status is HttpStatusCode.RequestTimeout or HttpStatusCode.TooManyRequests or >= HttpStatusCode.InternalServerError;

    private async Task<HttpResponseMessage> SendAsync(Uri url, HttpMethod method, RangeHeaderValue? range, CancellationToken cancel)
    {
        try
        {
            var response = await AskAsync(token => OnceAsync(url, method, range, token), cancel).ConfigureAwait(false);
            if (log.IsEnabled(LogEventLevel.Verbose))
            {
                log.Verbose(
                    "{Method} {Url} {Range} answered {Status}", method, url, range?.ToString() ?? "whole", (int)response.StatusCode);
            }

            return response;
        }
        catch (HttpRequestException e)
        {
            var isDead =
                e.HttpRequestError is HttpRequestError.ConnectionError
                or HttpRequestError.NameResolutionError or HttpRequestError.SecureConnectionError;
            throw new SourceException(Name, $"does not answer{Through(url)} ({Innermost(e).Message})", isDead, e);
        }
        catch (UriFormatException e)
        {
            throw new SourceException(Name, "leads somewhere that is not an http or https URL", isDead: false, e);
        }
        catch (OperationCanceledException e) when (!cancel.IsCancellationRequested)
        {
            throw new SourceException(Name, $"does not answer{Through(url)} in time", isDead: true, e);
        }
    }

    /// <summary>
    /// A mirror that changes a file under us is noticed by its entity tag: with If-Range (RFC 9110, 13.1.5) it answers with the
    /// whole new file instead of a range of it.
    /// </summary>
    private bool HasChanged(Uri url, HttpResponseMessage response)
    {
        if (response.Headers.ETag is not { IsWeak: false } tag)
            return false;
        var hasChanged = tags.TryGetValue(url, out var before) && !before.Equals(tag);
        tags[url] = tag;
        return hasChanged;
    }

    private string Through(Uri url) => Settings?.ProxyFor(url) is { } proxy ? $" through the proxy {proxy}" : "";

    private static Exception Innermost(Exception e) => e.InnerException is { } inner ? Innermost(inner) : e;

    private Uri Url(ManifestFile file) => urlOf(file) ?? throw new SourceException(Name, "is not listed for this file", isDead: false);

    private void Refuse(HttpResponseMessage response, Uri url)
    {
        if (response.StatusCode is HttpStatusCode.OK or HttpStatusCode.PartialContent)
            return;
        var isDead = response.StatusCode >= HttpStatusCode.InternalServerError || response.StatusCode == HttpStatusCode.TooManyRequests;
        var where = response.Headers.Location is { } other ? $" and leads to {other}, which is not followed" : "";
        throw new SourceException(
            Name, $"answers {(int)response.StatusCode} {response.ReasonPhrase} for {url.AbsolutePath}{where}", isDead);
    }

    private ByteRange Covers(HttpResponseMessage response, ManifestFile file, ByteRange wanted)
    {
        var (status, headers) = (response.StatusCode, response.Content.Headers);
        if (headers.ContentEncoding.Count > 0)
            throw new SourceException(Name, "sends the file encoded, which was not asked for", isDead: false);
        if (status == HttpStatusCode.OK)
        {
            return headers.ContentLength is not { } length || length == file.Size
                ? new ByteRange(0, file.Size)
                : throw new SourceException(Name, $"has another file there, of {length} bytes instead of {file.Size}", isDead: false);
        }

        if (headers.ContentRange is not { Unit: "bytes", From: { } from, To: { } to } range || from != wanted.Offset
            || to != wanted.End - 1)
            throw new SourceException(Name, $"answers with another range than bytes {wanted.Offset}-{wanted.End - 1}", isDead: false);
        if (range.Length is { } whole && whole != file.Size)
            throw new SourceException(Name, $"has another file there, of {whole} bytes instead of {file.Size}", isDead: false);
        return headers.ContentLength is not { } sent || sent == wanted.Length
            ? wanted
            : throw new SourceException(Name, $"announces {sent} bytes for a range of {wanted.Length}", isDead: false);
    }
}
