using Mukta.Cases;
using Mukta.Tests;

namespace Mukta.Core.Tests.Cases;

public class RedactionTests
{
    private static readonly Redaction Redaction = new(["/home/anna", "/srv/homes/anna"], ["anna"], ["gull.harbour.example"]);

    [Theory]
    [InlineData("/home/anna/games/pier and /srv/homes/anna/x", "~/games/pier and ~/x")]
    [InlineData("/home/annabel/x", "/home/[user]/x")]
    [InlineData("file:///home/otto/x C:\\Users\\Otto\\x", "file:///home/[user]/x C:\\Users\\[user]\\x")]
    [InlineData("Anna on gull, gull.harbour.example; seagull and annals stay", "[user] on [host], [host]; seagull and annals stay")]
    [InlineData("from 10.1.2.3:80 and fe80::1%eth0 and 2001:db8:0:0:0:0:0:1 at 12:01:07", "from [address]:80 and [address] and [address] at 12:01:07")]
    [InlineData("mac 00:1a:2b:3c:4d:5e, release 1.4.2, kernel 6.18.44", "mac [address], release 1.4.2, kernel 6.18.44")]
    [InlineData("mail a.b+c@pier.example", "mail [mail]")]
    [InlineData("token=abc123 {\"password\": \"x y\"} Authorization: Bearer abc.def", "token=[secret] {\"password\": \"[secret] y\"} Authorization: Bearer [secret]")]
    [InlineData("https://anna:pw@mirror.example/a?key=1&x=2", "https://[secret]@mirror.example/a?[removed]")]
    [InlineData("key Zm9vYmFyMTIzNDU2Nzg5MGFiY2RlZg== end", "key [token] end")]
    [InlineData("operation 20261130T035109Z-2b4b8a, 2026-11-30T03:51:09.1234567+00:00", "operation 20261130T035109Z-2b4b8a, 2026-11-30T03:51:09.1234567+00:00")]
    [InlineData("the session went well; no secret", "the session went well; no secret")]
    public void What_names_a_person_or_a_machine_is_taken_out_and_the_rest_stays(string text, string clean) =>
        Redaction.Of(text).ShouldBe(clean);

    [Fact]
    public void A_long_line_takes_no_longer_than_others()
    {
        string[] bricks =
            ["a", "token", ":", "1.", "a-", "a.", "://", "a://b?", "session ", "token=", "@", "a@a.", "0:", "/home/", "=1a", "bearer \t", "é9a"];
        foreach (var line in bricks.Select(b => string.Concat(Enumerable.Repeat(b, LogTail.Longest / b.Length))))
            Redaction.Of(line).Length.ShouldBeGreaterThan(0);
    }

    [Fact]
    public void A_log_that_leads_elsewhere_gives_nothing_that_its_owner_may_not_read()
    {
        Need.Root();
        using var scratch = new Scratch();
        var secret = scratch.Write("secret", "of root");
        File.SetUnixFileMode(secret, UnixFileMode.UserRead);
        File.SetUnixFileMode(scratch.Root, (UnixFileMode)0b111_101_101);
        scratch.Write("home/own.log", "12:00 take-off");
        File.CreateSymbolicLink(scratch.At("home/link.log"), secret);
        using (var chown = System.Diagnostics.Process.Start("chown", ["-hR", "1234:1234", scratch.At("home")]))
            chown.WaitForExit();
        LogTail.Of([scratch.At("home/own.log"), scratch.At("home/link.log")]).ShouldHaveSingleItem().Text.ShouldBe("12:00 take-off");
    }
}
