using System.Net;
using System.Net.Sockets;
using Mukta.Fetching;
using Mukta.Host;
using Mukta.Host.Checks;
using Mukta.Host.Services;
using Mukta.Products;
using Mukta.Tests;

namespace Mukta.Core.Tests.Host.Checks;

public sealed class CheckupTests : IDisposable
{
    private readonly Scratch scratch = new();

    [Fact]
    public async Task What_hangs_is_not_known_and_keeps_nothing_else_from_being_looked_at()
    {
        using var silent = new TcpListener(IPAddress.Loopback, 0);
        silent.Start();
        var checks = await CheckAsync(
            $"services: [{{unit: tide.service}}]\noutage: {{url: \"http://127.0.0.1:{((IPEndPoint)silent.LocalEndpoint).Port}/\"}}",
            new Hanging());
        Finding(checks, Area.Services)
            .ShouldSatisfyAllConditions(f => f.Kind.ShouldBe(FindingKind.ServicesUnknown), f => f.Verdict.ShouldBe(Verdict.Unknown));
        Finding(checks, Area.Outages).Kind.ShouldBe(FindingKind.OutageUnknown);
        checks[0].Areas.Single(a => a.Area == Area.Space).Verdict.ShouldBe(Verdict.Ok);
    }

    [Fact]
    public async Task A_service_manager_that_answers_makes_its_area_known()
    {
        var checks = await CheckAsync("services: [{unit: tide.service}]", new Answering());
        checks[0].Areas.Single(a => a.Area == Area.Services)
            .ShouldSatisfyAllConditions(a => a.Findings.ShouldBeEmpty(), a => a.Verdict.ShouldBe(Verdict.Ok));
    }

    [Fact]
    public async Task Areas_come_in_the_order_in_which_a_technician_looks_and_what_is_needed_comes_after_what_needs_it()
    {
        scratch.Write("profiles/buoy.yaml", Text("buoy", ""));
        scratch.Write("profiles/pier.yaml", Text("pier", "needs: [buoy]"));
        var catalog = ProfileCatalog.Read(scratch.At("profiles"), name => name == "XDG_CONFIG_HOME" ? scratch.At("none") : null);
        var checks = await new Checkup(Around(new Answering()), isOffline: true)
            .OfAsync(catalog.WithNeeds(catalog.Of("pier")), null, TestContext.Current.CancellationToken);
        checks.Select(c => c.Loaded.Profile.Product).ShouldBe(["pier", "buoy"]);
        checks[0].Areas.Select(a => a.Area).ShouldBe(Enum.GetValues<Area>());
        Result(checks, Area.Network).ShouldSatisfyAllConditions(
            a => a.Verdict.ShouldBe(Verdict.Skipped), a => a.Summary.ShouldBe("--offline"));
        Finding(checks, Area.Install).Kind.ShouldBe(FindingKind.InstallNotFound);
    }

    public void Dispose() => scratch.Dispose();

    [Fact]
    public async Task What_nobody_asked_for_is_not_called_good()
    {
        var checks = await CheckAsync("", new Answering());
        foreach (var area in new[] { Area.Services, Area.Caches, Area.Shortcuts, Area.Runtime, Area.Outages })
            Result(checks, area).Verdict.ShouldBe(Verdict.Skipped, $"{area}");
        Result(checks, Area.Processes).Verdict.ShouldBe(Verdict.Unknown, "there is neither an install nor a name to look for");
        Result(await CheckAsync("processes: [a-name-that-nothing-has]", new Answering()), Area.Processes).Verdict.ShouldBe(Verdict.Ok);
    }

    private static AreaResult Result(IReadOnlyList<ProductCheck> checks, Area area) => checks[0].Areas.Single(a => a.Area == area);

    private static CheckFinding Finding(IReadOnlyList<ProductCheck> checks, Area area) =>
        checks[0].Areas.Single(a => a.Area == area).Findings.ShouldHaveSingleItem();

    private static string Text(string product, string more) =>
        $"format: mukta.profile/1\nproduct: {product}\ntitle: {product}\nkind: game\ninstalls:\n  places: "
        + $"[\"${{home}}/games/{product}\"]\n{more}\n";

    private CheckSurroundings Around(IServiceControl services) =>
        new(new Machine("/", UserFolders.Of(name => name == "HOME" ? scratch.Root : null)), services, _ => null, new HttpSettings("mukta/test"),
        TimeProvider.System, _ => []);

    private async Task<IReadOnlyList<ProductCheck>> CheckAsync(string profile, IServiceControl services)
    {
        var loaded = new LoadedProfile(ProfileReader.Read(new StringReader(Text("pier", profile)), "pier.yaml"), "pier.yaml");
        return await new Checkup(Around(services), isOffline: false).OfAsync([loaded], null, TestContext.Current.CancellationToken);
    }

    private sealed class Hanging : IServiceControl
    {
        public bool CanChange => false;

        public async Task<IReadOnlyList<ServiceState>> StatesAsync(IReadOnlyList<string> units, CancellationToken cancel)
        {
            await Task.Delay(Timeout.Infinite, CancellationToken.None);
            return [];
        }

        public Task<IReadOnlyList<string>> LastLinesAsync(string unit, int count, CancellationToken cancel) =>
            Task.FromResult<IReadOnlyList<string>>([]);

        public Task DoAsync(ServiceAct act, string unit, CancellationToken cancel) => Task.CompletedTask;
    }

    private sealed class Answering : IServiceControl
    {
        public bool CanChange => false;

        public Task<IReadOnlyList<ServiceState>> StatesAsync(IReadOnlyList<string> units, CancellationToken cancel) =>
            Task.FromResult<IReadOnlyList<ServiceState>>([.. units.Select(u => new ServiceState(u, "loaded", "enabled", "active"))]);

        public Task<IReadOnlyList<string>> LastLinesAsync(string unit, int count, CancellationToken cancel) =>
            Task.FromResult<IReadOnlyList<string>>([]);

        public Task DoAsync(ServiceAct act, string unit, CancellationToken cancel) => Task.CompletedTask;
    }
}
