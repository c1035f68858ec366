using Mukta.Products;

namespace Mukta.Cli;

/// <summary>The environment of the user whose products are checked: see <see cref="CallingUser"/>.</summary>
internal static class UserEnvironment
{
    private static readonly Lazy<Func<string, string?>> Environment = new(() => CallingUser.Environment(
        System.Environment.GetEnvironmentVariable, System.Environment.IsPrivilegedProcess,
        File.Exists("/etc/passwd") ? File.ReadLines("/etc/passwd") : []));

    /// <summary>A variable; null if it is not set.</summary>
    public static string? Get(string name) => Environment.Value(name);
}
