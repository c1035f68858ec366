using Mukta.Disk;
using Mukta.Manifests;
using Serilog;

namespace Mukta.Sources;

/// <summary>Makes sources out of what the user or the manifest names, in the order in which they are to be tried.</summary>
public sealed class SourceList : IDisposable
{
    private readonly List<ISource> sources = [];
    private readonly HttpClient http;

    private SourceList(HttpClient http) => this.http = http;

    /// <summary>The sources, first choice first.</summary>
    public IReadOnlyList<ISource> Sources => sources;

    /// <summary>The sources that the user named; where none is, the ones that the manifest lists.</summary>
    /// <param name="named">URLs (http, https) and folders.</param>
    /// <param name="mirrors">Mirrors that are tried before the manifest's own, where none is named.</param>
    /// <param name="manifest">The manifest.</param>
    /// <param name="isOffline">True to use folders only.</param>
    /// <param name="userAgent">What Mukta calls itself to a mirror, such as <c>mukta/0.1.0</c>.</param>
    /// <param name="time">For waits.</param>
    /// <param name="log">Takes diagnostics.</param>
    /// <exception cref="MuktaException">A name is neither.</exception>
    public static SourceList Of(IReadOnlyList<string> named, IReadOnlyList<Uri> mirrors, Manifest manifest, bool isOffline, string userAgent, TimeProvider time, ILogger log)
    {
        var list = new SourceList(MirrorSource.CreateClient(userAgent));
        try
        {
            foreach (var name in named)
                list.sources.Add(list.Named(name, time, log));
            if (isOffline && list.sources.Find(s => s.IsRemote) is { } remote)
                throw new MuktaException(ExitCode.BadInput, "This source is on the network, and --offline leaves the network out.", remote.Name, "Name a folder with --from, or leave --offline out.");
            if (named.Count == 0 && !isOffline)
            {
                foreach (var mirror in mirrors)
                    list.sources.Add(list.Named(mirror.AbsoluteUri, time, log));
                list.AddListed(manifest, time, log);
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

    private ISource Named(string name, TimeProvider time, ILogger log)
    {
        if (name.Contains("://", StringComparison.Ordinal))
        {
            return Uri.TryCreate(name, UriKind.Absolute, out var uri) && (uri.Scheme == Uri.UriSchemeHttp || uri.Scheme == Uri.UriSchemeHttps)
                ? new MirrorSource(name, http, file => MirrorUrl.Below(uri, file.Path), time, log)
                : throw new MuktaException(ExitCode.BadInput, "This source is no http or https URL.", name, "Name a URL such as https://mirror.example/game, or a folder.");
        }

        if (!Directory.Exists(name))
            throw new MuktaException(ExitCode.BadInput, "This source is no folder.", name, "Name a folder that holds the release's files, or a URL that begins with http:// or https://.");
        return new FolderSource(Folder.Open(name));
    }

    private void AddListed(Manifest manifest, TimeProvider time, ILogger log)
    {
        foreach (var root in manifest.Bases.OrderBy(b => b.Priority))
            sources.Add(new MirrorSource(root.Url.AbsoluteUri, http, file => MirrorUrl.Below(root.Url, file.Path), time, log));
        var most = manifest.Files.Max(f => (int?)f.Urls.Count) ?? 0;
        for (var i = 0; i < most; i++)
        {
            var choice = i;
            var name = choice == 0 ? "the manifest's own URLs" : $"the manifest's own URLs, choice {choice + 1}";
            sources.Add(new MirrorSource(name, http, file => choice < file.Urls.Count ? file.Urls[choice].Url : null, time, log));
        }
    }
}
