using Mukta.Cases;
using Mukta.Products;

namespace Mukta.Core.Tests.Cases;

public class LadderCheckTests
{
    [Theory]
    [InlineData("codes: [{code: a, means: x, rungs: [pump]}]\nladder: [{rung: pump, operator: Pump.}]", "")]
    [InlineData("codes: [{code: a, means: x}]", "the code a has no rungs")]
    [InlineData("codes: [{code: a, means: x, rungs: [pump]}]\nladder: [{rung: pump, operator: Pump.}, {rung: plug, operator: Plug.}]",
        "the rung plug cannot be reached: no code names it")]
    [InlineData("codes: [{code: a, means: x, rungs: [pump]}]\nladder: [{rung: plug, operator: Plug.}, {rung: pump, operator: Pump., after: [plug]}]", "")]
    [InlineData("ladder: [{rung: pump, operator: Pump., after: [plug]}, {rung: plug, operator: Plug., after: [pump]}]",
        "the rung pump cannot be reached: it comes after plug, which comes after pump|the rung plug cannot be reached: it comes after pump, which comes after plug")]
    [InlineData("ladder: [{rung: pump, operator: Pump., gone: [space-shrot]}]",
        "the rung pump waits for a finding that check does not know: space-shrot; did you mean \"space-short\"?")]
    [InlineData("ladder: [{rung: a, remedy: restore-services}]", "the rung a cannot be reached: pier has no services")]
    [InlineData("ladder: [{rung: a, remedy: restore-services, product: buoy}]", "")]
    [InlineData("ladder: [{rung: a, remedy: restart-services, product: wind}]", "the rung a cannot be reached: pier does not need wind")]
    [InlineData("ladder: [{rung: a, remedy: clear-caches}]", "the rung a cannot be reached: pier has no caches")]
    [InlineData("caches: [{name: b, places: [\"${cache}/b\"]}]\nladder: [{rung: a, remedy: clear-caches, cache: c}]", "the rung a cannot be reached: pier has no cache c")]
    [InlineData("ladder: [{rung: a, remedy: sweep-downloads}]", "the rung a cannot be reached: pier has no temporary files")]
    [InlineData("ladder: [{rung: a, remedy: sweep-releases}]", "the rung a cannot be reached: pier has one place for its releases")]
    [InlineData("ladder: [{rung: a, remedy: stop-conflicts}]", "the rung a cannot be reached: pier has no conflicts")]
    [InlineData("ladder: [{rung: a, remedy: repair}]", "the rung a cannot be reached: pier has no manifest")]
    [InlineData("manifest: {file: x}\nladder: [{rung: a, remedy: repair, component: maps}]", "the rung a cannot be reached: pier has no component maps")]
    [InlineData("ladder: [{rung: a, remedy: setup, action: remove}]", "the rung a cannot be reached: the setup of pier cannot remove")]
    [InlineData("ladder: [{rung: a, remedy: reset}]", "the rung a cannot be reached: pier names no settings")]
    [InlineData("ladder: [{rung: a, remedy: restore-shortcuts}]", "the rung a cannot be reached: pier has no shortcuts")]
    [InlineData("ladder: [{rung: a, remedy: move}, {rung: b, remedy: stop}, {rung: c, remedy: system-package, package: libc6}]", "")]
    public void What_can_never_be_tried_is_named(string more, string problems)
    {
        var buoy = Read("buoy", "services: [{unit: buoy.service}]");
        string.Join('|', LadderCheck.Of(Read("pier", "needs: [buoy]\n" + more), [buoy])).ShouldBe(problems);
    }

    private static Profile Read(string product, string more) => ProfileReader.Read(
        new StringReader($"format: mukta.profile/1\nproduct: {product}\ntitle: x\nkind: game\ninstalls: {{places: [/games/{product}]}}\n{more}\n"), "x.yaml");
}
