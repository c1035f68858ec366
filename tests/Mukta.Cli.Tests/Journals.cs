using System.IO.Hashing;
using System.Text;

namespace Mukta.Cli.Tests;

/// <summary>Changes journals of operations as somebody could who knows their form.</summary>
internal static class Journals
{
    /// <summary>Rewrites the lines of all journals below a folder, and their checksums.</summary>
    public static void Rewrite(string folder, Func<string, string> change)
    {
        foreach (var journal in Directory.EnumerateFiles(folder, "journal", SearchOption.AllDirectories))
        {
            var (sum, lines) = (0UL, new List<string>());
            foreach (var json in File.ReadAllLines(journal).Select(l => change(l[17..])))
            {
                sum = XxHash3.HashToUInt64(Encoding.UTF8.GetBytes(json), unchecked((long)sum));
                lines.Add($"{sum:x16} {json}\n");
            }

            File.WriteAllText(journal, string.Concat(lines));
        }
    }

    /// <summary>Makes what waits in Mukta's folder for state believe that the machine was started again.</summary>
    public static void PretendRestart(string stateFolder)
    {
        var boot = File.ReadAllText("/proc/sys/kernel/random/boot_id").Trim();
        string OfAnother(string text) => text.Replace(boot, Guid.NewGuid().ToString(), StringComparison.Ordinal);
        foreach (var file in Directory.EnumerateFiles(stateFolder, "*.json*", SearchOption.AllDirectories))
            File.WriteAllText(file, OfAnother(File.ReadAllText(file)));
        Rewrite(stateFolder, OfAnother);
    }
}
