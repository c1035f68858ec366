using System.Globalization;

namespace Mukta.Host.Processes;

/// <summary>A process that uses an install.</summary>
/// <param name="Pid">Its number.</param>
/// <param name="Name">Its name, as the kernel keeps it (at most 15 bytes).</param>
/// <param name="Owner">Its user's number.</param>
/// <param name="Since">When it was started, UTC.</param>
/// <param name="StartTicks">When it was started, in clock ticks since the machine was: tells it from a later process with the same
/// number.</param>
/// <param name="Reasons">Why it counts, strongest first.</param>
public sealed record RunningProcess(int Pid, string Name, uint Owner, DateTimeOffset Since, long StartTicks, IReadOnlyList<string> Reasons)
{
    /// <summary>
    /// True if it runs a program of the product, or one with a name that the profile names; otherwise it only has files of it open.
    /// </summary>
    public bool IsOfProduct { get; init; }

    /// <summary>Its user, in words.</summary>
    public string OwnerInWords => OwnerOf(Owner);

    /// <summary>A user, in words.</summary>
    /// <param name="user">The user's number.</param>
    public static string OwnerOf(uint user) => user == 0 ? "root" : string.Create(CultureInfo.InvariantCulture, $"user {user}");
}

/// <summary>What a look at the machine's processes gave.</summary>
/// <param name="Running">The processes that use the product.</param>
/// <param name="Hidden">How many processes of other users could not be looked into: one of them may have a file of the product
/// open.</param>
public sealed record ProcessLook(IReadOnlyList<RunningProcess> Running, int Hidden);

/// <summary>A file that a process has open.</summary>
/// <param name="Path">Its path.</param>
/// <param name="IsForWriting">True if it may write to it.</param>
public sealed record OpenedFile(string Path, bool IsForWriting);
