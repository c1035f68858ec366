using Mukta.Products;

namespace Mukta.Core.Tests.Products;

public class PathGlobTests
{
    [Theory]
    [InlineData("maps", "maps/isles/dunrock.pak", true)]
    [InlineData("maps", "mapsets/a", false)]
    [InlineData("bin/pier", "bin/pier", true)]
    [InlineData("maps/*", "maps/harbour.pak", true)]
    [InlineData("maps/*", "maps/isles/dunrock.pak", false)]
    [InlineData("maps/**", "maps/isles/dunrock.pak", true)]
    [InlineData("maps/**/*.pak", "maps/harbour.pak", true)]
    [InlineData("maps/**/*.pak", "maps/a/b/c.pak", true)]
    [InlineData("maps/**/*.pak", "maps/a/b/c.txt", false)]
    [InlineData("**/c.pak", "a/b/c.pak", true)]
    [InlineData("**", "anything/at/all", true)]
    [InlineData("b?n/*", "bin/pier", true)]
    [InlineData("B*/pier", "bin/pier", false)]
    public void Stars_stand_for_characters_and_two_stars_for_folders(string glob, string path, bool fits) =>
        PathGlob.Fits(glob, path).ShouldBe(fits);

    [Fact]
    public void Many_stars_take_no_time() =>
        PathGlob.Fits(string.Join('/', Enumerable.Repeat("**", 200)) + "/x", string.Join('/', Enumerable.Repeat("a", 200))).ShouldBeFalse();
}
