using System.Globalization;
using Mukta.Products;

namespace Mukta.Setup;

/// <summary>What to say of a setup program that has not done what it should.</summary>
public static class SetupFailure
{
    /// <summary>Its failure in words.</summary>
    public static MuktaException Of(SetupOutcome outcome, Profile profile, string action)
    {
        var program = profile.Setup!.Program;
        var where = string.Join('\n', outcome.LastLines.TakeLast(5).Select(l => $"output: {l}").Prepend(program));
        return outcome.End switch
        {
            SetupEnd.NeedsRestart => NeedsRestart(profile),
            SetupEnd.HungUp => new MuktaException(
                ExitCode.Problems,
                $"The setup program of {profile.Title} did not come to an end in {Units.Time(profile.Setup.Actions[action].TimeLimit)}, "
                + $"and was ended.", where,
                "Restart the machine and try again; the profile's key minutes gives it more time."),
            SetupEnd.NotTrue => new MuktaException(
                ExitCode.Problems, $"The setup program of {profile.Title} says done, but: {string.Join("; ", outcome.NotTrue)}.", where,
                "Check the service with systemctl status, and the files with mukta verify"),
            _ => new MuktaException(
                ExitCode.Problems, string.Create(
                CultureInfo.InvariantCulture, $"The setup program of {profile.Title} failed with exit code {outcome.ExitCode}."), where,
                "Its output may tell why. mukta check shows what it needs from the machine."),
        };
    }

    /// <summary>It goes on once the machine is restarted.</summary>
    public static MuktaException NeedsRestart(Profile profile) => new(
        ExitCode.Blocked, $"The setup program of {profile.Title} is done once the machine is restarted.", profile.Setup!.Program,
        "Restart the machine, then run the same command again: it goes on from here.");
}
