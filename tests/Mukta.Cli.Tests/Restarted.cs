using System.IO.Hashing;
using System.Text;

namespace Mukta.Cli.Tests;

/// <summary>A machine that was started again, as far as operations that wait for it can tell.</summary>
internal static class Restarted
{
    /// <summary>Makes what waits in Mukta's folder for state believe that it has waited since another start.</summary>
    public static void Pretend(string stateFolder)
    {
        var boot = File.ReadAllText("/proc/sys/kernel/random/boot_id").Trim();
        string OfAnother(string text) => text.Replace(boot, Guid.NewGuid().ToString(), StringComparison.Ordinal);
        foreach (var file in Directory.EnumerateFiles(stateFolder, "*.json*", SearchOption.AllDirectories))
            File.WriteAllText(file, OfAnother(File.ReadAllText(file)));
        foreach (var journal in Directory.EnumerateFiles(stateFolder, "journal", SearchOption.AllDirectories))
        {
            var (sum, lines) = (0UL, new List<string>());
            foreach (var json in File.ReadAllLines(journal).Select(l => OfAnother(l[17..])))
            {
                sum = XxHash3.HashToUInt64(Encoding.UTF8.GetBytes(json), unchecked((long)sum));
                lines.Add($"{sum:x16} {json}\n");
            }

            File.WriteAllText(journal, string.Concat(lines));
        }
    }
}
