using CsCheck;

namespace Mukta.Disk.Tests;

public class PathBytesTests
{
    [Fact]
    public void Every_name_that_Linux_allows_survives_the_way_to_text_and_back() =>
        Gen.OneOf(Gen.Byte[1, 255].Array[1, 60], Gen.Byte[1, 127].Array[1, 60]).Sample(
        name => PathBytes.Encode(PathBytes.Decode(name)).ShouldBe([.. name, 0]));

    [Theory]
    [InlineData("maps/harbour.pak", "maps/harbour.pak")]
    [InlineData("Größe/日本/🛩.pak", "Größe/日本/🛩.pak")]
    [InlineData("a\u001b[31mred", "a\\x1b[31mred")]
    [InlineData("line\nbreak", "line\\x0abreak")]
    [InlineData("txt.\u202Eexe", "txt.\\x202eexe")]
    public void A_name_cannot_command_the_terminal(string name, string shown) => PathBytes.Shown(name).ShouldBe(shown);

    [Fact]
    public void A_byte_that_is_no_text_is_shown_as_a_number() =>
        PathBytes.Shown(PathBytes.Decode([(byte)'b', (byte)'a', (byte)'d', 0xFF, (byte)'!'])).ShouldBe("bad\\xff!");

    [Fact]
    public void A_path_with_NUL_never_reaches_the_system() => Should.Throw<ArgumentException>(() => PathBytes.Encode("a\0b"));
}
