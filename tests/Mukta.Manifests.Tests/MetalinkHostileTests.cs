using System.Text;

namespace Mukta.Manifests.Tests;

/// <summary>A manifest is hostile until proven: each of these is refused whole, with the place.</summary>
public class MetalinkHostileTests
{
    private const string Hash = "9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08";
    private const string Sound = $"<size>4</size><hash type=\"sha-256\">{Hash}</hash>";

    [Theory]
    [InlineData("/etc/passwd", "absolute")]
    [InlineData("../up", "..")]
    [InlineData("a/../../b", "..")]
    [InlineData("a/./b", "\".\"")]
    [InlineData("a//b", "empty segment")]
    [InlineData("a/", "empty segment")]
    [InlineData("", "is empty")]
    [InlineData("a\\b", "backslash")]
    [InlineData("a&#10;b", "control character")]
    [InlineData(".mukta/kept/x", "own folder")]
    [InlineData(".MUKTA/x", "own folder")]
    public void A_name_that_could_lead_elsewhere_is_refused(string name, string why) =>
        Refused($"<file name=\"{name}\">{Sound}</file>").What.ShouldContain(why);

    [Theory]
    [InlineData(1, 256, "segment longer than 255 bytes")]
    [InlineData(20, 200, "longer than 4000 bytes")]
    [InlineData(129, 1, "more than 128 segments")]
    public void A_name_that_no_file_system_could_keep_is_refused(int segments, int length, string why) =>
        Refused($"<file name=\"{string.Join('/', Enumerable.Repeat(new string('a', length), segments))}\">{Sound}</file>").What.ShouldContain(why);

    [Fact]
    public void More_mirrors_of_one_file_than_anybody_has_are_refused() =>
        Refused($"<file name=\"a\">{Sound}{string.Concat(Enumerable.Repeat("<url>https://mirror.example/a</url>", 1001))}</file>").What.ShouldContain("More than 1000");

    [Theory]
    [InlineData("<file name=\"a\">{0}</file>\n<file name=\"a\">{0}</file>", "appears twice", 4)]
    [InlineData("<file name=\"a\">{0}</file>\n<file name=\"a/b\">{0}</file>", "needs it as a folder", 4)]
    [InlineData("<file name=\"a/b/c\">{0}</file>\n<file name=\"a\">{0}</file>", "needs it as a folder", 4)]
    [InlineData("<file name=\"a\">{0}</file>\n<m:link name=\"a\" target=\"b\"/>", "appears twice", 4)]
    [InlineData("<m:link name=\"l\" target=\"/etc\"/>", "absolute", 3)]
    [InlineData("<m:link name=\"d/l\" target=\"../../etc\"/>", "out of the install", 3)]
    [InlineData(
        "<file name=\"a\"><pieces length=\"2\" type=\"sha-1\"><hash>da39a3ee5e6b4b0d3255bfef95601890afd80709</hash></pieces></file>",
        "no size", 3)]
    [InlineData("<file name=\"a\"><size>4</size></file>", "no hash", 3)]
    [InlineData("<file name=\"a\"><size>4</size><hash type=\"whirl-9\">00</hash></file>", "no hash that Mukta knows", 3)]
    [InlineData("<file name=\"a\"><size>-1</size></file>", "not a whole number", 3)]
    [InlineData("<file name=\"a\"><size>9223372036854775808</size></file>", "not a whole number", 3)]
    [InlineData("<file name=\"a\"><size>4</size><size>4</size></file>", "two sizes", 3)]
    [InlineData("<file name=\"a\"><size>4</size><hash type=\"sha-256\">9f86</hash></file>", "64 hexadecimal digits", 3)]
    [InlineData("<file name=\"a\"><size>4</size><hash type=\"md5\">zz</hash></file>", "32 hexadecimal digits", 3)]
    [InlineData(
        "<file name=\"a\">{0}<hash type=\"sha-256\">9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08</hash></file>",
        "two sha-256", 3)]
    [InlineData(
        "<file name=\"a\">{0}\n<pieces length=\"2\" type=\"sha-1\"><hash>da39a3ee5e6b4b0d3255bfef95601890afd80709</hash></pieces></file>",
        "ask for 2", 4)]
    [InlineData("<file name=\"a\">{0}<pieces length=\"0\" type=\"sha-1\"/></file>", "piece length", 3)]
    [InlineData(
        "<file name=\"a\"><size>0</size><hash "
        + "type=\"sha-256\">9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08</hash></file>", "not the one of nothing", 3)]
    [InlineData("<file name=\"a\">{0}<m:mode>4755</m:mode></file>", "octal", 3)]
    [InlineData("<file name=\"a\">{0}<m:mode>rwx</m:mode></file>", "octal", 3)]
    [InlineData("<file name=\"a\">{0}<url priority=\"0\">http://x/</url></file>", "not a whole number", 3)]
    [InlineData("<file name=\"a\">{0}<url>not a url</url></file>", "not an absolute URL", 3)]
    [InlineData("<m:sequence>-5</m:sequence>", "sequence number", 3)]
    [InlineData("<m:expires>soon</m:expires>", "RFC 3339", 3)]
    [InlineData("<file name=\"a\"><size><b/>4</size></file>", "only text", 3)]
    [InlineData("<file><size>4</size></file>", "no attribute name", 3)]
    [InlineData("<generator>x</generator>", "lists no file", 1)]
    public void A_manifest_that_contradicts_itself_is_refused_with_its_line(string body, string why, int line)
    {
        var fault = Refused(body.Replace("{0}", Sound, StringComparison.Ordinal));
        fault.What.ShouldContain(why);
        fault.Line.ShouldBe(line);
        fault.Code.ShouldBe(ExitCode.BadInput);
    }

    [Theory]
    [InlineData("<!DOCTYPE a [<!ENTITY x \"y\">]><metalink xmlns=\"urn:ietf:params:xml:ns:metalink\">&x;</metalink>", "document type")]
    [InlineData("<!DOCTYPE a SYSTEM \"file:///etc/passwd\"><metalink xmlns=\"urn:ietf:params:xml:ns:metalink\"/>", "document type")]
    [InlineData("<metalink xmlns=\"urn:ietf:params:xml:ns:metalink\"><file name=\"a\">", "well-formed")]
    [InlineData("", "well-formed")]
    [InlineData("<a/>", "another one")]
    [InlineData("<metalink><file name=\"a\"/></metalink>", "another one")]
    public void What_is_no_manifest_is_refused(string text, string why) => Refuse(text).What.ShouldContain(why);

    [Fact]
    public void A_text_that_never_ends_is_refused_before_it_fills_the_memory() =>
        Refused($"<file name=\"a\"><size>{new string('4', 10_000_000)}</size></file>").What.ShouldContain("longer than");

    private static ManifestFault Refused(string body) =>
        Refuse($"<?xml version=\"1.0\"?>\n<metalink xmlns=\"urn:ietf:params:xml:ns:metalink\" "
        + $"xmlns:m=\"urn:mukta:manifest:1\">\n{body}\n</metalink>");

    private static ManifestFault Refuse(string text) =>
        Should.Throw<ManifestFault>(() => MetalinkReader.Read(new MemoryStream(Encoding.UTF8.GetBytes(text)), "test.meta4"));
}
