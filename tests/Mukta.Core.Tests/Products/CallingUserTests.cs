using Mukta.Disk;
using Mukta.Products;
using Mukta.State;
using Mukta.Tests;

namespace Mukta.Core.Tests.Products;

public class CallingUserTests
{
    private static readonly string[] Accounts =
        ["root:x:0:0:root:/root:/bin/bash", "anna:x:1000:1000:Anna:/home/anna:/bin/bash", "toor:x:0:0::/root:/bin/sh", "broken"];

    [Theory]
    [InlineData("anna", "/root", true, "/home/anna", null)]
    [InlineData("anna", "/home/anna", true, "/home/anna", "/kept/state")]
    [InlineData("anna", "/root", false, "/root", "/kept/state")]
    [InlineData(null, "/root", true, "/root", "/kept/state")]
    [InlineData("toor", "/root", true, "/root", "/kept/state")]
    [InlineData("nobody-here", "/root", true, "/root", "/kept/state")]
    public void After_sudo_the_products_are_those_of_the_user_who_typed_it(
        string? user, string home, bool isRoot, string expected, string? state)
    {
        var variables = new Dictionary<string, string?>
        {
            ["SUDO_USER"] = user,
            ["HOME"] = home,
            ["XDG_STATE_HOME"] = "/kept/state",
            ["PATH"] = "/bin",
        };
        var seen = CallingUser.Environment(variables.GetValueOrDefault, isRoot, Accounts);
        (seen("HOME"), seen("XDG_STATE_HOME"), seen("PATH")).ShouldBe((expected, state, "/bin"));
    }

    [Fact]
    public void What_root_makes_in_a_users_state_is_that_users()
    {
        Need.Root();
        using var scratch = new Scratch();
        using var root = Folder.Open(scratch.Root);
        root.SetMode(".", 0b111_101_101);
        Directory.CreateDirectory(scratch.At("home"));
        root.SetOwner("home", 1234, 1235);
        StateDatabase.Open(scratch.At("home/.local/state")).Dispose();
        foreach (var path in new[] { "home/.local", "home/.local/state/mukta", "home/.local/state/mukta/state.db" })
            (root.Look(path)!.Value.User, root.Look(path)!.Value.Group).ShouldBe((1234u, 1235u), path);
    }
}
