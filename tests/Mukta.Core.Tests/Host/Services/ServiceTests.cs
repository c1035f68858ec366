using Mukta.Host.Services;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Tests;

namespace Mukta.Core.Tests.Host.Services;

public sealed class ServiceTests : IDisposable
{
    private static readonly ServiceExpectation Tide = new("tide.service", "enabled", "active", ["wind.service"]);
    private static readonly ServiceExpectation Wind = new("wind.service", "enabled", "active", []);

    private readonly Scratch scratch = new();

    [Fact]
    public void What_is_needed_comes_up_first_and_goes_down_last()
    {
        var down = new ServiceState("x", "loaded", "enabled", "inactive");
        Steps(ServiceWish.Restore, down, down).ShouldBe([(ServiceAct.Start, "wind.service"), (ServiceAct.Start, "tide.service")]);
        var up = down with { Active = "active" };
        Steps(ServiceWish.Stop, up, up).ShouldBe([(ServiceAct.Stop, "tide.service"), (ServiceAct.Stop, "wind.service")]);
        Steps(ServiceWish.Restart, up, up).Select(s => s.Act)
            .ShouldBe([ServiceAct.Stop, ServiceAct.Stop, ServiceAct.Start, ServiceAct.Start]);
        Steps(ServiceWish.Restore, up, up).ShouldBeEmpty();
    }

    [Fact]
    public void A_masked_and_failed_service_is_brought_all_the_way_back() => Steps(
        ServiceWish.Restore, new ServiceState("tide.service", "masked", "masked", "failed"),
        new ServiceState("wind.service", "not-found", "", "inactive"))
        .ShouldBe(
        [(ServiceAct.Unmask, "tide.service"), (ServiceAct.Enable, "tide.service"), (ServiceAct.ResetFailed, "tide.service"),
        (ServiceAct.Start, "tide.service")]);

    [Fact]
    public void Units_that_go_round_in_a_circle_end_the_plan_all_the_same() =>
        ServicePlan.Ordered([Tide, Wind with { After = ["tide.service"] }]).Select(s => s.Unit).ShouldBe(["wind.service", "tide.service"]);

    [Fact]
    public async Task A_mounted_disk_tells_by_its_links_what_is_enabled_and_nothing_of_what_is_up()
    {
        scratch.Write("usr/lib/systemd/system/tide.service", "[Service]\nExecStart=/bin/true\n[Install]\nWantedBy=multi-user.target\n");
        scratch.Write("usr/lib/systemd/system/wind.service", "[Service]\nExecStart=/bin/true\n");
        scratch.Write("usr/lib/systemd/system/rain.service", "[Install]\nWantedBy=multi-user.target\n");
        Directory.CreateDirectory(scratch.At("etc/systemd/system/multi-user.target.wants"));
        File.CreateSymbolicLink(
            scratch.At("etc/systemd/system/multi-user.target.wants/tide.service"), "/usr/lib/systemd/system/tide.service");
        File.CreateSymbolicLink(scratch.At("etc/systemd/system/rain.service"), "/dev/null");
        var states = await new UnitLinks(scratch.Root)
            .StatesAsync(["tide.service", "wind.service", "rain.service", "snow.service"], TestContext.Current.CancellationToken);
        states.Select(s => (s.Load, s.Startup, s.Active))
            .ShouldBe([("loaded", "enabled", null), ("loaded", "static", null), ("masked", "masked", null), ("not-found", "", null)]);
    }

    [Theory]
    [InlineData("active", 0, 0, true)]
    [InlineData("failed", 0, 0, false)]
    [InlineData("active", 1, 0, false)]
    [InlineData("active", 0, 7, false)]
    public async Task A_service_is_called_up_only_if_it_stays_up_and_is_still_the_same(string active, int restarts, int process, bool isUp)
    {
        using var operation = Operation.Open(
            new OperationHome("/", scratch.At("state")), OperationHeader.New("services", "pier", null, TimeProvider.System), "restore", null);
        var up = new ServiceState("wind.service", "loaded", "enabled", "active") { MainPid = process == 0 ? 0 : 5 };
        var control = new Changing(up, up with { Active = active, Restarts = restarts, MainPid = process });
        var outcome = await new ServiceRestorer(control, new HastyTime()).DoAsync(
            operation, new ServicePlan([new ServiceStep(ServiceAct.Start, "wind.service")]), [Wind], null, TestContext.Current.CancellationToken);
        (outcome.Failure is null).ShouldBe(isUp);
        if (!isUp)
            outcome.Failure!.What.ShouldContain("did not stay up");
    }

    /// <summary>A service that is another moment later: once before it is started, and once after.</summary>
    private sealed class Changing(ServiceState first, ServiceState later) : IServiceControl
    {
        private int asked;

        public bool CanChange => true;

        public Task<IReadOnlyList<ServiceState>> StatesAsync(IReadOnlyList<string> units, CancellationToken cancel) =>
            Task.FromResult<IReadOnlyList<ServiceState>>([asked++ < 2 ? first : later]);

        public Task<IReadOnlyList<string>> LastLinesAsync(string unit, int count, CancellationToken cancel) =>
            Task.FromResult<IReadOnlyList<string>>([]);

        public Task DoAsync(ServiceAct act, string unit, CancellationToken cancel) => Task.CompletedTask;
    }

    [Fact]
    public async Task A_manager_that_is_not_there_or_says_nonsense_is_said_so()
    {
        var missing = await Should.ThrowAsync<ServiceControlFailed>(
            () => new Systemctl("/no/such/systemctl", "journalctl", TimeProvider.System).StatesAsync(["tide.service"], default));
        missing.Next.ShouldContain(Systemctl.Variable);
        await Should.ThrowAsync<ServiceControlFailed>(
            () => new Systemctl("/bin/echo", "journalctl", TimeProvider.System).StatesAsync(["a.service", "b.service"], default));
    }

    [Fact]
    public async Task A_service_manager_that_lies_in_the_working_folder_is_never_taken()
    {
        scratch.Write("systemctl", System.Text.Encoding.UTF8.GetBytes("#!/bin/sh\ntouch hit\n"), Scratch.Program);
        var control = Systemctl.Of(name => name == "PATH" ? ".:" + scratch.At("empty") : null, TimeProvider.System);
        var before = Environment.CurrentDirectory;
        try
        {
            Environment.CurrentDirectory = scratch.Root;
            await control.LastLinesAsync("tide.service", 1, TestContext.Current.CancellationToken);
            await Record.ExceptionAsync(() => control.StatesAsync(["tide.service"], TestContext.Current.CancellationToken));
        }
        finally
        {
            Environment.CurrentDirectory = before;
        }

        File.Exists(scratch.At("hit")).ShouldBeFalse();
    }

    public void Dispose() => scratch.Dispose();

    private static List<(ServiceAct Act, string Unit)> Steps(ServiceWish wish, ServiceState tide, ServiceState wind) =>
        [.. ServicePlan.For(wish, [Tide, Wind], [tide with { Unit = "tide.service" }, wind with { Unit = "wind.service" }])
        .Steps.Select(s => (s.Act, s.Unit))];
}
