using System.Diagnostics;
using Mukta.Host.Processes;

namespace Mukta.Host.Packages;

/// <summary>Asks a package manager's program.</summary>
internal static class ManagerRun
{
    private const int LongestAnswer = 16 << 20;
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(10);

    /// <summary>The lines that it answers, at most the last 16 MiB of them.</summary>
    /// <exception cref="MuktaException">It cannot be started, or takes longer than 10 s.</exception>
    public static async Task<string[]> LinesAsync(string program, IEnumerable<string> arguments, CancellationToken cancel)
    {
        var start = new ProcessStartInfo(program, arguments);
        start.Environment["LC_ALL"] = "C";
        var (output, error) = (new TextTail(LongestAnswer), new TextTail(LongestAnswer));
        try
        {
            if (await LimitedProcess.RunAsync(start, Patience, output, error, cancel).ConfigureAwait(false) is not null)
                return output.Text.Split('\n', StringSplitOptions.RemoveEmptyEntries);
        }
        catch (System.ComponentModel.Win32Exception e)
        {
            throw Silent("cannot be started", e);
        }

        throw Silent($"does not answer within {Patience.TotalSeconds:0} s", null);

        MuktaException Silent(string how, Exception? inner) => new(
            ExitCode.Blocked, $"The package manager {how}.", program, $"Try it with: {Path.GetFileName(program)} --version", inner);
    }
}
