using System.Text;
using Mukta.Tests;

namespace Mukta.Manifests.Tests;

public sealed class ManifestHalvesTests : IDisposable
{
    private const string Hash = "<hash type=\"sha-256\">e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855</hash>";

    private readonly Scratch scratch = new();

    [Theory]
    [InlineData("<?xml version=\"1.0\" encoding=\"utf-8\"?>\n", "")]
    [InlineData("", "<!-- a <file name=\"x\"> that is none -->")]
    [InlineData("", "<x:y xmlns:x=\"urn:x\"><file name=\"c\"><size>0</size></file></x:y>")]
    [InlineData("", "<x:y xmlns:x=\"urn:x\"><![CDATA[ <file name=\"d\"> ]]></x:y>")]
    [InlineData("", "<?note <file name=\"e\"> ?>")]
    [InlineData("", "<m:link name=\"l\" target=\"a\"/><m:sequence>7</m:sequence>")]
    public void Cut_anywhere_it_says_the_same_or_leaves_it_to_one_reader(string before, string between)
    {
        var text =
            $"{before}<metalink xmlns=\"urn:ietf:params:xml:ns:metalink\" xmlns:m=\"urn:mukta:manifest:1\" "
            + $"xmlns:z=\"a&amp;b\">\n<m:product>pier</m:product><m:release>1</m:release>"
            + $"<file name=\"a\"><size>0</size>{Hash}</file>{between}<file "
            + $"name=\"b/é\"><size>0</size>{Hash}<m:mode>0644</m:mode></file><m:release>2</m:release><file "
            + $"name=\"z\"><size>0</size>{Hash}</file></metalink>";
        var expected = Words(MetalinkReader.ReadFile(Written(text)));
        var halved = 0;
        for (var near = 0; near < text.Length; near++)
        {
            if (Halves(text, near) is not { } manifest)
                continue;
            Words(manifest).ShouldBe(expected, $"cut behind {near}");
            halved++;
        }

        halved.ShouldBeGreaterThan(50);
    }

    [Theory]
    [InlineData("<file name=\"a\"><size>0</size>" + Hash + "</file>", "a name that stands twice")]
    [InlineData("<file name=\"a/b\"><size>0</size>" + Hash + "</file>", "a file that is a folder")]
    [InlineData("<file name=\"../x\"><size>0</size>" + Hash + "</file>", "a way out")]
    [InlineData("<file name=\"y\"><size>-1</size>" + Hash + "</file>", "a bad size")]
    [InlineData("<file name=\"y\">", "an element that does not end")]
    [InlineData("</metalink><file name=\"y\"/>", "something behind the root")]
    public void What_one_reader_refuses_two_never_take(string bad, string what)
    {
        var text =
            $"<metalink xmlns=\"urn:ietf:params:xml:ns:metalink\"><file name=\"a\"><size>0</size>{Hash}</file><file "
            + $"name=\"c\"><size>0</size>{Hash}</file>{bad}</metalink>";
        Should.Throw<ManifestFault>(() => MetalinkReader.ReadFile(Written(text)), what);
        for (var near = 0; near < text.Length; near++)
            Halves(text, near).ShouldBeNull($"{what}, cut behind {near}");
    }

    [Fact]
    public void A_long_manifest_is_the_same_by_two_cores_and_its_faults_have_their_lines()
    {
        var text = new StringBuilder("<metalink xmlns=\"urn:ietf:params:xml:ns:metalink\">\n");
        for (var i = 0; i < 80_000; i++)
            text.Append(null, $"<file name=\"d{i / 100:0000}/f{i:00000}\"><size>0</size>{Hash}</file>\n");
        var read = MetalinkReader.ReadFile(Written($"{text}</metalink>"));
        (read.Files.Count, read.Files[^1].Path).ShouldBe((80_000, "d0799/f79999"));
        Should.Throw<ManifestFault>(
            () => MetalinkReader.ReadFile(Written($"{text}<file name=\"/etc\"><size>0</size>{Hash}</file></metalink>")))
            .Message.ShouldContain("absolute");
    }

    public void Dispose() => scratch.Dispose();

    private string Written(string text) => scratch.Write("it.meta4", text);

    private Manifest? Halves(string text, long near)
    {
        using var file = File.OpenHandle(Written(text));
        return MetalinkReader.TryReadHalves(file, "it.meta4", near);
    }

    private static string Words(Manifest manifest)
    {
        using var stream = new MemoryStream();
        MetalinkWriter.Write(manifest, stream);
        return Encoding.UTF8.GetString(stream.ToArray());
    }
}
