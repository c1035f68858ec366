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
            shortcuts: [{entry: "${data}/applications/pier.desktop", program: bin/pier, arguments: [-x], environment: {A: b}, folder: "${install}"}]
            runtime: {programs: [bin/pier], kernel: "5.10", libc: "2.31", drivers: {gpu: "1.2"}, layer: /opt/layer/pier, packages: {libwind.so.1: libwind1}}
            leftovers: ["${config}/pier"]
            setup: {program: bin/setup, repair: {arguments: [--repair], minutes: 5, done: [0, 3], restart: [10]}, then: {active: [tide.service], files: [bin/pier]}}
            outage: {url: "https://status.example/health"}
            logs: ["${state}/pier/*.log"]
            probe: {program: bin/probe, arguments: ["${install}"], seconds: 5}
            codes: [{code: PI-1, means: It sank, symptoms: ["*sinks*"], logs: ["PI-1"], rungs: {pump: 40, plug: 7}}, {code: leak, means: It leaks, rungs: [plug]}]
            ladder:
              - {rung: pump, operator: Pump it dry., minutes: 30, gone: [space-short], restart: yes}
              - {rung: plug, remedy: setup, action: repair, product: pierhead, loses: settings, after: [pump]}
            """);
        profile.Installs.ShouldSatisfyAllConditions(i => i.Marker.ShouldBe("bin/pier"), i => i.FolderPerRelease.ShouldBeTrue());
        profile.Manifest!.Location.ShouldBe("https://mirror.example/pier.meta4");
        profile.Services.ShouldHaveSingleItem().State.ShouldBe("inactive");
        profile.Caches.ShouldHaveSingleItem().Clearing.ShouldBe(CacheClearing.Never);
        profile.Shortcuts.ShouldHaveSingleItem().Environment["A"].ShouldBe("b");
        profile.Runtime.Drivers["gpu"].ShouldBe(new Version(1, 2));
        profile.Setup!.Actions["repair"].Restart.ShouldBe([10]);
        profile.Outage!.Host.ShouldBe("status.example");
        profile.Logs.ShouldHaveSingleItem().Text.ShouldBe("${state}/pier/*.log");
        profile.Probe!.ShouldSatisfyAllConditions(p => p.Program.ShouldBe("bin/probe"), p => p.TimeLimit.TotalSeconds.ShouldBe(5));
        profile.Codes[0].Rungs.ShouldBe(new Dictionary<string, double> { ["pump"] = 0.4, ["plug"] = 0.07 }, ignoreOrder: true);
        profile.Codes[1].Rungs["plug"].ShouldBe(0.2, "the usual chance");
        profile.Ladder[0].ShouldSatisfyAllConditions(
            r => r.Act.ShouldBe(RungAct.Operator), r => r.Minutes.ShouldBe(30), r => r.IsRestart.ShouldBeTrue(), r => r.Gone.ShouldBe(["space-short"]));
        profile.Ladder[1].ShouldSatisfyAllConditions(
            r => r.Act.ShouldBe(RungAct.Setup), r => (r.Part, r.Product).ShouldBe(("repair", "pierhead")), r => r.Loses.ShouldBe(RungLoss.Settings),
            r => r.After.ShouldBe(["pump"]), r => r.Minutes.ShouldBe(5, "the usual time"));
    }

    [Theory]
    [InlineData("procesess: [x]", 7, 1, "Unknown key \"procesess\" in the profile; did you mean \"processes\"?")]
    [InlineData("xyzzy: 1", 7, 1, "Unknown key \"xyzzy\" in the profile.")]
    [InlineData("title: Again", 7, 1, "appears twice")]
    [InlineData("needs: pierhead", 7, 8, "must be a list; this is a text")]
    [InlineData("needs: [pier]", 7, 8, "cannot need itself")]
    [InlineData("services: [{unit: a.service, startup: on}]", 7, 39, "not one of enabled, disabled, static")]
    [InlineData("services: [{startup: enabled}]", 7, 12, "Missing key \"unit\" in the service.")]
    [InlineData("conflicts: [{name: a}]", 7, 13, "Missing key \"processes\" or \"units\" in the conflict.")]
    [InlineData("runtime: {memory: much}", 7, 19, "such as 500KiB or 2MiB")]
    [InlineData("ladder: [{rung: a}]", 7, 10, "needs one of the keys \"remedy\" and \"operator\"")]
    [InlineData("ladder: [{rung: a, remedy: setup}]", 7, 10, "Missing key \"action\" in the rung.")]
    [InlineData("ladder: [{rung: a, remedy: clear-cahces}]", 7, 28, "did you mean \"clear-caches\"?")]
    [InlineData("ladder: [{rung: a, remedy: stop, cache: x}]", 7, 41, "A rung that does stop has no \"cache\".")]
    [InlineData("ladder: [{rung: a, remedy: stop, restart: yes}]", 7, 43, "Mukta sees itself whether a remedy is done.")]
    [InlineData("ladder: [{rung: a, remedy: stop}, {rung: a, remedy: reset}]", 7, 42, "The rung \"a\" appears twice.")]
    [InlineData("ladder: [{rung: pump, remedy: stop, after: [pmup]}]", 7, 44, "The ladder has no rung \"pmup\"; did you mean \"pump\"?")]
    [InlineData("codes: [{code: a, means: x, rungs: {b: 5}}]", 7, 36, "The ladder has no rung \"b\".")]
    [InlineData("codes: [{code: a, means: x, rungs: {b: 100}}]", 7, 40, "is a whole number from 1 to 99")]
    [InlineData("codes: [{code: a, means: x}, {code: A, means: x}]", 7, 37, "The code \"A\" appears twice.")]
    [InlineData("services: [{unit: ../a}]", 7, 19, "cannot be the name of a unit")]
    [InlineData("caches: [{name: a, places: [\"${cach}/x\"]}]", 7, 29, "unknown variable ${cach}; did you mean \"cache\"?")]
    [InlineData("leftovers: [games/pier]", 7, 13, "neither absolute nor below a variable")]
    [InlineData("leftovers: [\"${home}/../x\"]", 7, 13, "\"..\"")]
    [InlineData("leftovers: [\"/opt/${home}/x\"]", 7, 13, "variable in the middle")]
    [InlineData("leftovers: [\"${cache}/**\"]", 7, 13, "\"**\"")]
    [InlineData("components: {a: [../x]}", 7, 18, "has to lie in the install")]
    [InlineData("components: {a: [/etc/passwd]}", 7, 18, "has to lie in the install")]
    [InlineData("outage: {url: \"file:///etc/passwd\"}", 7, 15, "not an http or https URL")]
    [InlineData("manifest: {}", 7, 11, "needs one of the keys \"file\", \"url\" and \"index\"")]
    [InlineData(
        "shortcuts: [{entry: \"${data}/applications/pier.desktop\", program: bin/pier, environment: {A: \"${instal}/x\"}}]", 7, 94,
        "has the unknown variable ${instal}; did you mean \"install\"?")]
    [InlineData("setup: {program: a}", 7, 8, "needs an action")]
    [InlineData("setup: {program: a, repair: {minutes: 0}}", 7, 39, "whole number from 1 to 600")]
    [InlineData("runtime: {kernel: new}", 7, 19, "not a version")]
    [InlineData("needs: &a [x]", 7, 8, "Anchors")]
    [InlineData("needs: [*a]", 7, 9, "Aliases")]
    [InlineData("needs: !!python/object [x]", 7, 8, "Tags")]
    [InlineData("needs: [x", 8, 1, "not well-formed YAML")]
    [InlineData("? [a]\n: b", 7, 3, "A key must be a string")]
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
    [InlineData("/home")]
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
    [InlineData("${cache}/?")]
    [InlineData("${cache}/*a*")]
    [InlineData("${data}")]
    [InlineData("${config}")]
    [InlineData("${state}")]
    [InlineData("${home}/.config")]
    [InlineData("${home}/.cache")]
    [InlineData("${home}/.local")]
    [InlineData("${home}/.local/share")]
    [InlineData("${home}/.local/state")]
    [InlineData("${home}/.c*")]
    [InlineData("${home}/.config/*")]
    [InlineData("${home}/Documents")]
    [InlineData("${home}/Downloads")]
    [InlineData("${home}/.ssh")]
    [InlineData("${home}/.ssh/id_ed25519")]
    [InlineData("${home}/.s*")]
    [InlineData("${home}/.s\\sh*")]
    [InlineData("${home}/.bashrc")]
    [InlineData("${home}/.bash*")]
    [InlineData("${home}/.profile")]
    [InlineData("${home}/.gnupg/keys")]
    [InlineData("${home}/.local/bin")]
    [InlineData("${home}/.local/bin/pier")]
    [InlineData("${config}/autostart")]
    [InlineData("${config}/systemd/user")]
    [InlineData("${config}/mukta")]
    [InlineData("${data}/applications")]
    [InlineData("${data}/keyrings")]
    [InlineData("${data}/Trash")]
    [InlineData("${state}/mukta")]
    [InlineData("${home}/.local/state/mukta/state.db")]
    [InlineData("/home/alex/.ssh")]
    [InlineData("/home/*/.config")]
    [InlineData("/root/.ssh")]
    [InlineData("/root")]
    [InlineData("/usr")]
    [InlineData("/usr/lib")]
    [InlineData("/usr/lib/pier")]
    [InlineData("/usr/bin/pier")]
    [InlineData("/usr/share")]
    [InlineData("/etc")]
    [InlineData("/etc/ssh")]
    [InlineData("/etc/pier.conf")]
    [InlineData("/etc/opt")]
    [InlineData("/var")]
    [InlineData("/var/lib")]
    [InlineData("/var/lib/dpkg")]
    [InlineData("/var/lib/d*")]
    [InlineData("/var/cache")]
    [InlineData("/var/log/journal")]
    [InlineData("/var/tmp")]
    [InlineData("/tmp")]
    [InlineData("/tmp/*")]
    [InlineData("/bin/pier")]
    [InlineData("/boot/pier")]
    [InlineData("/dev/shm/pier")]
    [InlineData("/lib/pier")]
    [InlineData("/proc/1")]
    [InlineData("/sys/pier")]
    [InlineData("/run/pier")]
    [InlineData("/mnt")]
    [InlineData("/mnt/disk")]
    [InlineData("/media/disk")]
    [InlineData("/games")]
    [InlineData("/g*/pier")]
    [InlineData("${install}")]
    public void A_place_that_is_not_a_products_own_is_refused(string path)
    {
        foreach (var key in new[] { "settings", "leftovers", "temporary", "user-data" })
            Should.Throw<ProfileFault>(() => Read($"{Least}{key}: ['{path}']")).What.ShouldContain($"The path \"{path}\"");
        Should.Throw<ProfileFault>(() => Read($"{Least}caches: [{{name: all, places: ['{path}']}}]"));
        Should.Throw<ProfileFault>(() => Read(Least.Replace("\"${home}/games/pier\"", $"'{path}'", StringComparison.Ordinal)));
    }

    [Theory]
    [InlineData("${home}/games/pier")]
    [InlineData("${home}/.pier")]
    [InlineData("${cache}/pages-*")]
    [InlineData("${data}/pier/maps")]
    [InlineData("${config}/pier")]
    [InlineData("${home}/.config/pier")]
    [InlineData("${home}/Documents/Pier")]
    [InlineData("/home/*/games/pier")]
    [InlineData("/home/alex/.cache/pier")]
    [InlineData("/root/games/pier")]
    [InlineData("/opt/saltlight")]
    [InlineData("/opt/saltlight/pier-*")]
    [InlineData("/srv/games/pier")]
    [InlineData("/games/pier")]
    [InlineData("/mnt/disk/games")]
    [InlineData("/media/alex/disk/games")]
    [InlineData("/run/media/alex/disk/games")]
    [InlineData("/var/games/pier")]
    [InlineData("/var/cache/pier")]
    [InlineData("/var/lib/pier")]
    [InlineData("/var/log/pier.log*")]
    [InlineData("/usr/local/games/pier")]
    [InlineData("/usr/share/games/pier")]
    [InlineData("/etc/opt/pier")]
    [InlineData("/tmp/pier-*")]
    [InlineData("${install}/saves")]
    public void A_place_of_a_product_is_taken(string path) => Read($"{Least}leftovers: ['{path}']").Leftovers.ShouldHaveSingleItem();

    [Theory]
    [InlineData("/etc/profile.d/pier.sh")]
    [InlineData("/etc/profile.d/pier.desktop")]
    [InlineData("${home}/.bashrc")]
    [InlineData("${home}/pier.desktop")]
    [InlineData("${data}/applications/pier.sh")]
    [InlineData("${data}/applications/*.desktop")]
    [InlineData("${data}/pier.desktop")]
    [InlineData("${config}/autostart/deeper/pier.desktop")]
    [InlineData("${install}/applications/pier.desktop")]
    [InlineData("/opt/.local/share/applications/pier.desktop")]
    public void A_shortcut_has_its_place(string path) =>
        Should.Throw<ProfileFault>(() => Read($"{Least}shortcuts: [{{entry: '{path}', program: bin/pier}}]"))
        .What.ShouldContain("no place for a shortcut");

    [Theory]
    [InlineData("${data}/applications/pier.desktop")]
    [InlineData("${data}/applications/saltlight/pier.desktop")]
    [InlineData("${config}/autostart/pier.desktop")]
    [InlineData("${home}/.local/share/applications/pier.desktop")]
    [InlineData("/home/alex/.config/autostart/pier.desktop")]
    [InlineData("/usr/share/applications/pier.desktop")]
    [InlineData("/etc/xdg/autostart/pier.desktop")]
    public void A_shortcut_in_its_place_is_taken(string path) =>
        Read($"{Least}shortcuts: [{{entry: '{path}', program: bin/pier}}]").Shortcuts.ShouldHaveSingleItem();

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
        scratch.Write("named/quay.yaml", Least.Replace("product: pier", "product: quay", StringComparison.Ordinal));
        var circular = ProfileCatalog.Read(scratch.At("named"), Environment);
        Should.Throw<ProfileFault>(() => circular.Of("pier")).What.ShouldContain("buoy needs pier needs buoy");
        Should.Throw<ProfileFault>(() => circular.Of("buoy"));
        circular.Of("quay").Profile.Title.ShouldBe("Pier");
    }

    [Theory]
    [InlineData("needs: [x")]
    [InlineData("needs: {x")]
    [InlineData("needs: \"x")]
    [InlineData("needs: |\n\tx")]
    [InlineData("\u0001")]
    public void A_profile_that_cannot_be_used_keeps_no_other_from_being_used(string line)
    {
        using var scratch = new Scratch();
        scratch.Write("named/a.yaml", Least.Replace("product: pier", "product: quay", StringComparison.Ordinal) + line);
        scratch.Write("named/b.yaml", Least);
        var catalog = ProfileCatalog.Read(scratch.At("named"), _ => null);
        catalog.Of("pier").Profile.Title.ShouldBe("Pier");
        catalog.Faults.ShouldHaveSingleItem().Where.ShouldContain("a.yaml");
        Should.Throw<MuktaException>(() => catalog.Of("quay")).Next.ShouldContain("mukta profile check");
    }

    [Fact]
    public void Two_profiles_for_one_product_in_a_folder_are_a_fault_of_that_product_only()
    {
        using var scratch = new Scratch();
        scratch.Write("named/a.yaml", Least);
        scratch.Write("named/b.yaml", Least);
        scratch.Write("named/c.yaml", Least.Replace("product: pier", "product: quay", StringComparison.Ordinal));
        var catalog = ProfileCatalog.Read(scratch.At("named"), _ => null);
        catalog.Of("quay").ShouldNotBeNull();
        Should.Throw<ProfileFault>(() => catalog.Of("pier")).What.ShouldContain("another profile in the same folder");
    }

    private static Profile Read(string text) => ProfileReader.Read(new StringReader(text), "test.yaml");
}
