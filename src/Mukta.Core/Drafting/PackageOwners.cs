using System.Diagnostics;
using Mukta.Host.Processes;

namespace Mukta.Drafting;

/// <summary>Asks the system's package manager which package brings a file.</summary>
internal static class PackageOwners
{
    private const int LongestAnswer = 1 << 20;
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(10);

    /// <summary>The packages of files, by file. A file of no package is left out, and all are where no manager is known.</summary>
    public static async Task<IReadOnlyDictionary<string, string>> OfAsync(IReadOnlyList<string> files, CancellationToken cancel)
    {
        var owners = new Dictionary<string, string>(StringComparer.Ordinal);
        if (files.Count == 0 || !File.Exists("/usr/bin/dpkg-query"))
            return owners;
        // A folder such as /lib may be a link to /usr/lib, and the manager knows one of the two names.
        string[] names = [.. files.SelectMany(
            f => f.StartsWith("/usr/", StringComparison.Ordinal) ? [f, f[4..]] : new[] { f, "/usr" + f })];
        var start = new ProcessStartInfo("/usr/bin/dpkg-query", ["--search", "--", .. names]);
        start.Environment["LC_ALL"] = "C";
        var (output, error) = (new TextTail(LongestAnswer), new TextTail(LongestAnswer));
        await LimitedProcess.RunAsync(start, Patience, output, error, cancel).ConfigureAwait(false);
        foreach (var line in output.Text.Split('\n', StringSplitOptions.RemoveEmptyEntries))
        {
            if (line.IndexOf(": ", StringComparison.Ordinal) is var at and > 0)
            {
                var (package, file) = (line[..at].Split(',')[0].Split(':')[0], line[(at + 2)..]);
                if (files.FirstOrDefault(f => f == file || f == "/usr" + file || "/usr" + f == file) is { } asked)
                    owners.TryAdd(asked, package);
            }
        }

        return owners;
    }
}
