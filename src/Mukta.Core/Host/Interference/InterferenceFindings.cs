using Mukta.Disk;
using Mukta.Host.Checks;

namespace Mukta.Host.Interference;

/// <summary>What of a product's surroundings may keep it from running, with who does it and why it counts. Pure.</summary>
public static class InterferenceFindings
{
    /// <summary>The findings.</summary>
    public static IEnumerable<CheckFinding> Of(InterferenceFacts facts)
    {
        foreach (var conflict in facts.Conflicts)
            yield return Of(conflict);
        foreach (var preload in facts.Preloads)
            yield return Of(preload);
        foreach (var (process, tracer) in facts.Traced)
        {
            yield return new CheckFinding(
                FindingKind.ProcessTraced, Verdict.Warning, Shown(tracer.Name),
                $"process {process.Pid}, {Shown(process.Name)}, is traced by {Named(tracer)}; "
                + "anti-cheat modules refuse to run under a debugger", Advice: $"end process {tracer.Pid}");
        }

        foreach (var (process, library, owner) in facts.Injected)
        {
            var belongs = owner is { } user ? $"of {Processes.RunningProcess.OwnerOf(user)}" : "deleted since";
            yield return new CheckFinding(
                FindingKind.LibraryInjected, Verdict.Warning, library, $"process {process.Pid}, {Shown(process.Name)}, has loaded "
                + $"{Shown(library)} ({belongs}), which comes neither with the product nor with the system",
                Advice: "end the product, find out which program puts it there, and start the product without it");
        }

        foreach (var (program, mayRefuse) in facts.Scanners)
        {
            yield return mayRefuse
                ? new CheckFinding(
                    FindingKind.FileScanner, Verdict.Warning, Shown(program.Name),
                    $"{Named(program)}, checks every file on this disk before it can be opened, which slows the product or blocks it",
                    Advice: "make an exception for the install in that program, or stop it while the product runs")
                : new CheckFinding(
                    FindingKind.FileScanner, Verdict.Ok, Shown(program.Name), $"{Named(program)}, is told of every change on this disk");
        }

        foreach (var layer in facts.Layers)
            yield return Of(layer);
        foreach (var (program, file) in facts.Locks)
        {
            yield return new CheckFinding(
                FindingKind.FileLocked, Verdict.Warning, file, $"{Named(program)}, has locked {Shown(file)}",
                Advice: $"wait until process {program.Pid} is done, or end it");
        }

        if (facts.Unseen is { } unseen)
            yield return new CheckFinding(FindingKind.InterferenceUnknown, Verdict.Unknown, "processes", unseen);
        if (facts.Hidden > 0)
        {
            yield return new CheckFinding(
                FindingKind.InterferenceUnknown, Verdict.Unknown, "processes",
                $"{Units.Count(facts.Hidden, "process", "processes")} of other users could not be checked; a scanner may be among them",
                Remedy.LookAsRoot);
        }
    }

    private static CheckFinding Of(RunningConflict running)
    {
        var who = running.Processes.Select(p => $"process {p.Pid} of {p.OwnerInWords}").Concat(running.Units);
        var why = running.Conflict.Why is { } reason ? $"; {Shown(reason)}" : "";
        return new CheckFinding(
            FindingKind.ConflictRunning, Verdict.Warning, running.Conflict.Name,
            $"{running.Conflict.Name} is running ({string.Join(", ", who)}){why}", Remedy.StopConflicts);
    }

    private static CheckFinding Of(Preload preload)
    {
        var (where, libraries) = (Shown(preload.Where), Shown(preload.Libraries));
        var what = preload.Variable is null ? libraries : $"{preload.Variable}={libraries}";
        CheckFinding Found(string seen, string advice) =>
            new(FindingKind.LibraryPreloaded, Verdict.Warning, preload.Libraries, seen, Advice: advice);
        return preload.Way switch
        {
            PreloadWay.File when preload.Variable is null => Found(
                $"{where} loads {what} into every program", $"as root, take it out of {where}; then start the product again"),
            PreloadWay.File => Found(
                $"{where} sets {what}, which loads that library into every program",
                $"take {preload.Variable} out of {where}; then sign in again"),
            PreloadWay.Environment => Found(
                $"{what} is set in {where}, which loads that library into every program started from here", $"unset {preload.Variable}"),
            PreloadWay.Shortcut => Found(
                $"{Shown(Path.GetFileName(preload.Where))} sets {what}, which loads that library into the product",
                $"take {preload.Variable} out of {where}"),
            _ => Found($"{where}, was started with {what}", $"end it, and start the product without {preload.Variable}"),
        };
    }

    private static CheckFinding Of(GraphicsLayer layer)
    {
        var (name, file) = (Shown(layer.Name), Shown(layer.File));
        var seen = $"the graphics layer {name} is loaded into every program that draws with Vulkan ({file}"
            + $"{(layer.Package is { } package ? $", of the package {package}" : "")})";
        if (layer.Enable is { } enable)
            return new CheckFinding(FindingKind.GraphicsLayer, Verdict.Ok, layer.Name, $"{seen}, but only with {Shown(enable)}");
        return layer.Package is not null ? new CheckFinding(FindingKind.GraphicsLayer, Verdict.Ok, layer.Name, seen)
            : new CheckFinding(
                FindingKind.GraphicsLayer, Verdict.Warning, layer.Name, seen,
                Advice: layer.Disable is { } disable ? $"start the product once with {Shown(disable)}; if that helps, remove the layer"
                : $"move {file} away and start the product once; if that helps, remove the layer");
    }

    private static string Named(OtherProgram program) =>
        $"process {program.Pid}, {Shown(program.Name)} of {Processes.RunningProcess.OwnerOf(program.Owner)}";

    private static string Shown(string text) => PathBytes.Shown(text);
}
