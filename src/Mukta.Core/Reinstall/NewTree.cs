using Mukta.Disk;
using Mukta.Host.Processes;
using Mukta.Operations;
using Mukta.Repair;
using Mukta.Repair.Local;
using Mukta.Verification;

namespace Mukta.Reinstall;

/// <summary>
/// The new install while it is built beside the old one: by the same <see cref="Repairer"/> that repairs, with the old one as a
/// donor whose good pieces are taken.
/// </summary>
/// <param name="with">What the whole reinstall keeps to.</param>
/// <param name="operation">The operation.</param>
/// <param name="target">The install.</param>
/// <param name="wish">What is wanted.</param>
/// <param name="built">Where it is built, relative to the root.</param>
internal sealed class NewTree(Reinstaller with, Operation operation, ReinstallTarget target, ReinstallWish wish, string built)
{
    /// <summary>Builds it, or goes on building it, and proves it.</summary>
    /// <param name="path">Where it belongs, relative to the root: its owner, group and mode are those of what is there, or of the
    /// folder around.</param>
    /// <param name="cancel">Interrupts; what has arrived is kept.</param>
    /// <returns>Bytes that sources have delivered.</returns>
    /// <exception cref="MuktaException">It cannot be built whole.</exception>
    public async Task<long> BuildAsync(string path, CancellationToken cancel)
    {
        var root = operation.Root;
        var like = root.Look(path) ?? LikeParent(root, path);
        root.EnsureFolder(built);
        root.SetOwner(built, like.User, like.Group);
        root.SetMode(built, like.Mode);
        using var tree = Folder.Open(operation.Shown(built));
        using var donor = target.IsThere && !wish.IsFresh ? Folder.Open(target.Path) : null;
        var found = new Verifier(with.Tools.Time).Verify(target.Manifest, tree, new VerifyOptions { RememberProven = true }, cancel);
        var disk = FileSystemCapabilities.Of(tree.Path);
        var repair = new RepairWish { Disk = disk, Renew = wish.IsFresh ? f => !found.Proven.ContainsKey(f.Path) : null };
        using var plan = PreparedRepair.Of(
            found, tree, repair,
            new PieceSearch
            {
                Donor = donor is null ? null : (donor, target.Before!),
                Places = wish.IsFresh ? null : new LocalPlaces(with.Also, []),
                Meter = with.Tools.Meter,
            },
            cancel);
        var nobody = new RunningGuard(with.Machine, [], "End it."); // No product lies there yet.
        var outcome = await new Repairer(with.Tools.Time, with.Tools.Log, nobody) { Limits = with.Limits, Donor = donor, IsNewTree = true }
            .RepairAsync(plan, tree, target.Sources, with.Tools.Meter, cancel).ConfigureAwait(false);
        if (outcome.Code != ExitCode.Done)
        {
            var failure = outcome.Failures.Count > 0 ? outcome.Failures[0] : null;
            throw new MuktaException(
                outcome.Code, $"The new install of {target.Profile.Title} cannot be built: {failure?.Reason ?? "it is not whole"}.",
                PathBytes.Shown(failure?.Path ?? target.Path),
                "The old install is where it was. Check the source and the free space on the disk, then run the same command again.");
        }

        if (tree.Look(KeptArea.OfInstall) is not null)
            TreeBulk.Remove(tree, KeptArea.OfInstall, cancel); // The building's own record: the whole tree is what is undone.
        root.Flush(Folder.ParentOf(built));
        return outcome.Sources.Sum(s => s.Bytes);
    }

    private static Node LikeParent(Folder root, string path)
    {
        var folder = Folder.ParentOf(path);
        while (folder.Length > 0 && root.Look(folder) is not { Kind: NodeKind.Folder })
            folder = Folder.ParentOf(folder);
        return root.Look(folder.Length == 0 ? "." : folder)!.Value;
    }
}
