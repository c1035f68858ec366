using Mukta.Remedies;
using Mukta.Verification;

namespace Mukta.Cli.Rendering;

/// <summary>The next command to type.</summary>
internal static class NextStep
{
    /// <summary>After a verification; null if there is nothing to do.</summary>
    public static string? After(VerifyResult result, InstallTarget target, bool straysCount, bool isRunning = false)
    {
        var needsStrays = straysCount && result.Strays.Any();
        if (!needsStrays && result.Problems.All(p => p is Unreadable))
            return result.IsIntact ? null : $"sudo mukta verify {target.Arguments}";
        if (isRunning)
            return $"mukta stop {target.Arguments}"; // It refuses to be repaired until then.
        var from = result.BytesToFetch > 0 && target.Mirrors.Count == 0 && result.Manifest.Bases.Count == 0
            && result.Manifest.Files.All(f => f.Urls.Count == 0) ? " --from 'URL|DIR'" : "";
        return $"mukta repair {target.Arguments}{from}{(needsStrays ? " --set-aside-strays" : "")}";
    }
}
