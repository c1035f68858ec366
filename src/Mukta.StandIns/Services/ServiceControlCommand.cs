using System.CommandLine;
using System.Globalization;
using System.Text.Json;

namespace Mukta.StandIns;

/// <summary>
/// <c>mukta-standins service-control</c>: answers the calls to systemctl and journalctl that mukta makes, and keeps its
/// services in a JSON file. The scenario puts two scripts of those names in front of it.
/// </summary>
internal static class ServiceControlCommand
{
    private static readonly TimeSpan ShortLife = TimeSpan.FromSeconds(1);

    public static Command Build()
    {
        var state = new Option<string>("--state")
        {
            Description = "The JSON file of services, see docs/stand-ins.md.",
            Required = true,
            HelpName = "FILE",
        };
        var call = new Argument<string[]>("CALL") { Description = "systemctl or journalctl, then its arguments, behind --." };
        var command = new Command("service-control", "Answer as the system's service control does, for the calls that mukta makes.")
        {
            state,
            call,
        };
        command.SetAction(parsed => Answer(parsed.GetRequiredValue(state), parsed.GetRequiredValue(call)));
        return command;
    }

    /// <summary>Writes the services of a scenario, and the two scripts.</summary>
    public static void Place(string root, string standIns, Dictionary<string, MadeService> services)
    {
        var file = Path.Join(root, "services.json");
        Save(file, services);
        foreach (var program in new[] { "systemctl", "journalctl" })
        {
            var script = Path.Join(Directory.CreateDirectory(Path.Join(root, "host")).FullName, program);
            File.WriteAllText(script, $"#!/bin/sh\nexec '{standIns}' service-control --state '{file}' -- {program} \"$@\"\n");
            File.SetUnixFileMode(script, (UnixFileMode)0b111_101_101);
        }
    }

    /// <summary>Puts a service into a scenario, or takes it away.</summary>
    public static void Put(string root, string unit, MadeService? service)
    {
        var file = Path.Join(root, "services.json");
        var services = Load(file);
        services.Remove(unit);
        if (service is not null)
            services.Add(unit, service);
        Save(file, services);
    }

    /// <summary>Changes one service of a scenario.</summary>
    public static void Change(string root, string unit, Action<MadeService> change)
    {
        var file = Path.Join(root, "services.json");
        var services = Load(file);
        change(services[unit]);
        Save(file, services);
    }

    private static int Answer(string file, string[] call)
    {
        var services = Load(file);
        var words = call.Skip(1).Where(w => !w.StartsWith('-')).ToList();
        if (call[0] == "journalctl")
            return Journal(services, call);
        if (words is ["list-unit-files"])
        {
            foreach (var (name, listed) in services)
                Console.WriteLine($"{name} {listed.Startup} enabled");
            return 0;
        }

        if (words is ["show", .. var units])
            return call.Contains("--property=Id,ExecStart") ? ShowPrograms(services, units) : Show(services, units);
        if (words is not [var verb, var unit])
            return Refuse($"Unknown call: {string.Join(' ', call)}");
        if (!services.TryGetValue(unit, out var service))
            return Refuse($"Failed to {verb} {unit}: Unit {unit} not found.");
        var failure = Do(verb, unit, service);
        Save(file, services);
        return failure is null ? 0 : Refuse(failure);
    }

    private static string? Do(string verb, string unit, MadeService service)
    {
        var active = Active(service).Active;
        switch (verb)
        {
            case "unmask" or "disable":
                service.Startup = "disabled";
                return null;
            case "mask":
                service.Startup = "masked";
                return null;
            case "enable":
                service.Startup = service.Startup == "masked" ? "masked" : "enabled";
                return service.Startup == "masked" ? $"Failed to enable unit: Unit file {unit} is masked." : null;
            case "reset-failed":
                service.Active = active == "failed" ? "inactive" : active;
                return null;
            case "start" when service.Startup == "masked":
                return $"Failed to start {unit}: Unit {unit} is masked.";
            case "start" or "stop":
                service.Active = verb == "start" ? "active" : "inactive";
                service.Since = Environment.TickCount64;
                service.Log.Add(verb == "start" ? "watching the tide" : "going ashore");
                return null;
            default:
                return $"Unknown command verb {verb}.";
        }
    }

    private static int ShowPrograms(Dictionary<string, MadeService> services, List<string> units)
    {
        Console.WriteLine(string.Join("\n\n", units.Select(unit =>
            services.GetValueOrDefault(unit)?.Program is { } program
                ? $"ExecStart={{ path={program} ; argv[]={program} ; ignore_errors=no ; start_time=[n/a] ; stop_time=[n/a] ; pid=0 ; "
                    + $"code=(null) ; status=0/0 }}\nId={unit}" : $"Id={unit}")));
        return 0;
    }

    private static int Show(Dictionary<string, MadeService> services, List<string> units)
    {
        Console.WriteLine(string.Join("\n\n", units.Select(unit =>
        {
            if (!services.TryGetValue(unit, out var service))
                return $"Id={unit}\nLoadState=not-found\nUnitFileState=\nActiveState=inactive\nSubState=dead\nResult=success\n"
                    + "ExecMainStatus=0\nStateChangeTimestampMonotonic=0\nMainPID=0\nNRestarts=0";
            var (active, since) = Active(service);
            var (sub, result, status, pid) =
                active switch
                {
                    "active" => ("running", "success", 0, 4242),
                    "failed" => ("failed", "exit-code", 7, 0),
                    _ => ("dead", "success", 0, 0)
                };
            return string.Create(CultureInfo.InvariantCulture,
                $"Id={unit}\nLoadState={(service.Startup == "masked" ? "masked" : "loaded")}\nUnitFileState={service.Startup}\n"
                + $"ActiveState={active}\nSubState={sub}\nResult={result}\n"
                + $"ExecMainStatus={status}\nStateChangeTimestampMonotonic={since * 1000}\nMainPID={pid}\nNRestarts=0");
        })));
        return 0;
    }

    private static int Journal(Dictionary<string, MadeService> services, string[] call)
    {
        var unit = call.FirstOrDefault(w => w.StartsWith("--unit=", StringComparison.Ordinal))?[7..] ?? "";
        foreach (var line in services.GetValueOrDefault(unit)?.Log.TakeLast(5) ?? [])
        {
            Console.WriteLine(JsonSerializer.Serialize(
                new Dictionary<string, string> { ["MESSAGE"] = line, ["PRIORITY"] = "6" }, StandInsJson.Default.DictionaryStringString));
        }

        return 0;
    }

    /// <summary>A service that is made to die does so a second after its start.</summary>
    private static (string Active, long Since) Active(MadeService service)
    {
        var isDead = service is { Dies: true, Active: "active" } && Environment.TickCount64 - service.Since > ShortLife.TotalMilliseconds;
        return isDead ? ("failed", service.Since + (long)ShortLife.TotalMilliseconds) : (service.Active, service.Since);
    }

    private static int Refuse(string why)
    {
        Console.Error.WriteLine(why);
        return 1;
    }

    private static Dictionary<string, MadeService> Load(string file) =>
        JsonSerializer.Deserialize(File.ReadAllText(file), StandInsJson.Default.DictionaryStringMadeService) ?? [];

    private static void Save(string file, Dictionary<string, MadeService> services) =>
        File.WriteAllText(file, JsonSerializer.Serialize(services, StandInsJson.Default.DictionaryStringMadeService));
}

/// <summary>A service of the stand-in.</summary>
internal sealed class MadeService
{
    /// <summary>enabled, disabled, static or masked.</summary>
    public string Startup { get; set; } = "enabled";

    /// <summary>active, inactive, failed or activating.</summary>
    public string Active { get; set; } = "active";

    /// <summary>The program that it starts.</summary>
    public string? Program { get; set; }

    /// <summary>True for one that dies a second after each start.</summary>
    public bool Dies { get; set; }

    /// <summary>Since when, in milliseconds after the machine's start.</summary>
    public long Since { get; set; } = Environment.TickCount64;

    /// <summary>What it has logged.</summary>
    public List<string> Log { get; set; } = [];
}
