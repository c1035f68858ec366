using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>Bags as another program reads them.</summary>
internal static class Bags
{
    /// <summary>Checks a bag against RFC 8493 with <c>check-bag.py</c>, which knows nothing of Mukta.</summary>
    public static Task<Answer> CheckAsync(Scratch scratch, string bag)
    {
        Need.Program("python3");
        return Programs.RunAsync(scratch, "python3", Path.Join(AppContext.BaseDirectory, "check-bag.py"), bag);
    }
}
