using System.Net;
using System.Net.Sockets;
using System.Text;
using Mukta.Fetching;
using Mukta.Tests;

namespace Mukta.Core.Tests.Fetching;

/// <summary>Servers that keep whoever asks for a manifest waiting.</summary>
public sealed class PublishedManifestsTests : IDisposable
{
    private readonly Scratch scratch = new();
    private readonly TcpListener listener = new(IPAddress.Loopback, 0);

    [Theory]
    [InlineData("", "no answer within 2.0 s")]
    [InlineData("HTTP/1.1 200 OK\r\nContent-Length: 100000\r\n\r\n<metalink>", "no answer within 2.0 s")]
    [InlineData("HTTP/1.1 200 OK\r\nContent-Length: 100\r\n\r\n<metalink>DROP", "premature")]
    [InlineData("HTTP/1.1 200 OK\r\nContent-Encoding: gzip\r\nContent-Length: 3\r\n\r\nabcDROP", "")]
    [InlineData("HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\nTRICKLE", "no answer")]
    [InlineData("words\r\n\r\nDROP", "")]
    public async Task A_server_that_keeps_us_waiting_or_breaks_off_is_left(string answer, string says)
    {
        listener.Start();
        var serving = Task.Run(() => ServeAsync(answer), TestContext.Current.CancellationToken);
        var published = new PublishedManifests(scratch.Root, () => new HttpSettings("mukta/test"), TimeProvider.System)
        {
            Patience = TimeSpan.FromSeconds(2),
            Longest = TimeSpan.FromSeconds(5),
        };
        var url = new Uri($"http://127.0.0.1:{((IPEndPoint)listener.LocalEndpoint).Port}/pier.meta4");
        var failure = await Should.ThrowAsync<MuktaException>(
            Task.Run(() => published.Of(url, [], TimeSpan.Zero, null).Value, TestContext.Current.CancellationToken));
        (failure.Code, failure.Where).ShouldBe((ExitCode.NoSource, url.AbsoluteUri));
        failure.What.ShouldContain(says);
        Directory.Exists(scratch.At("mukta")).ShouldBeFalse("nothing of it is kept");
        listener.Stop();
        await serving.WaitAsync(TimeSpan.FromSeconds(30), TestContext.Current.CancellationToken);
    }

    [Fact]
    public void A_clock_that_has_gone_back_is_told()
    {
        var made = new Certificates(isRsa: false);
        scratch.Write("root.pem", made.Root.ExportCertificatePem());
        using var install = Install.Usual();
        Mukta.Manifests.MetalinkWriter.WriteFile(install.Manifest with { Sequence = 7 }, scratch.At("a.meta4"));
        scratch.Write("a.meta4.p7s", Mukta.Manifests.Signatures.ManifestSignature.Make(
            File.ReadAllBytes(scratch.At("a.meta4")), made.Publisher, [made.Middle], DateTimeOffset.UtcNow));
        var (seen, said) = (new Seen(), new List<string>());
        Read(DateTimeOffset.UtcNow);
        Read(DateTimeOffset.UtcNow.AddHours(-20));
        said.ShouldBeEmpty();
        Read(DateTimeOffset.UtcNow.AddDays(-40));
        said.ShouldHaveSingleItem().ShouldStartWith("This machine's clock is wrong, or was: it says ");

        void Read(DateTimeOffset now)
        {
            var published = new PublishedManifests(scratch.Root, () => new HttpSettings("mukta/test"), new Fixed(now)) { Seen = seen, Say = said.Add };
            published.OfCopy(scratch.At("a.meta4"), [scratch.At("root.pem")], "gannet-post").Value.Sequence.ShouldBe(7);
            published.OfCopy(scratch.At("a.meta4"), [scratch.At("root.pem")], "gannet-post").Value.Sequence.ShouldBe(7);
        }
    }

    private sealed class Fixed(DateTimeOffset now) : TimeProvider
    {
        public override DateTimeOffset GetUtcNow() => now;
    }

    private sealed class Seen : ISeenReleases
    {
        private SeenRelease? newest;

        public SeenRelease? Newest(string product, string trust) => newest;

        public void Remember(string product, string trust, SeenRelease release) => newest ??= release;
    }

    public void Dispose()
    {
        listener.Dispose();
        scratch.Dispose();
    }

    /// <summary>Answers, then goes on as the answer says at its end: DROP ends, TRICKLE sends a byte now and then, else nothing comes.</summary>
    private async Task ServeAsync(string answer)
    {
        using var client = await listener.AcceptTcpClientAsync(TestContext.Current.CancellationToken);
        var stream = client.GetStream();
        try
        {
            _ = await stream.ReadAsync(new byte[4096]);
            await stream.WriteAsync(Encoding.ASCII.GetBytes(answer.Replace("DROP", "").Replace("TRICKLE", "")));
            if (answer.EndsWith("DROP", StringComparison.Ordinal))
                return;
            for (var i = 0; i < 400; i++)
            {
                if (answer.EndsWith("TRICKLE", StringComparison.Ordinal))
                    await stream.WriteAsync("1\r\nx\r\n"u8.ToArray());
                else if (client.Client.Poll(0, SelectMode.SelectRead))
                    return; // It has left.
                await Task.Delay(50);
            }
        }
        catch (IOException)
        {
            // It has left.
        }
    }
}
