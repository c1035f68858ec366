using Mukta.Fetching;

namespace Mukta.Host.Outages;

/// <summary>Reads outage pages from the network.</summary>
/// <param name="settings">How Mukta goes to the network.</param>
public sealed class OutageLook(HttpSettings settings)
{
    private const int LongestPage = 256 * 1024;

    /// <summary>Reads a page. Never throws for what the network does.</summary>
    /// <param name="url">Where it is.</param>
    /// <param name="limit">The longest that it may take.</param>
    /// <param name="cancel">Ends it.</param>
    /// <returns>The page, or why it could not be read.</returns>
    public async Task<(OutagePage? Page, string? Reason)> AtAsync(Uri url, TimeSpan limit, CancellationToken cancel)
    {
        using var http = HttpClients.Make(settings, redirects: 3);
        http.MaxResponseContentBufferSize = LongestPage;
        http.DefaultRequestHeaders.Accept.ParseAdd("application/health+json, application/json");
        using var timed = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        timed.CancelAfter(limit);
        try
        {
            using var response = await http.GetAsync(url, timed.Token).ConfigureAwait(false);
            return OutagePage.Parse(await response.Content.ReadAsByteArrayAsync(timed.Token).ConfigureAwait(false)) is { } page
                ? (page, null)
                : (null, $"it answers {(int)response.StatusCode} with something that is not a health report");
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            return (null, "it does not answer in time");
        }
        catch (HttpRequestException e)
        {
            return (null, e.HttpRequestError == HttpRequestError.ConfigurationLimitExceeded ? "it is larger than any health report"
                : e.InnerException?.Message ?? e.Message);
        }
    }
}
