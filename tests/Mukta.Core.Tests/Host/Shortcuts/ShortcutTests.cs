using CsCheck;
using Mukta.Host;
using Mukta.Host.Shortcuts;
using Mukta.Products;
using Mukta.Remedies;
using Mukta.Tests;

namespace Mukta.Core.Tests.Host.Shortcuts;

public sealed class ShortcutTests : IDisposable
{
    private const string Mine =
        "# my own\n[Desktop Entry]\nType=Application\nName=Pier\nName[de]=Steg\nExec=env TIDE=high GULL=loud /games/pier-1/bin/pier "
        + "--mine %U\nPath=/games/pier-1\n\n[Desktop Action Map]\nExec=/games/pier/bin/map\n";

    private readonly Scratch scratch = new();
    private readonly Machine machine;
    private readonly Profile profile = ProfileReader.Read(new StringReader("""
        format: mukta.profile/1
        product: pier
        title: Pier
        kind: game
        installs: {places: ["${home}/games/pier*"]}
        shortcuts: [{entry: "${data}/applications/pier.desktop", program: bin/pier, arguments: [--mail], environment: {TIDE: low}, folder: "${install}"}]
        """), "test.yaml");

    public ShortcutTests()
    {
        machine = new Machine("/", UserFolders.Of(name => name == "HOME" ? scratch.Root : null));
        scratch.Write("games/pier/bin/pier", "x");
    }

    private string Entry => scratch.At(".local/share/applications/pier.desktop");

    [Fact]
    public void What_the_profile_asks_for_is_put_in_and_what_the_user_added_stays()
    {
        scratch.Write(".local/share/applications/pier.desktop", Mine);
        Restore().ShouldAllBe(c => c.Failure == null);
        File.ReadAllText(Entry).ShouldBe(Mine.Replace(
            "Exec=env TIDE=high GULL=loud /games/pier-1/bin/pier --mine %U",
            $"Exec=env GULL=loud TIDE=low {scratch.At("games/pier/bin/pier")} --mail --mine %U", StringComparison.Ordinal)
            .Replace("Path=/games/pier-1", $"Path={scratch.At("games/pier")}", StringComparison.Ordinal));
        Look().SelectMany(e => ShortcutFindings.Of([e])).ShouldBeEmpty();
        Directory.EnumerateFiles(scratch.At(".local/state/mukta/kept"), "*", SearchOption.AllDirectories)
            .Where(p => p.Contains("/files/", StringComparison.Ordinal)).Select(File.ReadAllText).ShouldBe([Mine]);
    }

    [Fact]
    public void Variables_in_arguments_and_environment_are_folders()
    {
        var withVariables = profile with
        {
            Shortcuts =
            [profile.Shortcuts[0] with { Arguments = ["--maps=${install}/maps"],
            Environment = new Dictionary<string, string> { ["PIER_PATH"] = "${install}/lib:${home}/lib" } }],
        };
        Restore(withVariables).ShouldAllBe(c => c.Failure == null);
        var text = File.ReadAllText(Entry);
        text.ShouldContain($"PIER_PATH={scratch.At("games/pier/lib")}:{scratch.At("lib")}");
        text.ShouldContain($"--maps={scratch.At("games/pier/maps")}");
    }

    [Fact]
    public void What_a_profile_says_is_text_in_an_entry_and_nothing_else()
    {
        const string Odd = " $(touch canary)\\;`touch canary`";
        var odd = profile with
        {
            Title = Odd,
            Shortcuts =
            [profile.Shortcuts[0] with { Arguments = ["50%", "%U", "$(touch canary)"],
            Environment = new Dictionary<string, string> { ["TIDE"] = "100%U" } }],
        };
        Restore(odd).ShouldAllBe(c => c.Failure == null);
        var text = File.ReadAllText(Entry);
        text.ShouldContain("Name=\\s$(touch canary)\\\\;`touch canary`\n");
        text.ShouldContain("TIDE=100%%U");
        text.ShouldContain(""" 50%% %U "\\$(touch canary)" """.TrimEnd());
        var entry = DesktopEntry.Parse(text, out _)!;
        entry.Get("Name").ShouldBe(Odd);
        entry.Exec!.Variable("TIDE").ShouldBe("100%U");
        Look(odd).SelectMany(e => ShortcutFindings.Of([e])).ShouldBeEmpty();
    }

    [Fact]
    public void A_folder_of_entries_that_is_a_link_out_of_the_home_is_not_written_to()
    {
        using var outside = new Scratch();
        Directory.CreateDirectory(scratch.At(".local/share"));
        File.CreateSymbolicLink(scratch.At(".local/share/applications"), outside.Root);
        ShortcutFindings.Of(Look()).ShouldHaveSingleItem().Remedy.ShouldBe(Mukta.Host.Checks.Remedy.None);
        Restore().ShouldBeEmpty();
        Directory.EnumerateFileSystemEntries(outside.Root).ShouldBeEmpty();
    }

    [Fact]
    public void A_missing_entry_is_made_and_a_stale_one_is_held()
    {
        scratch.Write(
            ".local/share/applications/old-pier.desktop",
            $"[Desktop Entry]\nType=Application\nName=Old\nExec={scratch.At("games/pier-1/bin/pier")}\n");
        scratch.Write(".local/share/applications/other.desktop", "[Desktop Entry]\nType=Application\nName=Other\nExec=/opt/other/gone\n");
        Look().Count.ShouldBe(2, "what belongs to nobody we know is not ours");
        Restore().ShouldAllBe(c => c.Failure == null);
        File.ReadAllText(Entry).ShouldContain("--mail");
        File.Exists(scratch.At(".local/share/applications/old-pier.desktop")).ShouldBeFalse();
        File.Exists(scratch.At(".local/share/applications/other.desktop")).ShouldBeTrue();
        Look().SelectMany(e => ShortcutFindings.Of([e])).ShouldBeEmpty();
    }

    [Fact]
    public void A_link_that_stands_in_the_place_of_an_entry_is_held_and_what_it_points_to_is_left_alone()
    {
        scratch.Write("elsewhere.desktop", Mine);
        Directory.CreateDirectory(Path.GetDirectoryName(Entry)!);
        File.CreateSymbolicLink(Entry, scratch.At("elsewhere.desktop"));
        Restore();
        File.ReadAllText(scratch.At("elsewhere.desktop")).ShouldBe(Mine);
        new FileInfo(Entry).LinkTarget.ShouldBeNull();
    }

    [Fact]
    public void A_huge_entry_is_said_and_not_read()
    {
        scratch.Write(".local/share/applications/pier.desktop", "");
        using (var file = File.OpenWrite(Entry))
            file.SetLength(100L << 20);
        Look().ShouldHaveSingleItem().Fault.ShouldBe("is larger than 1 MiB");
    }

    [Fact]
    public void A_command_keeps_its_words()
    {
        var word = Gen.String[Gen.Char[" \"'\\$`azAZ09-=/%éx"], 1, 12];
        Gen.Select(word.Where(w => !w.Contains('=', StringComparison.Ordinal) && Path.GetFileName(w) != "env"), word.List[0, 5])
            .Sample((program, arguments) =>
        {
            var line = new ExecLine([new("TIDE", "low water")], program, arguments);
            var entry = DesktopEntry.New("Pier").With("Exec", line.ToString());
            var read = DesktopEntry.Parse(entry.Text, out _)!.Exec!;
            return read.Program == program && read.Arguments.SequenceEqual(arguments) && read.Variable("TIDE") == "low water";
        });
    }

    [Fact]
    public void A_changed_key_changes_nothing_else() => Gen.String[Gen.Char["ab \\\n\t=[]#"], 0, 20].Sample(value =>
    {
        var old = DesktopEntry.Parse(Mine, out _)!;
        var changed = DesktopEntry.Parse(old.With("Comment", value.Trim()).Text, out _)!;
        return changed.Get("Comment") == value.Trim() && changed.Get("Exec") == old.Get("Exec")
            && changed.With("Comment", null).Text == old.Text;
    });

    [Theory]
    [InlineData("", "does not begin")]
    [InlineData("Name=Pier\n[Desktop Entry]\n", "does not begin")]
    [InlineData("[Desktop Entry]\nName=\0\n", "NUL")]
    public void What_is_no_entry_is_refused(string text, string fault)
    {
        DesktopEntry.Parse(text, out var says).ShouldBeNull();
        says!.ShouldContain(fault);
    }

    public void Dispose() => scratch.Dispose();

    private IReadOnlyList<Shortcut> Look(Profile? of = null) => new ShortcutLook(machine).At(of ?? profile, scratch.At("games/pier"));

    private IReadOnlyList<ChangedEntry> Restore(Profile? of = null) =>
        new RestoreShortcutsRemedy(Guards.TargetOf(machine, of ?? profile, scratch.At("games/pier")), Guards.Tools).Run()?.Changed ?? [];
}
