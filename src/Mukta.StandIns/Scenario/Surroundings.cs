using System.Text;

namespace Mukta.StandIns;

/// <summary>What lies around the made-up products in the demo's home: shortcuts, caches, saves, the vendor's outage page.</summary>
internal static class Surroundings
{
    private const string Shortcuts = ".local/share/applications";

    private const string Outage = """
        {
          "status": "warn",
          "description": "Saltlight Commons services",
          "checks": {
            "sign-in": [ { "status": "pass" } ],
            "downloads": [ { "status": "pass" } ],
            "mail-bag": [ { "status": "warn", "output": "letters arrive late" } ]
          }
        }

        """;

    /// <summary>Everything as it should be, with the small trouble that the vendor admits.</summary>
    /// <param name="root">The scenario's folder.</param>
    /// <param name="outage">Where the vendor's outage page answers.</param>
    public static void Make(string root, string outage)
    {
        Write(root, $"{Shortcuts}/gannet-post.desktop",
            Entry(root, "Gannet Post", "games/gannet-post/bin/gannet-post --mail --window", "games/gannet-post"));
        Write(root, $"{Shortcuts}/pierhead.desktop", Entry(root, "Pierhead", "launcher/pierhead/bin/pierhead --tray", null));
        Write(root, ".cache/pierhead/pages-7/news.html", "<p>The ferry is on time.</p>\n");
        Write(root, ".cache/pierhead/pages-7/pictures/ferry.txt", new string('~', 40_000));
        Write(root, ".cache/pierhead/session/token", "not a real token\n");
        Write(root, ".cache/gannet-post/routes-3/harbour-greylag", new string('>', 12_000));
        Write(root, ".local/share/gannet-post/logbooks/spring.log", "First letter delivered.\n");
        Write(root, ".config/gannet-post/mail.conf", "launcher = pierhead\nguard = tidewarden\n");
        Write(root, ".local/state/gannet-post/last-flight", "harbour - greylag\n");
        Write(root, ".local/state/gannet-post/flight.log", "12:01:07 cleared for take-off\n12:44:31 landed at greylag, 9 letters\n");
        Write(root, ".config/kelp-and-kiln/kiln.conf", "launcher = pierhead\n");
        Write(root, ".local/share/kelp-and-kiln/shelf/first-cup.glaze", "celadon\n");
        Write(root, ".config/pierhead/launcher.conf", $"language = en\noutages = {outage}/health\n");
        Write(root, ".config/tidewarden/watch.conf", "level = neap\n");
        Write(root, ".cache/tidewarden/tables/spring", new string('~', 30_000));
        Write(root, "outage.json", Outage);
    }

    /// <summary>Somebody's optimiser and a copy from an old machine.</summary>
    public static void Break(string root)
    {
        BreakService(root);
        Directory.Delete(Path.Join(root, ".cache/pierhead/pages-7"), recursive: true);
        Write(root, ".cache/pierhead/pages-7", "");
        Write(root, ".cache/gannet-post/partial-17", new string('.', 300_000));
        BreakShortcut(root);
        BreakLibrary(root);
    }

    /// <summary>Somebody's optimiser has switched the module's service off.</summary>
    public static void BreakService(string root) => ServiceControlCommand.Change(root, "tidewarden.service", service =>
    {
        (service.Startup, service.Active, service.Since) = ("masked", "inactive", Environment.TickCount64);
        service.Log.Add("going ashore");
    });

    /// <summary>The shortcut starts an older release.</summary>
    public static void BreakShortcut(string root) => Write(
        root, $"{Shortcuts}/gannet-post.desktop",
        Entry(root, "Gannet Post", "games/gannet-post-1.3/bin/gannet-post --window", "games/gannet-post"));

    /// <summary>A library of another processor.</summary>
    public static void BreakLibrary(string root)
    {
        var wind = Products.All[0].Files.Single(f => f.Path == "lib/libwind.so");
        var content = new byte[wind.Size];
        (wind.Elf! with { Is64 = false, Machine = 3 }).Head().CopyTo(content, 0);
        ScenarioCommand.Put(Path.Join(root, Products.All[0].Install, wind.Path), content, isProgram: false);
    }

    private static string Entry(string root, string name, string command, string? folder) => $"""
        [Desktop Entry]
        Type=Application
        Name={name}
        Exec={Path.Join(root, command)}
        {(folder is null ? "" : $"Path={Path.Join(root, folder)}\n")}
        """.TrimEnd() + "\n";

    private static void Write(string root, string path, string text) =>
        ScenarioCommand.Put(Path.Join(root, path), Encoding.UTF8.GetBytes(text), isProgram: false);
}
