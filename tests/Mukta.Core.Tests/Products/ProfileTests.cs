using System.Text.Json;
using Mukta.Products;
using Mukta.Tests;

namespace Mukta.Core.Tests.Products;

public class ProfileTests
{
    private const string Least =
        "format: mukta.profile/1\nproduct: pier\ntitle: Pier\nkind: game\ninstalls:\n  places: [\"${home}/games/pier\"]\n";

    [Fact]
    public void The_least_profile_is_enough()
    {
        var profile = Read(Least);
        (profile.Product, profile.Title, profile.Kind, profile.Installs.FolderPerRelease)
            .ShouldBe(("pier", "Pier", ProductKind.Game, false));
    }

    [Fact]
    public void Every_key_is_read()
    {
        var profile = Read(Least.Replace("]\n", "]\n  marker: bin/pier\n  layout: folder-per-release\n", StringComparison.Ordinal) + """
            needs: [pierhead]
            manifest: {url: "https://mirror.example/pier.meta4", trust: [vendor.pem], mirrors: ["https://b.example/"]}
            components: {programs: [bin/*]}
            processes: [pier]
            services: [{unit: tide.service, startup: disabled, state: inactive, after: [wind.service]}]
            caches: [{name: pages, places: ["${cache}/pier/pages-*"], holds: pages, clear: no}]
            temporary: ["${cache}/pier/part-*"]
            user-data: ["${install}/saves"]
            launch: [{entry: "${data}/applications/pier.desktop", program: bin/pier, arguments: [-x], environment: {A: b}, folder: "${install}"}]
            runtime: {programs: [bin/pier], kernel: "5.10", libc: "2.31", drivers: {gpu: "1.2"}, layer: /opt/layer/pier, packages: {libwind.so.1: libwind1}}
            leftovers: ["${config}/pier"]
            setup: {program: bin/setup, repair: {arguments: [--repair], minutes: 5, done: [0, 3], restart: [10]}, then: {active: [tide.service], files: [bin/pier]}}
            outage: {url: "https://status.example/health"}
            codes: {}
            ladder: []
            """);
        profile.Installs.ShouldSatisfyAllConditions(i => i.Marker.ShouldBe("bin/pier"), i => i.FolderPerRelease.ShouldBeTrue());
        profile.Manifest!.Location.ShouldBe("https://mirror.example/pier.meta4");
        profile.Services.ShouldHaveSingleItem().State.ShouldBe("inactive");
        profile.Caches.ShouldHaveSingleItem().MayBeCleared.ShouldBeFalse();
        profile.Launch.ShouldHaveSingleItem().Environment["A"].ShouldBe("b");
        profile.Runtime.Drivers["gpu"].ShouldBe(new Version(1, 2));
        profile.Setup!.Actions["repair"].Restart.ShouldBe([10]);
        profile.Outage!.Host.ShouldBe("status.example");
    }

    [Theory]
    [InlineData("procesess: [x]", 7, 1, "no key \"procesess\"; did you mean \"processes\"?")]
    [InlineData("xyzzy: 1", 7, 1, "no key \"xyzzy\".")]
    [InlineData("title: Again", 7, 1, "stands twice")]
    [InlineData("needs: pierhead", 7, 8, "has to be a list; this is a text")]
    [InlineData("needs: [pier]", 7, 8, "cannot need itself")]
    [InlineData("services: [{unit: a.service, startup: on}]", 7, 39, "not one of enabled, disabled, static")]
    [InlineData("services: [{startup: enabled}]", 7, 12, "no key \"unit\"")]
    [InlineData("services: [{unit: ../a}]", 7, 19, "cannot be the name of a unit")]
    [InlineData("caches: [{name: a, places: [\"${cach}/x\"]}]", 7, 29, "unknown variable ${cach}; did you mean \"cache\"?")]
    [InlineData("leftovers: [games/pier]", 7, 13, "neither absolute nor below a variable")]
    [InlineData("leftovers: [\"${home}/../x\"]", 7, 13, "\"..\"")]
    [InlineData("leftovers: [\"/opt/${home}/x\"]", 7, 13, "variable in the middle")]
    [InlineData("leftovers: [\"${cache}/**\"]", 7, 13, "\"**\"")]
    [InlineData("components: {a: [../x]}", 7, 18, "has to lie in the install")]
    [InlineData("components: {a: [/etc/passwd]}", 7, 18, "has to lie in the install")]
    [InlineData("outage: {url: \"file:///etc/passwd\"}", 7, 15, "no http or https URL")]
    [InlineData("manifest: {}", 7, 11, "no one of the keys \"file\" and \"url\"")]
    [InlineData("setup: {program: a}", 7, 8, "no action")]
    [InlineData("setup: {program: a, repair: {minutes: 0}}", 7, 39, "whole number from 1 to 600")]
    [InlineData("runtime: {kernel: new}", 7, 19, "no version")]
    [InlineData("needs: &a [x]", 7, 8, "Anchors")]
    [InlineData("needs: [*a]", 7, 9, "Aliases")]
    [InlineData("needs: !!python/object [x]", 7, 8, "Tags")]
    [InlineData("needs: [x", 8, 1, "not well-formed YAML")]
    [InlineData("? [a]\n: b", 7, 3, "A key has to be a text")]
    [InlineData("---\na: b", 7, 1, "one YAML document")]
    public void What_is_wrong_is_told_with_its_place(string line, int row, int column, string says)
    {
        var fault = Should.Throw<ProfileFault>(() => Read(Least + line));
        fault.What.ShouldContain(says);
        (fault.Line, fault.Column).ShouldBe((row, column));
        fault.Code.ShouldBe(ExitCode.BadInput);
    }

    [Theory]
    [InlineData("/")]
    [InlineData("/*")]
    [InlineData("/opt")]
    [InlineData("/opt/*")]
    [InlineData("/home/*")]
    [InlineData("/home/somebody")]
    [InlineData("/home/*/*")]
    [InlineData("/*/*/pages")]
    [InlineData("${home}")]
    [InlineData("${home}/")]
    [InlineData("${home}/*")]
    [InlineData("${home}/?*")]
    [InlineData("${home}/.*")]
    [InlineData("${cache}")]
    [InlineData("${cache}/*")]
    [InlineData("${install}/*")]
    public void A_path_that_could_stand_for_a_home_or_the_root_is_refused(string path) => PathPattern.Parse(path, out _).ShouldBeNull();

    [Theory]
    [InlineData("${home}/games/pier")]
    [InlineData("${home}/.pier")]
    [InlineData("${cache}/pages-*")]
    [InlineData("${install}")]
    [InlineData("/opt/saltlight")]
    [InlineData("/opt/saltlight/pier-*")]
    [InlineData("/home/*/games/pier")]
    public void A_path_of_a_product_is_taken(string path) => PathPattern.Parse(path, out _).ShouldNotBeNull();

    [Fact]
    public void A_short_document_cannot_stand_for_a_huge_one()
    {
        var bomb = "a: &a [x,x,x,x,x,x,x,x,x]\n"
            + string.Concat(Enumerable.Range(
            0, 9).Select(
            i => $"{(char)('b' + i)}: &{(char)('b' + i)} [{string.Join(',', Enumerable.Repeat($"*{(char)('a' + i)}", 9))}]\n"));
        Should.Throw<ProfileFault>(() => Read(bomb)).What.ShouldContain("Anchors");
        Should.Throw<ProfileFault>(() => Read(new string('[', 1000))).What.ShouldContain("too deep");
    }

    [Fact]
    public void The_published_schema_knows_the_same_keys_as_the_reader()
    {
        using var schema = JsonDocument.Parse(File.ReadAllText(Path.Join(AppContext.BaseDirectory, "profile.schema.json")));
        var maps = schema.RootElement.GetProperty("$defs").EnumerateObject()
            .ToDictionary(d => d.Name, d => d.Value.GetProperty("properties").EnumerateObject().Select(p => p.Name).Order().ToList());
        maps.Keys.Order().ShouldBe(ProfileKeys.Known.Keys.Order());
        foreach (var (map, keys) in maps)
            keys.ShouldBe(ProfileKeys.Known[map].Order().ToList(), $"the keys of {map}");
    }

    [Fact]
    public void The_first_folder_counts_and_a_circle_of_needs_is_refused()
    {
        using var scratch = new Scratch();
        scratch.Write("named/pier.yaml", Least);
        scratch.Write("config/mukta/profiles/pier.yaml", Least.Replace("title: Pier", "title: Another", StringComparison.Ordinal));
        string? Environment(string name) =>
            name == "XDG_CONFIG_HOME" ? scratch.At("config") : name == "XDG_CONFIG_DIRS" ? scratch.At("none") : null;
        ProfileCatalog.Read(scratch.At("named"), Environment).Of("pier").Profile.Title.ShouldBe("Pier");
        ProfileCatalog.Read(null, Environment).Of("pier").Profile.Title.ShouldBe("Another");

        scratch.Write("named/pier.yaml", Least + "needs: [buoy]\n");
        scratch.Write("named/buoy.yaml", Least.Replace("product: pier", "product: buoy", StringComparison.Ordinal) + "needs: [pier]\n");
        Should.Throw<ProfileFault>(() => ProfileCatalog.Read(scratch.At("named"), Environment))
            .What.ShouldContain("buoy needs pier needs buoy");
    }

    private static Profile Read(string text) => ProfileReader.Read(new StringReader(text), "test.yaml");
}
