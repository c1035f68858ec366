using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>What holds for every command: a noun alone shows its things, quiet is one line, words can be completed.</summary>
public sealed class GrammarTests
{
    [Fact]
    public async Task A_noun_alone_shows_its_things_and_quiet_is_the_verdict_alone()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Flip("games/gannet-post/maps/harbour.pak", 70_000);
        (await home.OnAsync("repair", "gannet-post", "-y")).Code.ShouldBe(0);
        foreach (var noun in new[] { "installs", "services", "caches", "shortcuts", "operations", "profile" })
        {
            var (shown, quiet) = (await ShowAsync(noun), await ShowAsync(noun, "-q"));
            shown.Code.ShouldBe(0, noun + shown.Err);
            shown.Out.Split('\n').Length.ShouldBeGreaterThan(2, noun);
            shown.Out.Split('\n').ShouldAllBe(l => !l.EndsWith(' '), noun);
            if (noun != "profile")
                quiet.Out.ShouldBe(shown.Out.Split('\n')[0] + "\n", noun);
        }

        foreach (var command in new[] { "check", "verify", "repair" })
        {
            string[] words = command == "repair" ? ["-q", "-y"] : ["-q"];
            (await home.OnAsync(command, "gannet-post", words)).Out.Split('\n').Length.ShouldBe(2, command);
        }

        Task<Answer> ShowAsync(string noun, params string[] more) =>
            home.MuktaWithAsync([$"MUKTA_PROFILES={home.Scratch.At("profiles")}"], [noun, .. more]);
    }

    [Fact]
    public async Task A_product_is_meant_before_a_folder_of_its_name_and_an_install_knows_its_own_manifest()
    {
        using var home = await Home.MakeAsync();
        Directory.CreateDirectory(home.Scratch.At("gannet-post"));
        (await home.OnAsync("verify", "gannet-post", "-q")).Out.ShouldContain(home.Scratch.At("games/gannet-post"));
        (await home.OnAsync("verify", "./gannet-post")).Code.ShouldBe(2);
        home.Scratch.Flip("games/gannet-post/maps/harbour.pak", 70_000);
        (await home.OnAsync("repair", "gannet-post", "-y")).Code.ShouldBe(0);
        home.Scratch.Flip("games/gannet-post/sound/gulls.bank", 70_000);
        var inside = await Programs.RunAsync(
            home.Scratch, "sh", "-c", $"cd games/gannet-post && HOME='{home.Scratch.Root}' '{Programs.Mukta}' verify");
        inside.Code.ShouldBe(1, inside.Err);
        inside.Out.ShouldStartWith("Not intact: gannet-post 1.4.2");
    }

    [Fact]
    public async Task A_needed_product_without_a_profile_is_reported_and_profiles_may_end_in_yml()
    {
        using var home = await Home.MakeAsync();
        File.Move(home.Scratch.At("profiles/gannet-post.yaml"), home.Scratch.At("profiles/gannet-post.yml"));
        File.Delete(home.Scratch.At("profiles/tidewarden.yaml"));
        (await home.OnAsync("check", "gannet-post", "--offline")).Out
            .ShouldContain("unknown  gannet-post  install    it needs tidewarden, which has no profile and was not checked");
        (await home.OnAsync("check", "gannet-post", "--offline", "--alone")).Out.ShouldNotContain("tidewarden, which");
    }

    [Theory]
    [InlineData("mukta repa", "repair")]
    [InlineData("mukta repair gan", "gannet-post")]
    [InlineData("mukta repair gannet-post --renew pro", "programs")]
    [InlineData("mukta caches clear pierhead sig", "sign-in")]
    [InlineData("mukta services res", "restart restore")]
    [InlineData("mukta verify gannet-post --qu", "--quick --quiet")]
    public async Task Bash_completes_commands_products_components_and_caches(string line, string expected)
    {
        using var home = await Home.MakeAsync();
        var completed = await Programs.RunAsync(
            home.Scratch, "env", $"HOME={home.Scratch.Root}", "MUKTA_PROFILES=profiles", "bash", "-c", $$"""
            PATH='{{Programs.Folder}}':$PATH
            source <(mukta completion bash)
            COMP_LINE='{{line}}' COMP_POINT={{line.Length}} COMP_WORDS=({{line}}) COMP_CWORD={{line.Split(' ').Length - 1}}
            _mukta
            printf '%s\n' "${COMPREPLY[@]}" | sort | paste -sd ' '
            """);
        completed.Out.ShouldBe(expected + "\n", completed.Err);
    }

    [Fact]
    public async Task Fish_completes_commands_options_and_products()
    {
        Need.Program("fish");
        using var home = await Home.MakeAsync();
        var completed = await Programs.RunAsync(
            home.Scratch, "env", $"HOME={home.Scratch.Root}", "MUKTA_PROFILES=profiles", $"PATH={Programs.Folder}:/usr/bin:/bin", "fish", "-c",
            "mukta completion fish | source; complete -C 'mukta veri'; complete -C 'mukta caches clear --prof'; complete -C 'mukta check gan'");
        completed.Out.Split('\n').Select(l => l.Split('\t')[0]).ShouldBe(["verify", "--profiles", "gannet-post", "gannet-post.meta4", ""]);
    }

    /// <summary>A shell on a terminal of its own, into which the beginning of a command and a tab are typed.</summary>
    [Theory]
    [InlineData("fpath=(zsh $fpath); autoload -U compinit; compinit -u")]
    [InlineData("autoload -U compinit; compinit -u; source zsh/_mukta")]
    public async Task Zsh_completes_whether_the_script_is_found_or_sourced(string begin)
    {
        Need.Program("zsh");
        using var scratch = new Scratch();
        scratch.Write("zsh/_mukta", (await Programs.MuktaAsync(scratch, "completion", "zsh")).Out);
        scratch.Write("type", $$"""
            zmodload zsh/zpty
            zpty z "PS1='> ' TERM=dumb zsh -f -i"
            zpty -w z "{{begin}}; print be''gun"
            zpty -r -m z out '*begun*'
            zpty -w -n z $'mukta veri\t'
            zpty -r -m z out '*verify *'
            zpty -w z ""
            print -r -- "$out"
            zpty -d z
            """);
        var completed = await Programs.RunAsync(
            scratch, "env", $"HOME={scratch.Root}", $"PATH={Programs.Folder}:/usr/bin:/bin", "timeout", "20", "zsh", "type");
        completed.Out.ShouldContain("mukta verify ", Case.Sensitive, completed.Err);
    }

    [Theory]
    [InlineData("zsh")]
    [InlineData("fish")]
    [InlineData("tcsh")]
    public async Task Other_shells_have_a_script_of_their_own(string shell)
    {
        using var scratch = new Scratch();
        var answer = await Programs.MuktaAsync(scratch, "completion", shell);
        answer.Code.ShouldBe(shell == "tcsh" ? 2 : 0);
        (answer.Out + answer.Err).ShouldContain(shell == "tcsh" ? "\"tcsh\" is not one of bash, zsh and fish." : "suggest");
    }

    [Fact]
    public async Task A_hyphen_is_standard_input_and_output_where_a_file_is_taken()
    {
        using var game = await GameFolder.MakeAsync();
        File.Delete(game.Scratch.At("game/maps/harbour.pak"));
        var answer = await Programs.RunAsync(game.Scratch, "sh", "-c", $"""
            mukta() ( exec {Programs.Mukta} "$@" )
            mukta manifest make release --product pier --out - > made.meta4 || echo "make $?"
            cat made.meta4 | mukta manifest show - | head -1
            cat made.meta4 | mukta verify game --manifest - --quiet; echo "verify $?"
            mukta repair game --manifest - --from release --yes --quiet < made.meta4; echo "repair $?"
            echo nonsense | mukta profile check -; echo "check $?"
            mukta manifest show - < /dev/null; echo "empty $?"
            """);
        answer.Out.ShouldContain("pier in -");
        answer.Out.ShouldContain("verify 1");
        answer.Out.ShouldContain("repair 0");
        answer.Out.ShouldContain("check 2");
        answer.Out.ShouldContain("empty 2");
        answer.Out.ShouldNotContain("make");
    }

    [Fact]
    public async Task The_published_schemas_are_those_of_the_documents()
    {
        using var scratch = new Scratch();
        (await Programs.MuktaAsync(scratch, "help", "--json-schemas", "schemas")).Code.ShouldBe(0);
        var made = Directory.EnumerateFiles(scratch.At("schemas")).Select(f => Path.GetFileName(f)!).Order().ToList();
        made.ShouldBe(Directory.EnumerateFiles(Schemas.Folder).Select(f => Path.GetFileName(f)!).Order());
        foreach (var name in made)
        {
            (await File.ReadAllTextAsync(scratch.At("schemas", name), TestContext.Current.CancellationToken)).ShouldBe(
                await File.ReadAllTextAsync(Path.Join(Schemas.Folder, name), TestContext.Current.CancellationToken),
                "write them again with: mukta help --json-schemas docs/schemas");
        }
    }

    [Fact]
    public async Task Every_command_has_a_man_page_that_is_well_formed()
    {
        Need.Program("mandoc");
        using var scratch = new Scratch();
        (await Programs.MuktaAsync(scratch, "help", "--man-pages", "man")).Code.ShouldBe(0);
        var pages = Directory.EnumerateFiles(scratch.At("man")).Select(f => Path.GetFileName(f)!).ToList();
        pages.ShouldContain("mukta.1");
        pages.ShouldContain("mukta-caches-clear.1");
        var lint = await Programs.RunAsync(scratch, "sh", "-c", "mandoc -T lint -W warning man/*.1");
        lint.Out.ShouldBeEmpty();
        var shown = await Programs.RunAsync(scratch, "sh", "-c", "mandoc -T ascii man/mukta-repair.1 | col -b");
        shown.Out.ShouldContain("-n, --dry-run");
        shown.Out.ShouldContain("EXIT STATUS");
    }
}
