using System.CommandLine;
using Mukta.Operations;
using Mukta.Remedies;

namespace Mukta.Cli;

/// <summary>The options of every command that changes something.</summary>
/// <param name="mayStop">True for a command that can end the product's processes first.</param>
internal sealed class ActingOptions(bool mayStop = false)
{
    private readonly Option<bool> dryRun = CommonOptions.DryRun();
    private readonly Option<bool> yes = CommonOptions.Yes();
    private readonly Option<bool> stop = new("--stop") { Description = "First ask the product's processes to exit." };

    public void AddTo(Command command)
    {
        if (mayStop)
            command.Options.Add(stop);
        command.Options.Add(dryRun);
        command.Options.Add(yes);
    }

    /// <summary>Runs a remedy as the options say.</summary>
    public Task<int> RunAsync<TPlan, TOutcome>(
        Session session, ParseResult parsed, Remedy<TPlan, TOutcome> remedy, RemedyView<TPlan, TOutcome> view, CancellationToken cancel)
        where TPlan : class, IOperationPlan
        where TOutcome : class, IOperationOutcome => new RemedyRun<TPlan, TOutcome>(session, remedy, view)
        {
            IsDryRun = parsed.GetValue(dryRun),
            IsAgreed = parsed.GetValue(yes),
            StopsFirst = mayStop && parsed.GetValue(stop),
        }.ToEndAsync(cancel);
}
