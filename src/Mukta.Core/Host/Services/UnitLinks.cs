using System.Text;
using Mukta.Disk;

namespace Mukta.Host.Services;

/// <summary>
/// What a mounted disk tells of its services: the unit files, and the links by which they are enabled (systemd.unit(5)). Whether one is up,
/// nobody can know.
/// </summary>
/// <param name="root">Where the disk is mounted.</param>
[OutsideReader]
public sealed class UnitLinks(string root) : IServiceControl
{
    private const long LongestUnit = 1 << 20;
    private static readonly string[] OwnFirst =
        ["etc/systemd/system", "usr/local/lib/systemd/system", "usr/lib/systemd/system", "lib/systemd/system"];

    /// <inheritdoc/>
    public bool CanChange => false;

    /// <inheritdoc/>
    public Task<IReadOnlyList<ServiceState>> StatesAsync(IReadOnlyList<string> units, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<ServiceState>>([.. units.Select(Look)]);

    /// <inheritdoc/>
    public Task<IReadOnlyList<string>> LastLinesAsync(string unit, int count, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<string>>([]);

    /// <inheritdoc/>
    public Task DoAsync(ServiceAct act, string unit, CancellationToken cancel) => throw new NotSupportedException();

    private ServiceState Look(string unit)
    {
        try
        {
            foreach (var folder in OwnFirst.Select(f => Folder.ResolvedIn(root, Path.Join(root, f))).OfType<string>())
            {
                var file = new FileInfo(Path.Join(folder, unit));
                if (file.LinkTarget is null && !file.Exists)
                    continue;
                if (file.LinkTarget == "/dev/null" || (file.LinkTarget is null && file.Length == 0))
                    return new ServiceState(unit, "masked", "masked", null);
                return new ServiceState(
                    unit, "loaded", IsWanted(unit) ? "enabled" : HasInstallSection(folder, unit) ? "disabled" : "static", null);
            }

            return new ServiceState(unit, "not-found", "", null);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new ServiceControlFailed("The units of the mounted disk cannot be read.", root, "Run the same command with sudo.", e);
        }
    }

    /// <summary>True if another unit asks for this one.</summary>
    private bool IsWanted(string unit) =>
        Directory.Exists(Path.Join(root, OwnFirst[0])) && Directory.EnumerateDirectories(Path.Join(root, OwnFirst[0]))
        .Where(f => f.EndsWith(".wants", StringComparison.Ordinal) || f.EndsWith(".requires", StringComparison.Ordinal))
        .Any(f => new FileInfo(Path.Join(f, unit)).LinkTarget is not null);

    private static bool HasInstallSection(string folder, string unit)
    {
        using var there = Folder.Open(folder);
        try
        {
            return Encoding.UTF8.GetString(there.ReadAll(unit, LongestUnit)).Contains("[Install]", StringComparison.Ordinal);
        }
        catch (DiskException)
        {
            return true; // A link to elsewhere: somebody linked it in to be enabled.
        }
    }
}
