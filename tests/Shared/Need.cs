namespace Mukta.Tests;

/// <summary>What a test needs of the machine; in CI a missing thing is a failure and not a reason to skip.</summary>
public static class Need
{
    private static bool IsCi => Environment.GetEnvironmentVariable("CI") == "true";

    /// <summary>A program on the path.</summary>
    public static void Program(string program) =>
        That((Environment.GetEnvironmentVariable("PATH") ?? "").Split(':').Append("/usr/sbin").Any(f => File.Exists(Path.Join(f, program))),
        $"{program} is not installed");

    /// <summary>The rights of root.</summary>
    public static void Root() => That(Environment.IsPrivilegedProcess, "this needs the rights of root");

    /// <summary>Anything else.</summary>
    public static void That(bool isThere, string lack)
    {
        if (!isThere && IsCi)
            Assert.Fail($"{lack}, and CI needs it.");
        Assert.SkipUnless(isThere, $"{lack}.");
    }
}
