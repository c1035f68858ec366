using System.CommandLine;
using Mukta.Operations;
using Mukta.Remedies;

namespace Mukta.Cli;

/// <summary>The options of every command that changes something.</summary>
internal sealed class ActingOptions
{
    private readonly Option<bool> dryRun = CommonOptions.DryRun();
    private readonly Option<bool> yes = CommonOptions.Yes();

    public void AddTo(Command command)
    {
        command.Options.Add(dryRun);
        command.Options.Add(yes);
    }

    /// <summary>Runs a remedy as the options say.</summary>
    public Task<int> RunAsync<TPlan, TOutcome>(
        Session session, ParseResult parsed, Remedy<TPlan, TOutcome> remedy, RemedyView<TPlan, TOutcome> view, string optionsForUndo, bool stopsFirst, CancellationToken cancel)
        where TPlan : class, IOperationPlan
        where TOutcome : class, IOperationOutcome => new RemedyRun<TPlan, TOutcome>(session, remedy, view)
        {
            IsDryRun = parsed.GetValue(dryRun),
            IsAgreed = parsed.GetValue(yes),
            StopsFirst = stopsFirst,
            OptionsForUndo = optionsForUndo,
        }.ToEndAsync(cancel);
}
