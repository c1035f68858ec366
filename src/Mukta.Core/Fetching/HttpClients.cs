using System.Net;
using System.Net.Security;
using System.Security.Cryptography.X509Certificates;

namespace Mukta.Fetching;

/// <summary>How Mukta goes to the network.</summary>
/// <param name="UserAgent">What it calls itself, such as <c>mukta/0.1.0</c>.</param>
public sealed record HttpSettings(string UserAgent)
{
    private static readonly string[] Variables = ["http_proxy", "https_proxy", "all_proxy", "HTTP_PROXY", "HTTPS_PROXY", "ALL_PROXY"];

    /// <summary>The proxy where no variable of the environment names one; null for none.</summary>
    public Uri? Proxy { get; init; }

    /// <summary>Certificates that are trusted beside the system's; null for none.</summary>
    public X509Certificate2Collection? Certificates { get; init; }

    /// <summary>The proxy through which a URL is fetched, without a password; null for none.</summary>
    public string? ProxyFor(Uri url) =>
        (Own ?? HttpClient.DefaultProxy) is { } proxy && !proxy.IsBypassed(url) && proxy.GetProxy(url) is { } through && through != url
            ? Redacted(through.AbsoluteUri.TrimEnd('/')) : null;

    /// <summary>A proxy's address without the name and password that may be in it.</summary>
    internal static string Redacted(string value)
    {
        var at = value.LastIndexOf('@');
        var scheme = value.IndexOf("://", StringComparison.Ordinal) is var s and >= 0 ? value[..(s + 3)] : "";
        return at < 0 ? value : $"{scheme}...@{value[(at + 1)..]}";
    }

    internal IWebProxy? Own => Proxy is null || HasVariable ? null : new WebProxy(Proxy);

    private static bool HasVariable => Variables.Any(v => Environment.GetEnvironmentVariable(v) is { Length: > 0 });
}

/// <summary>Clients as Mukta needs them: no cookies, nothing decompressed, proxies by the usual variables.</summary>
internal static class HttpClients
{
    /// <summary>Makes one.</summary>
    /// <param name="settings">How it goes to the network.</param>
    /// <param name="redirects">How many redirects it follows.</param>
    /// <param name="more">What else is special about it.</param>
    public static HttpClient Make(HttpSettings settings, int redirects, Action<SocketsHttpHandler>? more = null)
    {
        var handler = new SocketsHttpHandler
        {
            UseCookies = false,
            AutomaticDecompression = DecompressionMethods.None,
            AllowAutoRedirect = redirects > 0,
            MaxAutomaticRedirections = Math.Max(redirects, 1),
        };
        if (settings.Own is { } proxy)
            handler.Proxy = proxy;
        if (settings.Certificates is { } own)
            handler.SslOptions.RemoteCertificateValidationCallback = (_, server, chain, errors) => IsTrusted(own, server, chain, errors);
        more?.Invoke(handler);
        var client = new HttpClient(handler);
        client.DefaultRequestHeaders.UserAgent.ParseAdd(settings.UserAgent);
        return client;
    }

    /// <summary>True for what the system trusts, and for a chain that ends in one of the user's own certificates.</summary>
    private static bool IsTrusted(X509Certificate2Collection own, X509Certificate? server, X509Chain? sent, SslPolicyErrors errors)
    {
        if (errors == SslPolicyErrors.None)
            return true;
        if (errors != SslPolicyErrors.RemoteCertificateChainErrors)
            return false;
        using var chain = new X509Chain();
        chain.ChainPolicy.TrustMode = X509ChainTrustMode.CustomRootTrust;
        chain.ChainPolicy.CustomTrustStore.AddRange(own);
        chain.ChainPolicy.RevocationMode = X509RevocationMode.NoCheck;
        chain.ChainPolicy.ExtraStore.AddRange(sent?.ChainPolicy.ExtraStore ?? []);
        return server is X509Certificate2 shown && chain.Build(shown);
    }
}
