using System.IO.Enumeration;
using Mukta.Disk;

namespace Mukta.Products;

/// <summary>What a place of a profile is.</summary>
public enum PlaceUse
{
    /// <summary>The product's: it may be changed or set aside.</summary>
    Product,

    /// <summary>The user's: it is copied and brought back.</summary>
    UserData,

    /// <summary>A shortcut.</summary>
    Shortcut,
}

/// <summary>
/// Which places a profile may name: a product's own folders, and never one that many programs share, that belongs to the system, or that
/// holds what lets a user in. Asked when a profile is read, and again of the real path at the moment of use.
/// </summary>
public static class ProductPlaces
{
    /// <summary>So many characters have to stand before the first wildcard of a product's own folder.</summary>
    private const int LeastLiteral = 3;

    private static readonly string[] ShortcutFolders =
    [
        ".local/share/applications", ".config/autostart", "usr/share/applications", "usr/local/share/applications", "etc/xdg/autostart",
    ];

    /// <summary>Folders of a home that many programs share: a place may lie in one, but neither be nor hold one.</summary>
    private static readonly IReadOnlyList<string[]> SharedInHome = Split(
        """
        .cache .config .local .local/share .local/state .var .var/app Desktop Documents Downloads Music Pictures Public Templates Videos
        """);

    /// <summary>What in a home no product has to do with: a place may neither be, hold nor lie in one.</summary>
    private static readonly IReadOnlyList<string[]> ClosedInHome = Split(
        """
        bin snap .aws .azure .dbus .docker .gnupg .kube .mozilla .mukta .password-store .pki .ssh .thunderbird
        .ICEauthority .Xauthority .Xresources .bash* .git-credentials .gitconfig .inputrc .login .netrc .pam_environment .pgpass .profile
        .tmux.conf .vimrc .xinitrc .xprofile .xsession* .zlogin .zlogout .zprofile .zsh*
        .cache/fontconfig .cache/mukta .local/bin .local/lib .local/state/mukta
        .local/share/applications .local/share/dbus-1 .local/share/desktop-directories .local/share/flatpak .local/share/fonts
        .local/share/icons .local/share/keyrings .local/share/mime .local/share/mukta .local/share/recently-used.xbel
        .local/share/systemd .local/share/themes .local/share/Trash
        .config/autostart .config/containers .config/dconf .config/environment.d .config/fish .config/fontconfig .config/gh .config/git
        .config/gtk-2.0 .config/gtk-3.0 .config/gtk-4.0 .config/menus .config/mimeapps.list .config/mukta .config/pipewire .config/pulse
        .config/systemd .config/user-dirs.dirs .config/user-dirs.locale .config/xdg-desktop-portal
        """);

    /// <summary>Folders of the system in which products have folders of their own.</summary>
    private static readonly IReadOnlyList<string[]> OpenInSystem = Split(
        """
        etc/opt media/* mnt/* opt run/media/*/* srv tmp usr/local/games usr/local/share/games usr/share/games var/cache var/games
        var/lib var/log var/opt var/tmp
        """);

    /// <summary>
    /// The system's own; a folder in the root that is not listed here, such as /games, is a product's to have a folder in.
    /// </summary>
    private static readonly IReadOnlyList<string[]> ClosedInSystem = Split(
        """
        bin boot dev efi etc home lib lib32 lib64 libx32 lost+found media mnt nix opt ostree proc root run sbin snap srv sys tmp usr Users
        var
        """);

    /// <summary>What in the open folders is the system's all the same.</summary>
    private static readonly IReadOnlyList<string[]> ClosedInOpen = Split(
        """
        var/cache/apt var/cache/debconf var/cache/dnf var/cache/fontconfig var/cache/ldconfig var/cache/man var/cache/pacman
        var/cache/PackageKit
        var/lib/AccountsService var/lib/NetworkManager var/lib/alsa var/lib/alternatives var/lib/apt var/lib/aptitude var/lib/bluetooth
        var/lib/containers var/lib/dbus var/lib/dhcp var/lib/docker var/lib/dpkg var/lib/flatpak var/lib/fwupd var/lib/gdm* var/lib/lightdm
        var/lib/machines var/lib/misc var/lib/mysql var/lib/nfs var/lib/pacman var/lib/pam var/lib/polkit-1 var/lib/portables
        var/lib/postgresql var/lib/private var/lib/python var/lib/rpm var/lib/selinux var/lib/snapd var/lib/sudo var/lib/systemd
        var/lib/ucf var/lib/upower var/lib/vim var/lib/xkb var/log/apt var/log/audit var/log/auth.log* var/log/btmp* var/log/dpkg.log*
        var/log/journal var/log/lastlog var/log/private var/log/syslog* var/log/wtmp* tmp/.ICE-unix tmp/.X11-unix tmp/systemd-private-*
        var/tmp/systemd-private-*
        """);

    /// <summary>Why a place may not be named, as the end of a sentence; null if it may.</summary>
    /// <param name="pattern">The place.</param>
    public static string? FaultOf(PathPattern pattern) => FaultOf(pattern.Variable, [.. pattern.Segments]);

    /// <summary>Why a shortcut may not be at a place, as the end of a sentence; null if it may.</summary>
    /// <param name="pattern">The place.</param>
    public static string? FaultOfShortcut(PathPattern pattern) => FaultOfShortcut(pattern.Variable, [.. pattern.Segments]);

    /// <summary>
    /// Why what is at a path now may not be touched, as the end of the sentence "it ..."; null if it may. The links on its way are
    /// followed, but not out of the user's folders; only what is the user's own may be on another disk, at a place that a profile may name.
    /// </summary>
    /// <param name="path">The path, as seen from here.</param>
    /// <param name="pattern">What names it.</param>
    /// <param name="folders">The user's folders.</param>
    /// <param name="install">The install; null for none.</param>
    /// <param name="use">What it is.</param>
    public static string? FaultAt(
        string path, PathPattern pattern, UserFolders folders, string? install, PlaceUse use = PlaceUse.Product)
    {
        var real = Path.Join(Folder.RealPathOf(Path.GetDirectoryName(path)!), Path.GetFileName(path));
        if (pattern.Variable == "install")
        {
            return install is not null && Below(real, Folder.RealPathOf(install)) is not null ? null
                : "lies behind a link that leads out of the install";
        }

        return FaultOfReal(
            real, folders, mayBeElsewhere: pattern.Variable is null || use == PlaceUse.UserData || folders.Home == "/",
            use == PlaceUse.Shortcut ? FaultOfShortcut : FaultOf);
    }

    /// <summary>
    /// Why the folder that a path leads to may not be taken for an install that no user has named, as the end of the sentence "it ...";
    /// null if it may. It may be on another disk.
    /// </summary>
    /// <param name="path">The path, as seen from here.</param>
    /// <param name="folders">The user's folders.</param>
    public static string? FaultOfInstall(string path, UserFolders folders) =>
        FaultOfReal(Folder.RealPathOf(path), folders, mayBeElsewhere: true, FaultOf);

    private static string? FaultOfReal(string real, UserFolders folders, bool mayBeElsewhere, Func<string?, string[], string?> fault)
    {
        foreach (var (variable, folder) in new[] { ("data", folders.Data), ("config", folders.Config), ("cache", folders.Cache),
            ("state", folders.State), ("home", folders.Home) })
        {
            if (Folder.RealPathOf(folder) is var owned && owned != "/" && Below(real, owned) is { } inside)
                return fault(variable, inside.Split('/'));
        }

        return mayBeElsewhere && Below(real, Folder.RealPathOf(folders.Root)) is { } below
            ? fault(null, below.Split('/')) : "lies behind a link that leads out of the user's folders";
    }

    private static string? FaultOf(string? variable, string[] segments) => variable switch
    {
        "install" => segments.Length == 0 ? "is the whole install; name what lies in it" : null,
        null => FaultInSystem(segments),
        _ => FaultInHome([.. BelowHome(variable), .. segments]),
    };

    private static string? FaultOfShortcut(string? variable, string[] segments)
    {
        string[] whole = variable is not null ? [.. BelowHome(variable), .. segments]
            : segments is ["home", _, ..] ? segments[2..] : segments is ["root", ..] ? segments[1..] : segments;
        var folder = string.Join('/', whole.SkipLast(1));
        return variable != "install" && ShortcutFolders.Any(
            f => folder == f
            || (!f.EndsWith("autostart", StringComparison.Ordinal) && folder.StartsWith(f + "/", StringComparison.Ordinal)))
            && whole[^1].EndsWith(".desktop", StringComparison.Ordinal) && LiteralOf(whole[^1]) >= LeastLiteral
            ? null
            : "is no place for a shortcut: its name ends in .desktop, and it lies in an applications or autostart folder, such as "
            + "${data}/applications";
    }

    private static string? FaultInHome(string[] segments) =>
        segments.Length == 0 || SharedInHome.Any(s => Holds(segments, s))
            ? "is too wide: it could stand for a home, the root or a folder that other programs use too"
        : ClosedInHome.Any(c => Holds(segments, c) || Holds(c, segments)) ? "is not a product's own"
        : IsVague(segments[SharedInHome.Where(s => Holds(s, segments)).Select(s => s.Length).DefaultIfEmpty(0).Max()])
            ? "is too wide: it could stand for folders of other programs"
        : null;

    private static string? FaultInSystem(string[] segments)
    {
        if (segments is ["home" or "Users", _, ..])
            return FaultInHome(segments[2..]);
        if (segments is ["root", ..])
            return FaultInHome(segments[1..]);
        if (segments.Length == 0 || OpenInSystem.Any(o => Holds(segments, o)))
            return "is too wide: it could stand for a home, the root or a folder that other programs use too";
        var open = OpenInSystem.Where(o => Holds(o, segments)).Select(o => o.Length).DefaultIfEmpty(0).Max();
        if (open == 0 && ClosedInSystem.Any(c => Fit(segments[0], c[0])))
            return "is the system's and not a product's own";
        if (ClosedInOpen.Any(c => Holds(segments, c) || Holds(c, segments)))
            return "is the system's and not a product's own";
        open = Math.Max(open, 1); // A folder in the root holds many products, as /opt does.
        return segments.Length <= open ? "is too wide: it could stand for a home, the root or a folder that other programs use too"
            : IsVague(segments[0]) || IsVague(segments[open]) ? "is too wide: it could stand for folders of other programs"
            : null;
    }

    /// <summary>True if a path is another or lies above it, whatever the wildcards in either may stand for.</summary>
    private static bool Holds(string[] path, string[] other) =>
        path.Length <= other.Length && path.Zip(other).All(p => Fit(p.First, p.Second));

    private static bool Fit(string one, string other) =>
        FileSystemName.MatchesSimpleExpression(one, other, ignoreCase: false)
        || FileSystemName.MatchesSimpleExpression(other, one, ignoreCase: false)
        || (HasWildcard(one) && HasWildcard(other)
        && (one.StartsWith(Start(other), StringComparison.Ordinal) || other.StartsWith(Start(one), StringComparison.Ordinal)));

    private static string Start(string segment) => segment[..LengthToWildcard(segment)];

    private static bool HasWildcard(string segment) => LengthToWildcard(segment) < segment.Length;

    private static int LengthToWildcard(string segment) => segment.IndexOfAny(['*', '?']) is var at && at < 0 ? segment.Length : at;

    private static bool IsVague(string segment) => HasWildcard(segment) && LiteralOf(segment) < LeastLiteral;

    private static int LiteralOf(string segment) => Start(segment).Count(c => c != '.');

    private static string[] BelowHome(string variable) => variable switch
    {
        "data" => [".local", "share"],
        "config" => [".config"],
        "cache" => [".cache"],
        "state" => [".local", "state"],
        _ => [],
    };

    private static string? Below(string path, string folder) =>
        folder == "/" ? path[1..] : path.StartsWith(folder + "/", StringComparison.Ordinal) ? path[(folder.Length + 1)..] : null;

    private static IReadOnlyList<string[]> Split(string list) =>
        [.. list.Split([' ', '\n'], StringSplitOptions.RemoveEmptyEntries).Select(p => p.Split('/'))];
}
