namespace Mukta.Products;

/// <summary>
/// Whose products are checked where a technician has typed <c>sudo</c>: the user's who typed it, and not root's. sudo sets HOME
/// to root's home on most systems, and names the user in SUDO_USER.
/// </summary>
public static class CallingUser
{
    private static readonly string[] XdgFolders = ["XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_STATE_HOME"];

    /// <summary>The environment as that user has it. Without sudo, or where HOME was kept, it is the one that was given.</summary>
    /// <param name="environment">The environment variables.</param>
    /// <param name="isRoot">True if this runs with the rights of root.</param>
    /// <param name="accounts">The lines of the account list (passwd(5)).</param>
    public static Func<string, string?> Environment(Func<string, string?> environment, bool isRoot, IEnumerable<string> accounts)
    {
        if (!isRoot || environment("SUDO_USER") is not { Length: > 0 } user)
            return environment;
        var fields = accounts.Select(l => l.Split(':')).Where(f => f.Length > 5).ToList();
        var (root, home) = (fields.FirstOrDefault(f => f[2] == "0")?[5], fields.FirstOrDefault(f => f[0] == user && f[2] != "0")?[5]);
        return home is null || !Path.IsPathRooted(home) || environment("HOME") != root
            ? environment
            : name => name == "HOME" ? home : XdgFolders.Contains(name) ? null : environment(name);
    }
}
