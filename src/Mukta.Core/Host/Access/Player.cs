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

/// <summary>The user whose products these are: the owner of the home. A technician who runs Mukta as root may do anything; this user may not.</summary>
/// <param name="User">The user's number.</param>
/// <param name="Group">The user's own group.</param>
public sealed record Player(uint User, uint Group)
{
    /// <summary>The player of a home.</summary>
    /// <exception cref="MuktaException">There is no such home.</exception>
    public static Player Of(string home)
    {
        using var folder = Folder.Open(home);
        var node = folder.Look(".")!.Value;
        return new Player(node.User, node.Group);
    }

    /// <summary>
    /// True where the permission bits let the player do something. Further groups and access control lists are not looked
    /// at: they may allow more, so a no is worth a look and not a proof.
    /// </summary>
    public bool May(in Node node, Right right)
    {
        if (User == 0)
            return true;
        var bits = node.User == User ? node.Mode >> 6 : node.Group == Group ? node.Mode >> 3 : node.Mode;
        return (bits & (int)right) == (int)right;
    }
}
