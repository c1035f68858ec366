using System.CommandLine;

namespace Mukta.StandIns;

/// <summary>
/// <c>mukta-standins vendor-setup</c>: the setup program of Tidewarden. It brings the module's service into the service
/// control, or takes it and the module's own files away, and leaves its settings lying about, as such programs do.
/// </summary>
internal static class VendorSetupCommand
{
    /// <summary>Where it is in the install: a script with the scenario's folder in it.</summary>
    public const string Program = "bin/tidewarden-setup";

    private const string Unit = "tidewarden.service";
    private const int FailedCode = 5, RestartCode = 10;

    public static Command Build()
    {
        var root = new Option<DirectoryInfo>("--scenario")
        {
            Description = "The scenario's folder. A file setup-mood in it says how the program behaves: good, hangs, fails, restart, lies.",
            Required = true,
            HelpName = "DIR",
        };
        var action = new Argument<string>("ACTION") { Description = "install, repair or remove." };
        action.AcceptOnlyFromAmong("install", "repair", "remove");
        var command = new Command("vendor-setup", "Behave as the setup program of Tidewarden, well or badly by choice.") { root, action };
        command.SetAction(parsed => Run(parsed.GetRequiredValue(root).FullName, parsed.GetRequiredValue(action)));
        return command;
    }

    /// <summary>The script that is in the release.</summary>
    public static string Script(string root) => $"""
        #!/bin/sh
        # The setup program of Tidewarden. A made-up program.
        # Usage: tidewarden-setup install|repair|remove
        # Exit code 10: done once the machine is restarted.
        exec '{Environment.ProcessPath}' vendor-setup --scenario '{root}' "$@"

        """;

    /// <summary>The module's service as the setup program makes it.</summary>
    public static MadeService Service(string root) => new()
    {
        Program = Path.GetFullPath(Path.Join(root, "anti-cheat/tidewarden/bin/tidewardend")),
        Log = { "watching the tide" },
    };

    private static int Run(string root, string action)
    {
        var mood = Path.Join(root, "setup-mood") is var file && File.Exists(file) ? File.ReadAllText(file).Trim() : "good";
        Console.WriteLine($"tidewarden setup: {action}");
        switch (mood)
        {
            case "hangs":
                Console.WriteLine("waiting for the tide");
                Thread.Sleep(Timeout.Infinite);
                return 0;
            case "fails":
                Console.Error.WriteLine("cannot lock the watch-house: in use");
                return FailedCode;
            case "lies":
                Console.WriteLine("all is well");
                return 0;
        }

        if (action == "remove")
            Remove(root);
        else
            Install(root);
        Console.WriteLine(mood == "restart" ? "done after a restart" : "done");
        return mood == "restart" ? RestartCode : 0;
    }

    private static void Install(string root)
    {
        ServiceControlCommand.Put(root, Unit, Service(root));
        ScenarioCommand.Put(Path.Join(root, ".config/tidewarden/watch.conf"), "level = spring\n"u8.ToArray(), isProgram: false);
    }

    /// <summary>Its working folder is the install. Settings and caches stay behind.</summary>
    private static void Remove(string root)
    {
        ServiceControlCommand.Put(root, Unit, null);
        foreach (var folder in Directory.EnumerateDirectories(".").Where(f => f is "./bin" or "./lib").ToList())
            Directory.Delete(folder, recursive: true);
    }
}
