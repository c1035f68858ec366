using Mukta.Host.Processes;
using Mukta.Products;

namespace Mukta.Host.Interference;

/// <summary>A program that runs beside the product.</summary>
/// <param name="Pid">Its process.</param>
/// <param name="Name">Its name, as the kernel keeps it.</param>
/// <param name="Owner">Its user's number.</param>
public sealed record OtherProgram(int Pid, string Name, uint Owner)
{
    internal static OtherProgram Of(ProcessView process) => new(process.Pid, process.Name, process.Owner);
}

/// <summary>A library that is loaded into programs that did not ask for it (ld.so(8)).</summary>
/// <param name="Way">How.</param>
/// <param name="Where">The file or process that does it.</param>
/// <param name="Variable">The variable; null for a list of libraries.</param>
/// <param name="Libraries">The libraries, as written there.</param>
public sealed record Preload(PreloadWay Way, string Where, string? Variable, string Libraries);

/// <summary>How a library is preloaded.</summary>
public enum PreloadWay
{
    /// <summary>A file of the machine or of the user, for all programs.</summary>
    File,

    /// <summary>The environment that Mukta was started with.</summary>
    Environment,

    /// <summary>The product's shortcut.</summary>
    Shortcut,

    /// <summary>The environment of a process of the product.</summary>
    Process,
}

/// <summary>A process of the product that another traces.</summary>
/// <param name="Process">The product's.</param>
/// <param name="Tracer">The other.</param>
public sealed record TracedProcess(RunningProcess Process, OtherProgram Tracer);

/// <summary>A library in a process of the product that neither the product nor the system installed.</summary>
/// <param name="Process">The process.</param>
/// <param name="Library">The file.</param>
/// <param name="Owner">The number of the user whom the file belongs to; null if it is gone.</param>
public sealed record InjectedLibrary(RunningProcess Process, string Library, uint? Owner);

/// <summary>A program that the kernel tells of each file that is used.</summary>
/// <param name="Program">The program.</param>
/// <param name="MayRefuse">True if the kernel also waits for its answer before a file is opened or read.</param>
public sealed record FileScanner(OtherProgram Program, bool MayRefuse);

/// <summary>A layer that the Vulkan loader puts into every program that draws with Vulkan.</summary>
/// <param name="File">Its manifest.</param>
/// <param name="Name">Its name.</param>
/// <param name="Disable">The variable that switches it off; null if the manifest names none.</param>
/// <param name="Enable">The variable that it needs to be on; null if it always is.</param>
/// <param name="Package">The package of the system that brought it; null for none.</param>
public sealed record GraphicsLayer(string File, string Name, string? Disable, string? Enable, string? Package);

/// <summary>A file of the install that another program has locked.</summary>
/// <param name="Program">The other program.</param>
/// <param name="File">The file, from the install.</param>
public sealed record LockedFile(OtherProgram Program, string File);

/// <summary>A program that the profile names as being in the way, and that runs.</summary>
/// <param name="Conflict">From the profile.</param>
/// <param name="Processes">Its processes.</param>
/// <param name="Units">Its units that are up.</param>
public sealed record RunningConflict(Conflict Conflict, IReadOnlyList<RunningProcess> Processes, IReadOnlyList<string> Units);

/// <summary>What gets between a product and its files or its anti-cheat module.</summary>
public sealed record InterferenceFacts
{
    /// <summary>Libraries that are preloaded.</summary>
    public IReadOnlyList<Preload> Preloads { get; init; } = [];

    /// <summary>Processes that are traced.</summary>
    public IReadOnlyList<TracedProcess> Traced { get; init; } = [];

    /// <summary>Libraries from elsewhere.</summary>
    public IReadOnlyList<InjectedLibrary> Injected { get; init; } = [];

    /// <summary>Programs that watch the disk of the install.</summary>
    public IReadOnlyList<FileScanner> Scanners { get; init; } = [];

    /// <summary>Layers of the Vulkan loader.</summary>
    public IReadOnlyList<GraphicsLayer> Layers { get; init; } = [];

    /// <summary>Files that others have locked.</summary>
    public IReadOnlyList<LockedFile> Locks { get; init; } = [];

    /// <summary>Programs that the profile names as being in the way.</summary>
    public IReadOnlyList<RunningConflict> Conflicts { get; init; } = [];

    /// <summary>How many processes of other users could not be looked into.</summary>
    public int Hidden { get; init; }

    /// <summary>Why something could not be checked; null if everything was.</summary>
    public string? Unseen { get; init; }
}
