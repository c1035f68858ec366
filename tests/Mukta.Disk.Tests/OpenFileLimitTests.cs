using System.Diagnostics;
using Mukta.Tests;

namespace Mukta.Disk.Tests;

public class OpenFileLimitTests
{
    [Fact]
    public void The_limit_is_raised_as_far_as_it_may_be_and_is_then_as_it_was()
    {
        var hard = OpenFileLimit.Now; // The runtime of the tests has raised it to the highest.
        Need.That(hard >= 6000, "only few files may be open here");
        Lower(5000);
        try
        {
            using (OpenFileLimit.Raise(4000))
                OpenFileLimit.Now.ShouldBe(5000);
            using (OpenFileLimit.Raise(6000))
                OpenFileLimit.Now.ShouldBe(6000);
            OpenFileLimit.Now.ShouldBe(5000);
            using (OpenFileLimit.Raise(int.MaxValue))
                OpenFileLimit.Now.ShouldBe(hard);
            OpenFileLimit.Now.ShouldBe(5000);
        }
        finally
        {
            Lower(hard);
        }

        static void Lower(int to)
        {
            using var set = Process.Start("prlimit", ["--pid", $"{Environment.ProcessId}", $"--nofile={to}:"]);
            set.WaitForExit();
            set.ExitCode.ShouldBe(0);
        }
    }
}
