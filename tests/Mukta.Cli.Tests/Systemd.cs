using System.Diagnostics;
using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>
/// A real systemd in namespaces of its own, on an overlay of this machine's disk: nothing that it or a test does in there
/// is seen outside. The programs under test are there in <see cref="Mukta"/>; /tmp is empty.
/// </summary>
public sealed class Systemd : IAsyncLifetime
{
    private const string Start = """
        set -e
        mount -t tmpfs tmpfs "$1"
        mkdir "$1/upper" "$1/work" "$1/root"
        mount -t overlay overlay -o "lowerdir=/,upperdir=$1/upper,workdir=$1/work" "$1/root"
        cd "$1/root"
        mount -t proc proc proc
        mount -t tmpfs tmpfs run
        mount -t tmpfs tmpfs tmp
        mount -t sysfs sysfs sys
        mount -t tmpfs tmpfs sys/fs/cgroup
        mkdir sys/fs/cgroup/unified
        mount -t cgroup2 cgroup2 sys/fs/cgroup/unified
        mount --rbind /dev dev
        mkdir -p opt/programs-under-test
        mount --bind "$2" opt/programs-under-test
        exec chroot . /usr/bin/env -i container=oci /lib/systemd/systemd --system --unit=basic.target
        """;

    /// <summary>The program under test, inside.</summary>
    public const string Mukta = "/opt/programs-under-test/mukta";

    private readonly Scratch scratch = new();
    private Process? unshare;
    private int pid;

    public async ValueTask InitializeAsync()
    {
        if (!Environment.IsPrivilegedProcess || !File.Exists("/lib/systemd/systemd"))
            return;
        unshare = Process.Start(
            "unshare",
            ["--pid", "--fork", "--mount", "--uts", "--ipc", "--cgroup", "bash", "-c", Start, "bash",
            Directory.CreateDirectory(scratch.At("root")).FullName, Programs.Folder]);
        for (var i = 0; i < 600 && !unshare.HasExited; i++)
        {
            var children = $"/proc/{unshare.Id}/task/{unshare.Id}/children";
            pid = File.Exists(children) && int.TryParse(File.ReadAllText(children).Trim(), out var child) ? child : 0;
            if (pid > 0 && File.ReadAllText($"/proc/{pid}/comm") == "systemd\n"
                && (await InsideAsync("systemctl", "is-system-running")).Out is "running\n" or "degraded\n")
                return;
            await Task.Delay(100);
        }

        pid = 0;
    }

    /// <summary>Skips the test, or fails it in CI, where there is no systemd.</summary>
    public void Need() => global::Mukta.Tests.Need.That(pid > 0, "a real systemd could not be started in namespaces");

    /// <summary>Runs a program inside.</summary>
    internal Task<Answer> InsideAsync(params string[] command) =>
        Programs.RunAsync(scratch, "nsenter", ["-t", $"{pid}", "-p", "-m", "-r", "-w", "env", "HOME=/root", .. command]);

    /// <summary>Writes a file inside.</summary>
    public async Task WriteAsync(string path, string text) =>
        (await InsideAsync("sh", "-c", "mkdir -p \"$(dirname \"$1\")\" && printf %s \"$2\" > \"$1\"", "sh", path, text)).Code.ShouldBe(0);

    public ValueTask DisposeAsync()
    {
        if (unshare is not null)
        {
            if (pid > 0)
                Process.GetProcessById(pid).Kill(); // The first process of its namespace: all the others go with it.
            unshare.Kill();
            unshare.WaitForExit();
            unshare.Dispose();
        }

        scratch.Dispose();
        return ValueTask.CompletedTask;
    }
}
