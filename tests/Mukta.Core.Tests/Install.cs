using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Repair;
using Mukta.Repair.Local;
using Mukta.Tests;
using Mukta.Verification;

namespace Mukta.Core.Tests;

/// <summary>A published release in a folder, an install of it beside, and the core's calls on both.</summary>
internal sealed class Install(bool inMemory = false) : IDisposable
{
    public const int PieceLength = 4096;

    public Scratch Scratch { get; } = new(inMemory);

    public string Root => Scratch.At("install");

    public Manifest Manifest { get; set; } = null!;

    public static Install Usual(bool inMemory = false)
    {
        var install = new Install(inMemory);
        install.Scratch.Fill("release/bin/game", 9_000, 1, Scratch.Program);
        install.Scratch.Fill("release/maps/harbour.pak", 8 * PieceLength, 2);
        install.Scratch.Fill("release/maps/pier.pak", 3 * PieceLength + 17, 3);
        install.Scratch.Fill("release/sound/gulls.bank", 100, 4);
        install.Scratch.Fill("release/sound/empty.bank", 0, 5);
        install.Publish();
        install.Scratch.CopyTree("release", "install");
        return install;
    }

    public void Publish(string? release = null, int pieceLength = PieceLength)
    {
        using var folder = Folder.Open(Scratch.At("release"));
        Manifest = ManifestMaker.Make(
            folder, new ManifestRequest { PieceLength = pieceLength, Product = "gannet-post", Release = release }, null, default).Manifest;
    }

    public VerifyResult Verify()
    {
        using var folder = Folder.Open(Root);
        return new Verifier(TimeProvider.System).Verify(Manifest, folder, new VerifyOptions { RememberProven = true }, default);
    }

    public Task<RepairOutcome> RepairAsync(bool holdStrays = false, params ISource[] sources) =>
        RepairAsync(null, null, holdStrays, sources);

    /// <summary>Repairs.</summary>
    /// <param name="older">The release that was there before; the one that the install remembers where nothing is said.</param>
    /// <param name="places">Where to look for pieces on this machine; nowhere where nothing is said.</param>
    /// <param name="holdStrays">Hold strays too.</param>
    /// <param name="sources">The published release where nothing is said.</param>
    public async Task<RepairOutcome> RepairAsync(
        Manifest? older = null, LocalPlaces? places = null, bool holdStrays = false, params ISource[] sources)
    {
        using var folder = Folder.Open(Root);
        using var release = new FolderSource(Folder.Open(Scratch.At("release")));
        var before = Verify();
        var wish = new RepairWish { HoldStrays = holdStrays, Older = older ?? InstalledRelease.Before(folder, Manifest) };
        using var plan = PreparedRepair.Of(before, folder, wish, new PieceSearch { Places = places }, default);
        return await new Repairer(TimeProvider.System, Serilog.Core.Logger.None, Guards.Nobody)
            .RepairAsync(plan, folder, sources.Length > 0 ? sources : [release], null, default);
    }

    /// <summary>Where the kept files have what was at a path.</summary>
    public string Kept(RepairOutcome outcome, string path)
    {
        using var folder = Folder.Open(Root);
        var record = OperationRecord.Read(folder, outcome.KeptAt!)!;
        return Scratch.At("install", record.Path, "files", $"{record.Changes.Last(c => c.Keeps && c.Subject == path).Number}");
    }

    public void Dispose() => Scratch.Dispose();
}
