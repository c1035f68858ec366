using Mukta.Products;

namespace Mukta.Core.Tests.Products;

public sealed class InstallSearchTests : IDisposable
{
    private readonly Install install = Install.Usual();
    private readonly Profile profile =
        ProfileReader.Read(new StringReader(
        "format: mukta.profile/1\nproduct: pier\ntitle: Pier\nkind: game\ninstalls:\n  places: [\"${home}/none\"]\n  marker: "
        + "bin/game\n"), "test.yaml");

    [Fact]
    public void An_install_is_found_anywhere_and_under_any_name_with_its_share()
    {
        Directory.CreateDirectory(install.Scratch.At("deep/down/here"));
        Directory.Move(install.Root, install.Scratch.At("deep/down/here/old copy"));
        File.Delete(install.Scratch.At("deep/down/here/old copy/bin/game"));
        var found = Search("deep").ShouldHaveSingleItem();
        found.Path.ShouldBe(install.Scratch.At("deep/down/here/old copy"));
        (found.Evidence!.Present, found.Evidence.Listed, found.HasMarker, found.IsSearched).ShouldBe((4, 5, false, true));
    }

    [Fact]
    public void Files_of_the_right_name_in_the_wrong_folder_or_of_another_size_are_no_evidence()
    {
        Directory.CreateDirectory(install.Scratch.At("deep/heap"));
        foreach (var file in Directory.EnumerateFiles(install.Root, "*", SearchOption.AllDirectories))
            File.Copy(file, install.Scratch.At("deep/heap", Path.GetFileName(file)));
        Search("deep").ShouldBeEmpty();
        install.Scratch.CopyTree("install", "deep/game");
        foreach (var file in Directory.EnumerateFiles(install.Scratch.At("deep/game/maps")))
            File.AppendAllText(file, "longer");
        Search("deep").Single(f => f.Path.EndsWith("game", StringComparison.Ordinal)).Evidence!.Present.ShouldBe(3);
    }

    [Fact]
    public void Links_are_not_followed_and_what_is_held_is_no_install()
    {
        Directory.CreateDirectory(install.Scratch.At("deep"));
        Directory.CreateSymbolicLink(install.Scratch.At("deep/loop"), install.Scratch.At("deep"));
        Directory.CreateSymbolicLink(install.Scratch.At("deep/game"), install.Root);
        install.Scratch.CopyTree("install", "deep/.mukta/kept/1/files");
        install.Scratch.CopyTree("install", "deep/.local/state/mukta/kept/20261129T000000Z-abcdef/files/0");
        Search("deep").ShouldBeEmpty();
    }

    [Fact]
    public void Of_several_releases_the_one_that_agrees_best_is_told()
    {
        var older = install.Manifest with
        {
            Release = "0.9",
            Files = [.. install.Manifest.Files.Select((f, i) => i == 0 ? f with { Size = f.Size + 1 } : f)],
        };
        var found = new InstallSearch([(profile, older), (profile, install.Manifest with { Release = "1.0" })])
            .Below(install.Root, null, TestContext.Current.CancellationToken).ShouldHaveSingleItem().Install;
        (found.Release, found.Evidence!.Share).ShouldBe(("1.0", 1.0));
        InstallFinder.At(install.Root, profile, [older, install.Manifest with { Release = "1.0" }])!.Release.ShouldBe("1.0");
    }

    public void Dispose() => install.Dispose();

    private IReadOnlyList<FoundInstall> Search(string folder) =>
        [.. new InstallSearch([(profile, install.Manifest)]).Below(install.Scratch.At(folder), null, default).Select(f => f.Install)];
}
