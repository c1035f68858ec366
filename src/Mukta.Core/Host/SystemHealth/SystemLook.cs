using System.Globalization;
using System.Text.RegularExpressions;
using Mukta.Disk;
using Mukta.Host.Packages;
using Mukta.Host.Runtime;

namespace Mukta.Host.SystemHealth;

/// <summary>Where a machine that runs shows its condition.</summary>
/// <param name="Proc">The kernel's processes and memory.</param>
/// <param name="Sys">The kernel's devices and modules.</param>
/// <param name="Run">What is true until the next restart.</param>
/// <param name="Root">The folder of everything else.</param>
public sealed record SystemPlaces(string Proc, string Sys, string Run, string Root)
{
    /// <summary>Where they usually are.</summary>
    public static SystemPlaces Usual { get; } = new("/proc", "/sys", "/run", "/");
}

/// <summary>Looks at the condition of the system around a product. No network is asked.</summary>
/// <param name="machine">The machine.</param>
/// <param name="packages">Its package manager; null if there is none that is known.</param>
/// <param name="places">Where it shows its condition.</param>
public sealed partial class SystemLook(Machine machine, IPackageManager? packages, SystemPlaces places)
{
    private const string GraphicsClass = "0x03"; // PCI base class 03h: display controllers.
    private const int MostPackages = 60;

    /// <summary>The packages of the libraries that a product's programs take from outside of its install.</summary>
    /// <param name="runtime">What the product needs.</param>
    /// <param name="install">Its install.</param>
    /// <param name="cancel">Ends it.</param>
    public async Task<PackageFacts> PackagesAsync(RuntimeFacts runtime, string install, CancellationToken cancel)
    {
        var inside = machine.NameOf(install).TrimEnd('/') + "/";
        IReadOnlyList<string> files = [.. runtime.Programs.SelectMany(p => p.Libraries).Select(l => l.FoundAt).OfType<string>()
            .Select(Path.GetFullPath).Where(f => !f.StartsWith(inside, StringComparison.Ordinal)).Distinct(StringComparer.Ordinal)];
        if (packages is null || files.Count == 0)
            return new PackageFacts(packages, [], [], files);
        var owners = await packages.OwnersAsync(files, cancel).ConfigureAwait(false);
        IReadOnlyList<string> needed = [.. owners.Values.Distinct(StringComparer.Ordinal).Order(StringComparer.Ordinal).Take(MostPackages)];
        var updates = machine.IsLive ? packages.UpdatesAsync(needed, cancel) : Task.FromResult<IReadOnlyList<PendingUpdate>>([]);
        var altered = await packages.AlteredAsync(needed, cancel).ConfigureAwait(false);
        return new PackageFacts(packages, altered, await updates.ConfigureAwait(false), files);
    }

    /// <summary>The condition of the machine.</summary>
    public async Task<SystemFacts> OfMachineAsync(CancellationToken cancel)
    {
        var unfinished = packages is null ? [] : await packages.UnfinishedAsync(cancel).ConfigureAwait(false);
        if (!machine.IsLive)
        {
            return new SystemFacts
            {
                Manager = packages,
                Unfinished = unfinished,
                Unseen = "memory, drivers and clock of a machine cannot be seen on its disk",
            };
        }

        var memory = Lines(Path.Join(places.Proc, "meminfo")).Select(l => l.Split(':', 2)).Where(l => l.Length == 2)
            .DistinctBy(l => l[0]).ToDictionary(l => l[0], l => Kibibytes(l[1]), StringComparer.Ordinal);
        return new SystemFacts
        {
            Manager = packages,
            Unfinished = unfinished,
            RestartDue = RestartDue(),
            Graphics = [.. Graphics()],
            MemoryFree = memory.GetValueOrDefault("MemAvailable"),
            MemoryTotal = memory.GetValueOrDefault("MemTotal"),
            SwapFree = memory.GetValueOrDefault("SwapFree") ?? 0,
            OpenFiles = Lines(Path.Join(places.Proc, "self/limits")).Where(l => l.StartsWith("Max open files", StringComparison.Ordinal))
                .Select(l => l.Split(' ', StringSplitOptions.RemoveEmptyEntries)).Where(f => f.Length > 4).Select(f => Number(f[4]))
                .FirstOrDefault(),
            IsClockSynchronised = Clock.IsSynchronised,
        };
    }

    /// <summary>Why a restart is due: a package asks for it, an update is prepared, or the kernel that runs was removed.</summary>
    private string? RestartDue()
    {
        if (File.Exists(Path.Join(places.Run, "reboot-required")))
        {
            var by = Lines(Path.Join(places.Run, "reboot-required.pkgs")).Where(l => l.Length > 0).Distinct().ToList();
            return by.Count == 0 ? "an update asks for it" : $"an update of {string.Join(", ", by.Take(5))} asks for it";
        }

        if (new FileInfo(Path.Join(places.Root, "system-update")).LinkTarget is not null)
            return "an update is prepared and waits for it";
        var modules = Path.Join(places.Root, "lib/modules");
        var running = Lines(Path.Join(places.Proc, "sys/kernel/osrelease")).FirstOrDefault()?.Trim();
        return running is not null && Directory.Exists(modules) && Directory.EnumerateDirectories(modules).Any()
            && !Directory.Exists(Path.Join(modules, running))
            ? $"the kernel that runs, {running}, was replaced by an update, and its modules are gone" : null;
    }

    private IEnumerable<GraphicsDevice> Graphics()
    {
        var devices = Path.Join(places.Sys, "bus/pci/devices");
        if (!Directory.Exists(devices))
            yield break;
        foreach (var device in Directory.EnumerateDirectories(devices).Order(StringComparer.Ordinal))
        {
            if (Lines(Path.Join(device, "class")).FirstOrDefault()?.StartsWith(GraphicsClass, StringComparison.Ordinal) != true)
                continue;
            var module = new FileInfo(Path.Join(device, "driver")).LinkTarget is { } driver ? Path.GetFileName(driver) : null;
            var version = module is null ? null : Lines(Path.Join(places.Sys, "module", module, "version")).FirstOrDefault()?.Trim();
            yield return new GraphicsDevice(
                Path.GetFileName(device), module, version, version is null ? [] : [.. LibrariesOf(module!).Distinct().Order()]);
        }
    }

    /// <summary>A driver that has a version of its own brings a library of the same version, named after the module.</summary>
    private IEnumerable<string> LibrariesOf(string module)
    {
        var usr = Path.Join(places.Root, "usr/lib");
        IEnumerable<string> folders = [usr, Path.Join(places.Root, "usr/lib64"),
            .. Directory.Exists(usr) ? Directory.EnumerateDirectories(usr, "*-linux-gnu*") : []];
        return folders.Where(Directory.Exists).SelectMany(f => Directory.EnumerateFiles(f, $"lib*_{module}.so.*"))
            .Select(f => LibraryVersion().Match(Path.GetFileName(f))).Where(m => m.Success).Select(m => m.Groups[1].Value);
    }

    [GeneratedRegex(@"^lib(?:GLX|EGL)_[^.]*\.so\.([0-9]+(?:\.[0-9]+)+)$")]
    private static partial Regex LibraryVersion();

    private static long? Kibibytes(string text) =>
        long.TryParse(text.Trim().Split(' ')[0], NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number << 10 : null;

    private static long? Number(string text) =>
        long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : null;

    private static string[] Lines(string file)
    {
        try
        {
            return File.Exists(file) ? File.ReadAllLines(file) : [];
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return [];
        }
    }
}
