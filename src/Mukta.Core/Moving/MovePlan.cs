using Mukta.Disk;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Reinstall;

namespace Mukta.Moving;

/// <summary>What a move is going to do. All paths are real.</summary>
/// <param name="Profile">The product.</param>
/// <param name="From">Where the install is.</param>
/// <param name="To">Where it goes.</param>
/// <param name="IsRename">True within one file system: nothing is copied.</param>
/// <param name="Size">How much it is.</param>
/// <param name="Needs">What the tree asks of the file system that it goes to.</param>
/// <param name="Can">What that file system can do.</param>
public sealed record MovePlan(
    Profile Profile, string From, string To, bool IsRename, TreeSize Size, TreeNeeds Needs, FileSystemCapabilities Can) : IOperationPlan
{
    /// <inheritdoc/>
    public bool IsEmpty => false;

    /// <summary>Installs of other products inside of it, relative to it: they move along.</summary>
    public IReadOnlyList<(string Product, string Path)> Inside { get; init; } = [];

    /// <summary>
    /// Earlier operations that have come to their end, whose kept files are not copied: they stay with the old install, and an undo of the
    /// move brings them back with it.
    /// </summary>
    public IReadOnlyList<KeptOperation> Staying { get; init; } = [];

    /// <summary>Looks at both places.</summary>
    /// <param name="profile">The product.</param>
    /// <param name="from">The install.</param>
    /// <param name="destination">A folder to put it into, or its new name.</param>
    /// <param name="cancel">Ends the walk.</param>
    /// <exception cref="MuktaException">It cannot go there.</exception>
    public static MovePlan Of(Profile profile, string from, string destination, CancellationToken cancel)
    {
        var (source, named) = (Folder.RealPathOf(from), Folder.RealPathOf(Path.GetFullPath(destination)));
        var target = named != source && Directory.Exists(named) ? Path.Join(named, Path.GetFileName(source)) : named;
        if (Path.Exists(target) && target != source)
        {
            throw new MuktaException(
                ExitCode.BadInput, "Something stands there already.", PathBytes.Shown(target),
                "Name a folder that is not there yet, or an empty place to put the install into.");
        }

        if (target == source || target.StartsWith(source + "/", StringComparison.Ordinal))
        {
            throw new MuktaException(
                ExitCode.BadInput, target == source ? "The install is there already." : "An install cannot be moved into itself.",
                PathBytes.Shown(target), "Name another folder.");
        }

        var place = ReinstallTarget.Nearest(target);
        var isRename = Node.At(source)?.MountId == Node.At(place)?.MountId;
        return Measured(profile, (source, target), isRename, source, isRename ? [] : OperationCatalog.EndedIn(source), cancel) with
        {
            Can = FileSystemCapabilities.OfType(Mount.Of(place)?.Type),
        };
    }

    /// <summary>The plan of a move that was interrupted: from there on nothing has to be proven any more.</summary>
    /// <exception cref="MuktaException">Another destination is named now.</exception>
    public static MovePlan GoingOn(Profile profile, (string From, string To) interrupted, string destination, CancellationToken cancel)
    {
        var (from, to) = interrupted;
        var named = Folder.RealPathOf(Path.GetFullPath(destination));
        if (named != to && Path.Join(named, Path.GetFileName(from)) != to)
        {
            throw new MuktaException(
                ExitCode.BadInput, $"A move of {profile.Title} to another place was begun and has not ended.", PathBytes.Shown(to),
                "Use that place again, or undo it with: mukta undo");
        }

        var there = Directory.Exists(from) ? from : to;
        var isRename = Node.At(Path.GetDirectoryName(from)!)?.MountId == Node.At(ReinstallTarget.Nearest(to))?.MountId;
        return Measured(profile, interrupted, isRename, there, isRename || there != from ? [] : OperationCatalog.EndedIn(from), cancel);
    }

    private static MovePlan Measured(
        Profile profile, (string From, string To) places, bool isRename, string at, IReadOnlyList<KeptOperation> staying,
        CancellationToken cancel)
    {
        using var folder = Folder.Open(at);
        var all = TreeBulk.Measure(folder, ".", cancel);
        var stays = staying.Select(s => TreeBulk.Measure(folder, s.Record.Path, cancel)).ToList();
        var size = all with { Bytes = all.Bytes - stays.Sum(s => s.Bytes), Files = all.Files - stays.Sum(s => s.Files) };
        var left = staying.Select(s => s.Record.Path).ToHashSet();
        return new MovePlan(
            profile, places.From, places.To, isRename, size, TreeNeeds.Of(folder, left.Contains, cancel),
            FileSystemCapabilities.OfType(Mount.Of(at)?.Type))
        {
            Staying = staying,
        };
    }

    /// <summary>Proves that the place can take it.</summary>
    /// <exception cref="MuktaException">It cannot.</exception>
    public void Prove()
    {
        var place = ReinstallTarget.Nearest(To);
        foreach (var at in new[] { place, Path.GetDirectoryName(From)! })
        {
            using var folder = Folder.Open(at);
            if (!folder.MayChangeNamesIn(""))
            {
                throw new MuktaException(
                    ExitCode.Blocked, "You may not change this folder.", PathBytes.Shown(at),
                    "Run the command as its owner, or as root.");
            }
        }

        var table = Mount.Table();
        if (table.Any(m => m.Point == From))
        {
            throw new MuktaException(
                ExitCode.Blocked, "The install is a mount point, which cannot be moved.", PathBytes.Shown(From),
                "Mount that disk elsewhere instead.");
        }

        if (Mount.Of(place, table) is { ForbidsPrograms: true })
        {
            throw new MuktaException(
                ExitCode.Blocked, "No program can be started from that disk: it is mounted with noexec.", PathBytes.Shown(place),
                "Mount it without noexec, or choose another disk.");
        }

        if (!IsRename)
        {
            Room.Prove(place, Size.Bytes, Needs.Names + 100, "the install", "Make room on that disk, or choose another.");
            Prove(Can);
        }
    }

    /// <summary>Proves that a file system can hold the tree.</summary>
    /// <exception cref="MuktaException">It cannot.</exception>
    internal void Prove(FileSystemCapabilities can)
    {
        if (Needs.Links > 0 && !can.MakesLinks)
            throw Cannot($"The install has {Units.Count(Needs.Links, "symbolic link")}, and that disk does not support them.");
        if (Needs.CaseTwins is { } twins && !can.TellsCaseApart)
        {
            throw Cannot(
                $"The install has names that differ only by letter case ({PathBytes.Shown(twins)}), and that disk cannot tell them apart.");
        }

        if (Needs.ForeignName is { } foreign && can.Forbidden.Length > 0)
            throw Cannot($"The install has a name that disk cannot hold ({PathBytes.Shown(foreign)}).");
        if (can.LongestFile is { } most && Needs.LongestFile > most)
        {
            throw Cannot(
                $"The install has a file of {Units.Bytes(Needs.LongestFile)}, and that disk takes files of {Units.Bytes(most)} at most.");
        }
    }

    private MuktaException Cannot(string why) =>
        new(ExitCode.Blocked, why, PathBytes.Shown(To), "Nothing was touched. Choose a disk with another file system.");
}

/// <summary>What a tree asks of a file system.</summary>
/// <param name="Names">Files, folders and links.</param>
/// <param name="Links">Symbolic links.</param>
/// <param name="LongestFile">Bytes of the longest file.</param>
/// <param name="CaseTwins">A path that another one differs from only by letter case; null for none.</param>
public sealed record TreeNeeds(long Names, long Links, long LongestFile, string? CaseTwins)
{
    /// <summary>A path that file systems of other systems do not hold; null for none.</summary>
    public string? ForeignName { get; init; }

    /// <summary>Walks a tree.</summary>
    public static TreeNeeds Of(Folder folder, Func<string, bool> skip, CancellationToken cancel)
    {
        var (names, links, longest, twins, foreign) = (0L, 0L, 0L, (string?)null, (string?)null);
        var seen = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        foreach (var entry in TreeWalk.Entries(folder, skip, cancel))
        {
            names++;
            links += entry.Node is { Kind: NodeKind.Link } ? 1 : 0;
            longest = Math.Max(longest, entry.Node is { Kind: NodeKind.File } file ? file.Size : 0);
            if (!seen.Add(entry.Path))
                twins ??= entry.Path;
            if (foreign is null && FileSystemCapabilities.IsForeign(Path.GetFileName(entry.Path)))
                foreign = entry.Path;
        }

        return new TreeNeeds(names, links, longest, twins) { ForeignName = foreign };
    }
}
