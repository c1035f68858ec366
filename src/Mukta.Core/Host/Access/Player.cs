using System.Globalization;
using Mukta.Disk;

namespace Mukta.Host.Access;

/// <summary>What somebody wants to do with a file or folder; the numbers are the permission bits.</summary>
[Flags]
public enum Right
{
    /// <summary>Enter a folder, run a program.</summary>
    Enter = 1,

    /// <summary>Write.</summary>
    Write = 2,

    /// <summary>Read.</summary>
    Read = 4,
}

/// <summary>
/// The user whose products these are: the owner of the home. A technician who runs Mukta as root may do anything; this user may not.
/// </summary>
/// <param name="User">The user's number.</param>
/// <param name="Groups">The numbers of the groups that the user is in.</param>
[OutsideReader]
public sealed record Player(uint User, IReadOnlySet<uint> Groups)
{
    private const long LongestAccountList = 16 << 20;

    /// <summary>The player of a machine.</summary>
    /// <exception cref="MuktaException">There is no such home.</exception>
    public static Player Of(Machine machine)
    {
        using var folder = Folder.Open(machine.Folders.Home);
        var home = folder.Look(".")!.Value;
        var account = Lines(machine, "/etc/passwd").Select(l => l.Split(':'))
            .FirstOrDefault(f => f.Length > 3 && f[2] == home.User.ToString(CultureInfo.InvariantCulture));
        var groups = Lines(machine, "/etc/group").Select(l => l.Split(':'))
            .Where(f => f.Length > 3 && account is not null && f[3].Split(',').Contains(account[0]))
            .Select(f => f[2]).Append(account?[3])
            .Select(g => uint.TryParse(g, NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : home.Group);
        return new Player(home.User, groups.Append(home.Group).ToHashSet());
    }

    /// <summary>
    /// True if the permission bits let the player do something. Access control lists are not checked: they may allow
    /// more, so a no is worth a look and not a proof.
    /// </summary>
    public bool May(in Node node, Right right)
    {
        if (User == 0)
            return true;
        var bits = node.User == User ? node.Mode >> 6 : Groups.Contains(node.Group) ? node.Mode >> 3 : node.Mode;
        return (bits & (int)right) == (int)right;
    }

    private static string[] Lines(Machine machine, string file)
    {
        try
        {
            using var text = new StreamReader(InputFile.Open(machine.At(file), LongestAccountList));
            return text.ReadToEnd().Split('\n');
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException)
        {
            return []; // Then the home's own group is all that is known.
        }
    }
}
