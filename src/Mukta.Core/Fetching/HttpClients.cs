using System.Net;

namespace Mukta.Fetching;

/// <summary>Clients as Mukta needs them: no cookies, nothing decompressed, proxies by the usual variables.</summary>
internal static class HttpClients
{
    /// <summary>Makes one.</summary>
    /// <param name="userAgent">What Mukta calls itself.</param>
    /// <param name="redirects">How many redirects it follows.</param>
    /// <param name="more">What else is special about it.</param>
    public static HttpClient Make(string userAgent, int redirects, Action<SocketsHttpHandler>? more = null)
    {
        var handler = new SocketsHttpHandler
        {
            UseCookies = false,
            AutomaticDecompression = DecompressionMethods.None,
            AllowAutoRedirect = redirects > 0,
            MaxAutomaticRedirections = Math.Max(redirects, 1),
        };
        more?.Invoke(handler);
        var client = new HttpClient(handler);
        client.DefaultRequestHeaders.UserAgent.ParseAdd(userAgent);
        return client;
    }
}
