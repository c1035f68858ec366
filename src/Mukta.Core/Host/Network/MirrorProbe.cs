using System.Net;
using System.Net.Http.Headers;
using System.Net.Security;
using System.Net.Sockets;
using System.Text;
using Mukta.Fetching;

namespace Mukta.Host.Network;

/// <summary>Tries a mirror step by step with short limits, and fetches a bounded sample from it.</summary>
/// <param name="settings">How Mukta goes to the network.</param>
/// <param name="time">For the time that each step takes.</param>
public sealed class MirrorProbe(HttpSettings settings, TimeProvider time)
{
    /// <summary>A smaller sample says nothing of a mirror's speed.</summary>
    internal const long LeastTelling = 64 * 1024;

    /// <summary>A sample is at most this long, in bytes.</summary>
    public const long LongestSample = 1 << 20;

    private static readonly TimeSpan LongestReading = TimeSpan.FromSeconds(1);

    /// <summary>Tries a mirror. Never throws for what the network does.</summary>
    /// <param name="sample">What to ask for.</param>
    /// <param name="limit">The longest that all of it may take.</param>
    /// <param name="cancel">Ends it.</param>
    public async Task<MirrorFacts> TryAsync(MirrorSample sample, TimeSpan limit, CancellationToken cancel)
    {
        var attempt = new Attempt(sample, time);
        using var timed = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        timed.CancelAfter(limit);
        using var http = Client(attempt);
        try
        {
            await FetchAsync(http, attempt, timed.Token).ConfigureAwait(false);
            return attempt.Facts;
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            return attempt.FailedBecause("no answer in time");
        }
        catch (HttpRequestException e)
        {
            return attempt.FailedBecause(Innermost(e).Message);
        }
        catch (IOException e)
        {
            return attempt.FailedBecause(e.Message);
        }
    }

    private HttpClient Client(Attempt attempt) => HttpClients.Make(settings, redirects: 0, handler => handler.ConnectCallback =
        async (context, cancel) => await attempt.ConnectAsync(context.DnsEndPoint, cancel).ConfigureAwait(false));

    private async Task FetchAsync(HttpClient http, Attempt attempt, CancellationToken cancel)
    {
        using var request = new HttpRequestMessage(HttpMethod.Get, attempt.Facts.Sample.Url);
        request.Headers.Range = new RangeHeaderValue(0, LongestSample - 1);
        using var response = await http.SendAsync(request, HttpCompletionOption.ResponseHeadersRead, cancel).ConfigureAwait(false);
        attempt.Did(NetworkStep.FirstByte);
        attempt.Facts = attempt.Facts with { Status = (int)response.StatusCode, ClockAhead = response.Headers.Date - time.GetUtcNow() };

        var body = await response.Content.ReadAsStreamAsync(cancel).ConfigureAwait(false);
        await using (body.ConfigureAwait(false))
        {
            var (started, buffer, start) = (time.GetTimestamp(), new byte[64 * 1024], "");
            var bytes = 0L;
            while (bytes < LongestSample && time.GetElapsedTime(started) < LongestReading
                && await body.ReadAsync(buffer, cancel).ConfigureAwait(false) is var got and > 0)
            {
                start = bytes == 0 ? Encoding.Latin1.GetString(buffer, 0, Math.Min(got, 512)) : start;
                bytes += got;
                attempt.Facts = attempt.Facts with { SampleBytes = bytes };
            }

            attempt.Did(NetworkStep.Sample);
            attempt.Facts = attempt.Facts with { IsPage = IsPage(response, start) };
        }
    }

    private static bool IsPage(HttpResponseMessage response, string start) =>
        response.Content.Headers.ContentType?.MediaType == "text/html"
        || start.TrimStart().StartsWith("<!doctype html", StringComparison.OrdinalIgnoreCase)
        || start.TrimStart().StartsWith("<html", StringComparison.OrdinalIgnoreCase);

    private static Exception Innermost(Exception e) => e.InnerException is { } inner ? Innermost(inner) : e;

    /// <summary>One try, and how far it has come.</summary>
    private sealed class Attempt(MirrorSample sample, TimeProvider time)
    {
        private readonly List<StepTime> steps = [];
        private long since = time.GetTimestamp();

        public MirrorFacts Facts { get; set; } = new(sample, []);

        public void Did(NetworkStep step)
        {
            steps.Add(new StepTime(step, time.GetElapsedTime(since)));
            since = time.GetTimestamp();
            Facts = Facts with { Steps = [.. steps] };
        }

        public MirrorFacts FailedBecause(string reason) => Facts with
        {
            FailedAt = steps.Count == 0 ? NetworkStep.NameLookup : Next(steps[^1].Step),
            Reason = reason,
        };

        /// <summary>Connects to the mirror, or to the proxy before it, and encrypts where the mirror itself is reached.</summary>
        public async Task<Stream> ConnectAsync(DnsEndPoint to, CancellationToken cancel)
        {
            var isProxy = to.Host != sample.Url.IdnHost.Trim('[', ']') || to.Port != sample.Url.Port;
            if (isProxy)
                Facts = Facts with { Proxy = $"{to.Host}:{to.Port}" };
            var addresses = await Dns.GetHostAddressesAsync(to.Host, cancel).ConfigureAwait(false);
            Did(NetworkStep.NameLookup);
            var socket = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
            try
            {
                await socket.ConnectAsync(addresses, to.Port, cancel).ConfigureAwait(false);
                Did(NetworkStep.Connect);
                Stream stream = new NetworkStream(socket, ownsSocket: true);
                if (isProxy || sample.Url.Scheme != Uri.UriSchemeHttps)
                    return stream;
                var encrypted = new SslStream(stream);
                await encrypted.AuthenticateAsClientAsync(
                    new SslClientAuthenticationOptions { TargetHost = sample.Url.IdnHost }, cancel).ConfigureAwait(false);
                Did(NetworkStep.Tls);
                return encrypted;
            }
            catch
            {
                socket.Dispose();
                throw;
            }
        }

        private NetworkStep Next(NetworkStep step) => step switch
        {
            NetworkStep.NameLookup => NetworkStep.Connect,
            NetworkStep.Connect when sample.Url.Scheme == Uri.UriSchemeHttps => NetworkStep.Tls,
            NetworkStep.FirstByte or NetworkStep.Sample => NetworkStep.Sample,
            _ => NetworkStep.FirstByte,
        };
    }
}
