using CsCheck;
using Mukta.Products;

namespace Mukta.Core.Tests.Products;

public sealed class InstallFinderTests : IDisposable
{
    private readonly Install install = Install.Usual();

    [Fact]
    public void An_install_is_found_in_its_place_with_the_share_that_is_there()
    {
        File.Delete(Path.Join(install.Root, "maps/pier.pak"));
        Directory.CreateDirectory(install.Scratch.At("other"));
        var found = Find("places: [\"${home}/other\", \"${home}/inst*\"]\n  marker: bin/game").ShouldHaveSingleItem();
        (found.Path, found.IsCurrent, found.HasMarker).ShouldBe((install.Root, true, true));
        (found.Evidence!.Present, found.Evidence.Listed).ShouldBe((4, 5));
    }

    [Fact]
    public void One_real_path_is_one_install_whatever_links_lead_to_it()
    {
        Directory.CreateSymbolicLink(install.Scratch.At("link"), "install");
        Directory.CreateSymbolicLink(install.Scratch.At("elsewhere"), install.Scratch.Root);
        var found = Find(
            "places: [\"${home}/install\", \"${home}/link\", \"${home}/elsewhere/install\"]", install.Root,
            install.Scratch.At("elsewhere/install"))
            .ShouldHaveSingleItem();
        (found.Path, found.IsRecorded).ShouldBe((install.Root, true));
    }

    [Theory]
    [InlineData("/usr/lib", "os-release")]
    [InlineData("/etc", "passwd")]
    public void A_link_to_what_no_profile_could_name_is_no_install(string system, string marker)
    {
        Directory.CreateSymbolicLink(install.Scratch.At("link"), system);
        Directory.CreateDirectory(install.Scratch.At("through"));
        Directory.CreateSymbolicLink(install.Scratch.At("through/inside"), Path.GetDirectoryName(system)!);
        Find($"places: [\"${{home}}/link\", \"${{home}}/through/inside/{Path.GetFileName(system)}\"]\n  marker: {marker}").ShouldBeEmpty();
    }

    [Fact]
    public void A_broken_install_is_found_even_when_the_marker_is_what_is_missing()
    {
        File.Delete(Path.Join(install.Root, "bin/game"));
        Find("places: [\"${home}/install\"]\n  marker: bin/game").ShouldHaveSingleItem().HasMarker.ShouldBeFalse();
        Directory.Delete(Path.Join(install.Root, "maps"), recursive: true);
        Find("places: [\"${home}/install\"]\n  marker: bin/game").ShouldBeEmpty("two files of five are too little");
    }

    [Fact]
    public void Of_folders_for_each_release_the_newest_is_current_and_the_rest_is_stale()
    {
        foreach (var release in new[] { "1.9", "1.10", "1.2", "empty" })
            Directory.CreateDirectory(install.Scratch.At("game", release));
        foreach (var release in new[] { "1.9", "1.10", "1.2" })
            install.Scratch.Write($"game/{release}/bin/game", "x");
        Find("places: [\"${home}/game\"]\n  marker: bin/game\n  layout: folder-per-release")
            .Select(f => (Path.GetFileName(f.Path), f.IsCurrent))
            .ShouldBe([("1.10", true), ("1.9", false), ("1.2", false)]);
    }

    [Fact]
    public void Releases_have_one_order() =>
        Gen.Select(Gen.Int[0, 999], Gen.Int[0, 999], Gen.Int[0, 999], Gen.Int[0, 999]).Sample((a, b, c, d) =>
            Math.Sign(InstallFinder.CompareReleases($"{a}.{b}", $"{c}.{d}")) == (a, b).CompareTo((c, d)));

    public void Dispose() => install.Dispose();

    private IReadOnlyList<FoundInstall> Find(string installs, params string[] recorded)
    {
        var profile = ProfileReader.Read(
            new StringReader($"format: mukta.profile/1\nproduct: pier\ntitle: Pier\nkind: game\ninstalls:\n  {installs}\n"), "test.yaml");
        return new InstallFinder(UserFolders.Of(name => name == "HOME" ? install.Scratch.Root : null))
            .Find(profile, [install.Manifest], recorded);
    }
}
