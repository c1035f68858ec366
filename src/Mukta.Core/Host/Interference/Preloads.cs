using Mukta.Host.Processes;
using Mukta.Host.Shortcuts;

namespace Mukta.Host.Interference;

/// <summary>Finds libraries that the loader puts into programs that did not ask for them (ld.so(8)).</summary>
internal static class Preloads
{
    private const string List = "/etc/ld.so.preload";
    private static readonly string[] Variables = ["LD_PRELOAD", "LD_AUDIT"];

    /// <summary>Those of the machine and its user: for every program.</summary>
    public static IEnumerable<Preload> OfMachine(Machine machine, Func<string, string?> environment)
    {
        var listed = string.Join(' ', SmallText.Read(machine.At(List)).Split('\n').Select(l => l.Split('#')[0])
            .SelectMany(l => l.Split([' ', '\t', ':', '\r'], StringSplitOptions.RemoveEmptyEntries)));
        if (listed.Length > 0)
            yield return new Preload(PreloadWay.File, List, null, listed);
        foreach (var variable in EnvironmentFiles.Of(machine).Where(v => Variables.Contains(v.Name)))
            yield return new Preload(PreloadWay.File, variable.File, variable.Name, variable.Value);
        foreach (var name in Variables)
        {
            if (machine.IsLive && environment(name) is { Length: > 0 } value)
                yield return new Preload(PreloadWay.Environment, "the environment", name, value);
        }
    }

    /// <summary>Those of the product's shortcuts. What the profile asks for is not among them.</summary>
    public static IEnumerable<Preload> Of(IEnumerable<Shortcut> shortcuts) =>
        from shortcut in shortcuts
        from variable in shortcut.Entry?.Exec?.Environment ?? []
        where Variables.Contains(variable.Key) && variable.Value.Length > 0
        where shortcut.Asked?.Environment.GetValueOrDefault(variable.Key) != variable.Value
        select new Preload(PreloadWay.Shortcut, shortcut.Path, variable.Key, variable.Value);

    /// <summary>Those that a process of the product was started with.</summary>
    /// <param name="process">The process.</param>
    /// <param name="asked">Variables and values that the profile asks for.</param>
    public static IEnumerable<Preload> Of(ProcessView process, IReadOnlyCollection<KeyValuePair<string, string>> asked)
    {
        foreach (var name in Variables)
        {
            if (process.Variable(name) is { Length: > 0 } value && !asked.Contains(new(name, value)))
                yield return new Preload(PreloadWay.Process, $"process {process.Pid}, {process.Name}", name, value);
        }
    }
}
