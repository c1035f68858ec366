namespace Mukta.Tests;

/// <summary>
/// Which of very many cases a run tries: with <c>MUKTA_TESTS=all</c> every one, otherwise some by a seed that is printed and that
/// <c>MUKTA_SEED</c> sets.
/// </summary>
public static class Sample
{
    /// <summary>True if every case is to be tried.</summary>
    public static bool IsAll { get; } = Environment.GetEnvironmentVariable("MUKTA_TESTS") == "all";

    /// <summary>The seed of this run.</summary>
    public static int Seed { get; } =
        int.TryParse(Environment.GetEnvironmentVariable("MUKTA_SEED"), out var given) ? given : Random.Shared.Next();

    /// <summary>Prints the seed with the result of a test that depends on it.</summary>
    public static int Printed()
    {
        TestContext.Current.TestOutputHelper?.WriteLine($"MUKTA_SEED={Seed}");
        return Seed;
    }

    /// <summary>One of so many cases, beginning anywhere; every one if <paramref name="areAll"/>.</summary>
    public static IEnumerable<T> OneOf<T>(int many, IEnumerable<T> cases, bool areAll) =>
        areAll ? cases : cases.Where((_, i) => (i + (long)Seed) % many == 0);
}
