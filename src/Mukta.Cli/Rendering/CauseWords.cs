using Mukta.Repair.Damage;

namespace Mukta.Cli.Rendering;

/// <summary>Causes of damage in words.</summary>
internal static class CauseWords
{
    /// <summary>A cause with what speaks for it.</summary>
    public static string Sentence(FoundCause cause) => $"{Name(cause.Cause)}: {cause.Evidence}";

    public static string Name(DamageCause cause) => cause switch
    {
        DamageCause.CutShort => "a write that was cut short",
        DamageCause.Truncated => "a download that stopped",
        DamageCause.LineEndings => "a text-mode transfer",
        DamageCause.FlippedBits => "memory or a disk going bad",
        DamageCause.OlderRelease => "an update that did not finish",
        DamageCause.ProgramsGone => "security software",
        DamageCause.LetterCase => "a copy through another system",
        DamageCause.ForeignBlocks => "a damaged file system",
        DamageCause.PermissionsOnly => "lost permissions",
        _ => "not recognised",
    };
}
