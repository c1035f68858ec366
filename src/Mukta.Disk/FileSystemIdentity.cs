namespace Mukta.Disk;

/// <summary>
/// Makes the calling thread reach the disk with the rights of another user (setfsuid(2), setfsgid(2)), until it is disposed. Only
/// root can. The work in between has to stay on this thread.
/// </summary>
public sealed class FileSystemIdentity : IDisposable
{
    private readonly bool isChanged;

    private FileSystemIdentity(bool isChanged) => this.isChanged = isChanged;

    /// <summary>Takes the rights of a user. Nothing changes for root's own, or if this is not root.</summary>
    /// <param name="user">The user's number.</param>
    /// <param name="group">The group's number.</param>
    public static FileSystemIdentity Of(uint user, uint group)
    {
        if (user == 0 || !Environment.IsPrivilegedProcess)
            return new FileSystemIdentity(isChanged: false);
        Native.SetThreadGroups(none: true);
        var identity = new FileSystemIdentity(isChanged: true);
        if (Become(user, group))
            return identity;
        identity.Dispose();
        throw new DiskException(DiskException.NotPermitted, "take the rights of the owner", "/proc/self");
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        if (!isChanged)
            return;
        if (!Become(0, 0))
            Environment.FailFast("The rights of root could not be taken back."); // Nothing after this would do what it says.
        Native.SetThreadGroups(none: false);
    }

    /// <summary>The calls answer what was before, and asked for a user that cannot be they change nothing.</summary>
    private static bool Become(uint user, uint group)
    {
        _ = Native.SetFileSystemGroup(group);
        _ = Native.SetFileSystemUser(user);
        return (uint)Native.SetFileSystemGroup(uint.MaxValue) == group && (uint)Native.SetFileSystemUser(uint.MaxValue) == user;
    }
}
