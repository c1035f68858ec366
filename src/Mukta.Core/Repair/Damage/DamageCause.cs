namespace Mukta.Repair.Damage;

/// <summary>What damage looks like, which tells the technician what to do next.</summary>
public enum DamageCause
{
    /// <summary>Zeros are where bytes belong: a write was cut short.</summary>
    CutShort,

    /// <summary>The file ends too early, and what is there is right: a download stopped.</summary>
    Truncated,

    /// <summary>Line ends were converted: the file was transferred as text.</summary>
    LineEndings,

    /// <summary>Single bits are flipped: memory or a disk going bad.</summary>
    FlippedBits,

    /// <summary>The bytes are those of an older release: an update did not finish.</summary>
    OlderRelease,

    /// <summary>Only programs and libraries are gone: security software took them.</summary>
    ProgramsGone,

    /// <summary>Names differ by letter case: the files were copied through another system.</summary>
    LetterCase,

    /// <summary>Whole blocks are other bytes: the file system is damaged.</summary>
    ForeignBlocks,

    /// <summary>Only permission bits differ.</summary>
    PermissionsOnly,

    /// <summary>None of these.</summary>
    NotRecognised,
}

/// <summary>A cause with what speaks for it.</summary>
/// <param name="Cause">What it looks like.</param>
/// <param name="Evidence">What was seen, as a sentence without its full stop.</param>
public sealed record FoundCause(DamageCause Cause, string Evidence)
{
    /// <summary>The files that it is about.</summary>
    public IReadOnlyList<string> Paths { get; init; } = [];

    /// <summary>What to do next, as one sentence.</summary>
    public string Advice => Cause switch
    {
        DamageCause.CutShort =>
            "The machine lost power or the disk was pulled while the file was written: check the power supply, and shut the machine "
            + "down properly.",
        DamageCause.Truncated => "A download or a copy stopped in the middle: check the network and the free space on the disk.",
        DamageCause.LineEndings =>
        "The file was transferred as text: copy game files in binary mode, and never through an editor or version control.",
        DamageCause.FlippedBits =>
        "Test the memory (memtest) and check the disk's own report (smartctl -a) before anything else: more will follow.",
        DamageCause.OlderRelease => "An update did not finish: nothing more to do after this repair.",
        DamageCause.ProgramsGone =>
        "Security software has probably taken them: look into its quarantine, and make an exception for the install's folder.",
        DamageCause.LetterCase =>
        "The files were copied through a system that ignores letter case: copy installs with a tool that preserves letter case.",
        DamageCause.ForeignBlocks =>
        "The file system or the disk may be damaged: check the file system (fsck) and the disk's own report (smartctl -a).",
        DamageCause.PermissionsOnly =>
        "Permissions were lost in a copy, or changed by hand: copy installs with their modes (cp -a, rsync -a).",
        _ => "If it comes back after the repair, check what else writes to the install.",
    };
}

/// <summary>How the bytes of one file differ from the published ones, in numbers.</summary>
public sealed record DamageFacts
{
    /// <summary>Bytes of the file as it was found.</summary>
    public required long SizeFound { get; init; }

    /// <summary>Bytes of the file as published.</summary>
    public required long SizePublished { get; init; }

    /// <summary>Bytes of a piece.</summary>
    public required long PieceLength { get; init; }

    /// <summary>Bytes that were compared.</summary>
    public long Compared { get; init; }

    /// <summary>Bytes that differ.</summary>
    public long Differing { get; init; }

    /// <summary>Of those, the ones that are zero in the found file.</summary>
    public long DifferingZeros { get; init; }

    /// <summary>Of those, the ones in which just one bit differs.</summary>
    public long DifferingBits { get; init; }

    /// <summary>For each bit of a byte (0 is the least significant), how often it is the only one that differs.</summary>
    public IReadOnlyList<long> FlippedBits { get; init; } = [];

    /// <summary>The place of the first byte that differs.</summary>
    public long FirstAt { get; init; }

    /// <summary>Blocks of 4096 bytes in which something differs.</summary>
    public long Blocks { get; init; }

    /// <summary>Of those, the ones in which nearly every byte differs.</summary>
    public long WholeBlocks { get; init; }

    /// <summary>True if the found file is the published one with its line ends converted.</summary>
    public bool IsConvertedText { get; init; }

    /// <summary>Bad pieces that are in the found file.</summary>
    public int BadPieces { get; init; }

    /// <summary>Of those, the ones that are as an older release lists them.</summary>
    public int OlderPieces { get; init; }

    /// <summary>Another file of the release whose bytes are in a bad piece; null for none.</summary>
    public string? OtherFile { get; init; }
}
