using System.Text.Json;
using Mukta.Products;

namespace Mukta.Core.Tests.Products;

public class SettingsTests
{
    private const string Head = "format: mukta.settings/1\n";

    [Fact]
    public void All_keys_are_read()
    {
        var settings = Read("""
            profiles: [~/support/profiles, /srv/profiles]
            mirrors: {pier: ["https://mirror.example/pier"]}
            max-rate: 2MiB
            proxy: http://proxy.example:3128
            certificate: ~/own.pem
            also: [/media/stick]
            purge-after-days: 60
            """);
        settings.Profiles.ShouldBe(["/home/anna/support/profiles", "/srv/profiles"]);
        settings.MirrorsOf("pier").ShouldBe([new Uri("https://mirror.example/pier")]);
        settings.MirrorsOf("quay").ShouldBeEmpty();
        settings.MaxRate.ShouldBe(2 << 20);
        settings.Proxy.ShouldBe(new Uri("http://proxy.example:3128"));
        settings.Certificate.ShouldBe("/home/anna/own.pem");
        settings.Also.ShouldBe(["/media/stick"]);
        settings.PurgeAfterDays.ShouldBe(60);
        Read("").PurgeAfterDays.ShouldBeNull("nothing is deleted by itself unless the user says so");
    }

    [Theory]
    [InlineData("max_rate: 2MiB", 2, "did you mean \"max-rate\"?")]
    [InlineData("max-rate: 2 apples", 2, "such as 500KiB or 2MiB")]
    [InlineData("max-rate: 99999999999GiB", 2, "such as 500KiB or 2MiB")]
    [InlineData("profiles: [work]", 2, "neither absolute")]
    [InlineData("profiles: work", 2, "must be a list")]
    [InlineData("mirrors: {Pier: []}", 2, "not a product's id")]
    [InlineData("mirrors: {pier: [ftp://mirror.example]}", 2, "not an http or https URL")]
    [InlineData("purge-after-days: 0", 2, "whole number from 1")]
    [InlineData("also: &a []", 2, "not allowed in a settings file")]
    public void What_is_wrong_is_said_with_its_line(string line, int at, string what)
    {
        var fault = Should.Throw<ProfileFault>(() => Read(line));
        fault.What.ShouldContain(what);
        fault.Line.ShouldBe(at);
    }

    [Fact]
    public void The_published_schema_knows_the_same_keys_as_the_reader()
    {
        using var schema = JsonDocument.Parse(File.ReadAllText(Path.Join(AppContext.BaseDirectory, "settings.schema.json")));
        schema.RootElement.GetProperty("properties").EnumerateObject().Select(p => p.Name).ShouldBe(ProfileKeys.OfSettings);
    }

    private static Settings Read(string text) => Settings.Read(new StringReader(Head + text), "settings.yaml", "/home/anna");
}
