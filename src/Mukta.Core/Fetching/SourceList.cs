using Mukta.Disk;
using Mukta.Manifests;
using Serilog;

namespace Mukta.Fetching;

/// <summary>What is said of where good bytes come from.</summary>
/// <param name="Http">How Mukta goes to the network.</param>
/// <param name="Limits">What downloads keep to.</param>
public sealed record SourceWish(HttpSettings Http, FetchLimits Limits)
{
    /// <summary>URLs (http, https) and folders that the user named.</summary>
    public IReadOnlyList<string> Named { get; init; } = [];

    /// <summary>Mirrors that are tried before the manifest's own, where none is named.</summary>
    public IReadOnlyList<Uri> Mirrors { get; init; } = [];

    /// <summary>True to use folders only.</summary>
    public bool IsOffline { get; init; }
}

/// <summary>Makes sources out of what the user or the manifest names, in the order in which they are to be tried.</summary>
public sealed class SourceList : IDisposable
{
    private readonly List<ISource> sources = [];
    private readonly HttpClient http;
    private readonly HttpSettings settings;
    private readonly long? mostPerSecond;

    private SourceList(HttpSettings settings, FetchLimits limits)
    {
        (this.settings, mostPerSecond) = (settings, limits.BytesPerSecond);
        http = MirrorSource.CreateClient(settings, limits.LongestSilence);
    }

    /// <summary>The sources, first choice first.</summary>
    public IReadOnlyList<ISource> Sources => sources;

    /// <summary>
    /// The sources that the user named; where none is, the ones that the manifest lists. Where the network is left out those are in the
    /// list only to say so.
    /// </summary>
    /// <exception cref="MuktaException">A name is neither URL nor folder.</exception>
    public static SourceList Of(SourceWish wish, Manifest manifest, TimeProvider time, ILogger log)
    {
        var list = new SourceList(wish.Http, wish.Limits);
        try
        {
            foreach (var name in wish.Named)
                list.sources.Add(list.Named(name, list.RankAfter(IsUrl(name)), time, log));
            if (wish.IsOffline && list.sources.Find(s => s.IsRemote) is { } remote)
            {
                throw new MuktaException(
                    ExitCode.BadInput, "This source is on the network, and --offline leaves the network out.", remote.Name,
                    "Name a folder with --from, or leave --offline out.");
            }

            if (wish.Named.Count == 0)
            {
                foreach (var mirror in wish.Mirrors)
                    list.sources.Add(list.Named(mirror.AbsoluteUri, list.RankAfter(sharesWithLast: true), time, log));
                list.AddListed(manifest, time, log);
                if (wish.IsOffline)
                    list.LeaveOut();
            }

            return list;
        }
        catch
        {
            list.Dispose();
            throw;
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var source in sources.OfType<IDisposable>())
            source.Dispose();
        http.Dispose();
    }

    private void LeaveOut()
    {
        List<ISource> remote = [.. sources];
        sources.Clear();
        sources.AddRange(remote.Select(s => new LeftOutSource(s.Name, s.Rank)));
    }

    private static bool IsUrl(string name) => name.Contains("://", StringComparison.Ordinal);

    /// <summary>The rank of a source that comes after those so far: mirrors in a row share one, a folder has one of its own.</summary>
    private int RankAfter(bool sharesWithLast) =>
        sources is not [.., var last] ? 0 : last.IsRemote && sharesWithLast ? last.Rank : last.Rank + 1;

    private MirrorSource Mirror(string name, Func<ManifestFile, Uri?> urlOf, int rank, TimeProvider time, ILogger log) =>
        new(name, http, urlOf, time, log) { Rank = rank, Settings = settings, MostPerSecond = mostPerSecond };

    private ISource Named(string name, int rank, TimeProvider time, ILogger log)
    {
        if (IsUrl(name))
        {
            return Uri.TryCreate(name, UriKind.Absolute, out var uri)
                && (uri.Scheme == Uri.UriSchemeHttp || uri.Scheme == Uri.UriSchemeHttps)
                ? Mirror(name, file => MirrorUrl.Below(uri, file.Path), rank, time, log)
                : throw new MuktaException(
                ExitCode.BadInput, "This source is not an http or https URL.", name,
                "Name a URL such as https://mirror.example/game, or a folder.");
        }

        if (!Directory.Exists(name))
        {
            throw new MuktaException(
                ExitCode.BadInput, "This source is not a folder.", name,
                "Name a folder that holds the release's files, or a URL that begins with http:// or https://.");
        }

        return Bundle.IsAt(name) ? new BundleSource(Bundle.Open(name)) { Rank = rank }
            : new FolderSource(Folder.Open(name)) { Rank = rank };
    }

    /// <summary>What the manifest lists: mirrors of the same priority share a rank.</summary>
    private void AddListed(Manifest manifest, TimeProvider time, ILogger log)
    {
        MirrorUrl? before = null;
        foreach (var root in manifest.Bases.OrderBy(b => b.Priority))
        {
            var rank = RankAfter(root.Priority == before?.Priority);
            sources.Add(Mirror(root.Url.AbsoluteUri, file => MirrorUrl.Below(root.Url, file.Path), rank, time, log));
            before = root;
        }

        var most = manifest.Files.Max(f => (int?)f.Urls.Count) ?? 0;
        for (var i = 0; i < most; i++)
        {
            var choice = i;
            var name = choice == 0 ? "the manifest's own URLs" : $"the manifest's own URLs, choice {choice + 1}";
            var isAsGood = choice > 0 && manifest.Files.All(
                f => f.Urls.Count <= choice || f.Urls[choice].Priority == f.Urls[choice - 1].Priority);
            sources.Add(Mirror(
                name, file => choice < file.Urls.Count ? file.Urls[choice].Url : null, RankAfter(isAsGood), time, log));
        }
    }
}
