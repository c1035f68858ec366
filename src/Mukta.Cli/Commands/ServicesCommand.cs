using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Host.Services;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta services</c></summary>
internal static class ServicesCommand
{
    private const string Examples = """
          mukta services tidewarden
          sudo mukta services tidewarden --restore
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.Argument(), new ProductChoice());
        var restore = new Option<bool>("--restore") { Description = "Bring them to the startup mode and state that the profile asks for." };
        var restart = new Option<bool>("--restart") { Description = "Stop and start those that should be up." };
        var off = new Option<bool>("--off") { Description = "Stop them all, so that their files can be replaced. --restore brings them back." };
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand("services", "Show a product's services; bring them back to how they should be.", Examples) { product, restore, restart, off, dryRun, yes };
        choice.AddTo(command);
        command.Validators.Add(result =>
        {
            if (new[] { restore, restart, off }.Count(o => result.GetValue(o)) > 1)
                result.AddError("Only one of --restore, --restart and --off can be done at a time.");
        });
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var wish = parsed.GetValue(restore) ? ServiceWish.Restore : parsed.GetValue(restart) ? ServiceWish.Restart : parsed.GetValue(off) ? ServiceWish.Off : (ServiceWish?)null;
            var run = new Run(session, choice.Product(parsed, parsed.GetRequiredValue(product))) { IsDryRun = parsed.GetValue(dryRun), IsAgreed = parsed.GetValue(yes) };
            return (int)await run.ToEndAsync(wish, cancel).ConfigureAwait(false);
        });
        return command;
    }

    /// <summary>The service control of a machine.</summary>
    public static IServiceControl ControlOf(Host.Machine machine) =>
        machine.IsLive ? Systemctl.Of(Environment.GetEnvironmentVariable, TimeProvider.System) : new UnitLinks(machine.Root);

    private sealed class Run(Session session, Product product)
    {
        private readonly IServiceControl control = ControlOf(product.Machine);

        public bool IsDryRun { get; init; }

        public bool IsAgreed { get; init; }

        public async Task<ExitCode> ToEndAsync(ServiceWish? wish, CancellationToken cancel)
        {
            var expected = product.Profile.Services;
            var text = new ServiceText(session.Output);
            var restorer = new ServiceRestorer(control, TimeProvider.System);
            var states = await restorer.LookAsync(expected, cancel).ConfigureAwait(false);
            if (!session.IsJson && !session.IsQuiet)
                text.Write(expected, states);
            if (expected.Count == 0)
                return End(ExitCode.Done, states, null, null, $"{product.Profile.Title} has no service of its own.{Needed()}");
            if (wish is null)
                return Shown(states);

            var plan = ServicePlan.For(wish.Value, expected, states);
            if (plan.Steps.Count == 0)
            {
                if (!IsDryRun)
                    ServiceRecord.EndInterrupted(product.Machine, product.Profile.Product, wish.Value);
                return End(wish == ServiceWish.Off ? ExitCode.Done : Code(states), states, plan, null, "Nothing to do.");
            }

            if (!session.IsJson && !session.IsQuiet)
                text.Plan(plan);
            if (IsDryRun)
                return End(ExitCode.Problems, states, plan, null, "Nothing was changed: this was a dry run.");
            ServiceRights.Refuse(control, product.Machine, product.Profile.Services.Select(s => s.Unit), $"mukta services {product.Arguments} --{wish.Value.ToString().ToLowerInvariant()}");
            if (!IsAgreed && !await Question.IsAnsweredYesAsync(session, "Go on?", cancel).ConfigureAwait(false))
                return End(ExitCode.Problems, states, plan, null, "Nothing was changed.");

            using var record = new ServiceRecord(product.Machine, product.Profile.Product, wish.Value, TimeProvider.System, product.Remember);
            var outcome = await restorer.DoAsync(record, plan, expected, Doing, cancel).ConfigureAwait(false);
            return Done(wish.Value, plan, outcome, text);
        }

        private ExitCode Shown(IReadOnlyList<ServiceState> states)
        {
            var code = Code(states);
            return End(code, states, null, null, code == ExitCode.Done || !control.CanChange ? null : $"\nNext: {Shell.Sudo}mukta services {product.Arguments} --restore");
        }

        private ExitCode Done(ServiceWish wish, ServicePlan plan, ServiceOutcome outcome, ServiceText text)
        {
            var isGood = outcome.Failure is null && (wish == ServiceWish.Off ? outcome.After.All(s => s.Active != "active") : Code(outcome.After) == ExitCode.Done);
            if (!session.IsJson && !session.IsQuiet)
            {
                session.Output.WriteLine();
                text.Write(product.Profile.Services, outcome.After);
            }

            var next = isGood ? wish == ServiceWish.Off ? $"Off. To bring them back: mukta undo {outcome.Operation}{product.OptionsForUndo}" : $"Up, and they stay up. To have them as they were: mukta undo {outcome.Operation}{product.OptionsForUndo}"
                : outcome.Failure is { } failure ? $"{failure.What}\n  {failure.Where}\n{failure.Next}"
                : "Not all of it is as it should be.";
            return End(isGood ? ExitCode.Done : ExitCode.Problems, outcome.After, plan, outcome, next);
        }

        private void Doing(ServiceStep step)
        {
            if (!session.IsQuiet)
                session.Error.MarkupLineInterpolated($"[grey]{ServiceText.Sentence(step)}[/]");
        }

        private ExitCode Code(IReadOnlyList<ServiceState> states) =>
            product.Profile.Services.Zip(states).All(s => s.Second.IsAsExpected(s.First)) ? ExitCode.Done : ExitCode.Problems;

        private string Needed()
        {
            var needs = product.Profile.Needs.Where(n => product.Catalog.Profiles.Any(p => p.Profile.Product == n && p.Profile.Services.Count > 0)).ToList();
            return needs.Count == 0 ? "" : $" What it needs has: mukta services {needs[0]}{product.Options}";
        }

        private ExitCode End(ExitCode code, IReadOnlyList<ServiceState> states, ServicePlan? plan, ServiceOutcome? outcome, string? line)
        {
            if (session.IsJson)
            {
                Session.Write(
                    new ServicesDocument("mukta.services/1", product.Profile.Product, IsDryRun, (int)code, [.. product.Profile.Services.Zip(states, ServicePart.Of)])
                    {
                        Steps = plan is null ? null : [.. plan.Steps.Select(ServiceStepPart.Of)],
                        StepsDone = outcome?.Done.Count,
                        Operation = outcome?.Operation,
                        Failure = outcome?.Failure is { } failure ? $"{failure.What} {failure.Where}" : null,
                    },
                    Documents.Readable.ServicesDocument);
            }
            else if (line is not null)
            {
                session.Output.WriteLine(line);
            }

            return code;
        }
    }
}
