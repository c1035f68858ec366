using Mukta.Host;
using Mukta.Products;
using Mukta.Tests;
using Mukta.UserData;

namespace Mukta.Core.Tests.UserData;

/// <summary>What counts as a leftover, and what never does.</summary>
public sealed class UserPlacesTests
{
    [Fact]
    public void A_leftover_is_never_user_data_nor_another_products_nor_outside_nor_a_link_and_says_why()
    {
        using var scratch = new Scratch();
        foreach (var file in new[] { ".config/pier/a", ".cache/pier/b", ".cache/pier-keep/c", ".local/share/pier/logbooks/d",
            ".local/share/pier/notes/e", ".config/shared/f", ".local/share/Trash/g", "elsewhere/pier/h", "away/i", "games/pier/bin/pier" })
            scratch.Write(file, "x");
        File.CreateSymbolicLink(scratch.At(".config/pier-link"), scratch.At("away"));
        scratch.Write("profiles/pier.yaml", $$"""
            format: mukta.profile/1
            product: pier
            title: Pier
            kind: game
            installs: {places: ["${home}/games/pier"]}
            user-data: ["${data}/pier/logbooks"]
            caches: [{name: b, places: ["${cache}/pier"]}, {name: keep, places: ["${cache}/pier-keep"], clear: no}]
            leftovers: ["${config}/pier*", "${data}/pier", "${data}/pier/notes", "${config}/shared", "{{scratch.At("elsewhere/pier")}}", "{{Path.GetDirectoryName(scratch.Root)}}/{{Path.GetFileName(scratch.Root)}}", "${install}/bin"]
            """);
        scratch.Write(
            "profiles/quay.yaml",
            "{format: mukta.profile/1, product: quay, title: Quay, kind: game, installs: {places: [\"${home}/games/quay\"]}, leftovers: "
            + "[\"${config}/shared/f\"]}");
        var catalog = ProfileCatalog.Read(scratch.At("profiles"), _ => null);
        var home = scratch.Root;
        var machine = new Machine("/", UserFolders.Of(name => name == "HOME" ? home : null));
        var found = new UserPlaces(machine, catalog)
            .Leftovers(catalog.Of("pier").Profile, scratch.At("games/pier"), TestContext.Current.CancellationToken);
        string? Why(string path) => found.Single(f => f.Path == (path.Length == 0 ? home : scratch.At(path))).Blocked;
        found.Where(f => f.Blocked is null).Select(f => Path.GetRelativePath(home, f.Path)).Order()
            .ShouldBe([".cache/pier", ".config/pier", ".local/share/pier/notes", "elsewhere/pier"]);
        Why(".config/pier-link").ShouldBe("is a link; what it leads to is somebody else's to name");
        Why(".local/share/pier").ShouldNotBeNull().ShouldStartWith("belongs together with the user's own");
        Why(".config/shared").ShouldBe($"is used by Quay too ({scratch.At(".config/shared/f")})");
        Why(".cache/pier-keep").ShouldBe("is not to be cleared, says the profile");
        Why("").ShouldNotBeNull();
        new UserPlaces(machine, ProfileCatalog.Of()).Leftovers(
            catalog.Of("pier").Profile with { UserData = [] }, null, TestContext.Current.CancellationToken)
            .Single(f => f.Path == home).Blocked.ShouldBe("holds all of the user's files");
        new UserPlaces(
            machine with
            {
                Folders =
            machine.Folders with { Home = "/nowhere", Data = "/n/d", Config = "/n/c", Cache = "/n/a", State = "/n/s" }
            }, catalog)
            .Leftovers(catalog.Of("pier").Profile, null, TestContext.Current.CancellationToken)
            .Single(f => f.Path == scratch.At("elsewhere/pier")).Blocked.ShouldBe("lies outside of the user's and the product's folders");
    }
}
