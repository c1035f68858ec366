namespace Mukta;

/// <summary>What the program tells the shell. The numbers are the same for every command and never change.</summary>
public enum ExitCode
{
    /// <summary>Healthy, or done.</summary>
    Done = 0,

    /// <summary>Problems were found, or are left.</summary>
    Problems = 1,

    /// <summary>Bad usage or bad input: options, a manifest, a profile.</summary>
    BadInput = 2,

    /// <summary>Blocked by the machine: space, permission, another run that holds the install.</summary>
    Blocked = 3,

    /// <summary>No source could deliver what is needed.</summary>
    NoSource = 4,

    /// <summary>A signature, an expiry date or an altered program forbids going on.</summary>
    NotTrusted = 5,

    /// <summary>A defect in Mukta itself.</summary>
    Defect = 70,

    /// <summary>Interrupted from outside; what was done is kept.</summary>
    Interrupted = 130,
}
