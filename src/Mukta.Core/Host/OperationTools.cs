using Mukta.Host.Services;
using Mukta.Operations;
using Serilog;

namespace Mukta.Host;

/// <summary>What operations work with.</summary>
/// <param name="Services">The machine's service manager.</param>
/// <param name="Time">For dates and waits.</param>
public sealed record OperationTools(IServiceControl Services, TimeProvider Time)
{
    /// <summary>Told of the operation and of each folder in which it keeps something.</summary>
    public Action<OperationHeader, string>? Begun { get; init; }

    /// <summary>Told what is being done, in a few words.</summary>
    public Action<string>? Doing { get; init; }

    /// <summary>The command as the user has typed it, to go on with.</summary>
    public string Typed { get; init; } = "";

    /// <summary>What <c>mukta undo</c> has to be told to look at the same machine.</summary>
    public string OptionsForUndo { get; init; } = "";

    /// <summary>Counts the work while it is done.</summary>
    public WorkMeter Meter { get; init; } = new();

    /// <summary>Takes diagnostics.</summary>
    public ILogger Log { get; init; } = Serilog.Core.Logger.None;
}
