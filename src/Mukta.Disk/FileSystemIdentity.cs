namespace Mukta.Disk;

/// <summary>
/// Makes the calling thread reach the disk with the rights of another user (setfsuid(2), setfsgid(2)), until it is disposed. Only
/// root can. The work in between has to stay on this thread. One may be in another.
/// </summary>
public sealed class FileSystemIdentity : IDisposable
{
    private readonly (uint User, uint Group)? before;

    private FileSystemIdentity((uint User, uint Group)? before) => this.before = before;

    /// <summary>Takes the rights of a user. Nothing changes for root's own, or if this is not root.</summary>
    /// <param name="user">The user's number.</param>
    /// <param name="group">The group's number.</param>
    /// <exception cref="DiskException">The system does not allow it.</exception>
    public static FileSystemIdentity Of(uint user, uint group)
    {
        if (user == 0 || CurrentUser.Number != 0)
            return new FileSystemIdentity(null);
        var identity = new FileSystemIdentity(Now());
        Native.SetThreadGroups(none: true);
        if (Become(user, group))
            return identity;
        identity.Dispose();
        throw new DiskException(DiskException.NotPermitted, "take the rights of the owner", "/proc/self");
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        if (before is not { } was)
            return;
        if (!Become(was.User, was.Group))
            Environment.FailFast("The rights of root could not be taken back."); // Nothing after this would do what it says.
        Native.SetThreadGroups(none: was.User != 0);
    }

    private static bool Become(uint user, uint group)
    {
        _ = Native.SetFileSystemGroup(group);
        _ = Native.SetFileSystemUser(user);
        return Now() == (user, group);
    }

    /// <summary>The calls answer what was before; asked for a user that cannot be, they change nothing.</summary>
    private static (uint User, uint Group) Now() =>
        ((uint)Native.SetFileSystemUser(uint.MaxValue), (uint)Native.SetFileSystemGroup(uint.MaxValue));
}
