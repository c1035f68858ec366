using System.CommandLine;

namespace Mukta.StandIns;

/// <summary><c>mukta-standins break</c>: what a bad week does to an install of Gannet Post.</summary>
internal static class BreakCommand
{
    public static Command Build()
    {
        var folder = new Argument<DirectoryInfo>("DIR") { Description = "A folder that 'scenario' has filled." };
        var around = new Option<bool>("--around")
        {
            Description = "Break what lies around the files instead: a service, a cache, a shortcut, a library.",
        };
        var modules = new Option<bool>("--modules")
        {
            Description = "Break one piece of the anti-cheat module and one of the launcher instead.",
        };
        var code = new Option<string?>("--code")
        {
            Description = "Only bring about what this code of the profiles stands for.",
            HelpName = "CODE",
        };
        code.AcceptOnlyFromAmong([.. Complaints.All.Keys]);
        var command = new Command("break", "Break the install of Gannet Post in several ways.") { folder, around, modules, code };
        command.SetAction(parsed =>
        {
            var root = parsed.GetRequiredValue(folder).FullName;
            if (parsed.GetValue(code) is { } complaint)
                Complaints.All[complaint](root);
            else if (parsed.GetValue(around))
                Surroundings.Break(root);
            else if (parsed.GetValue(modules))
                BreakModules(root);
            else
                Break(Path.Join(root, "games", "gannet-post"));
        });
        return command;
    }

    private static void Break(string install)
    {
        string At(string path) => Path.Join(install, path);

        // Security software took a program, and an update never brought two maps.
        File.Delete(At("bin/gannet-post"));
        File.Delete(At("maps/isles/dunrock.pak"));
        File.Delete(At("maps/isles/eiderwick.pak"));

        // The machine lost power while the game was being written.
        Overwrite(At("sound/gulls.bank"), offset: 1_835_008, count: 262_144, value: 0);
        using (var cut = File.OpenWrite(At("textures/greylag.tex")))
            cut.SetLength(131_072);

        // The disk handed back other bytes than it was given.
        Overwrite(At("maps/harbour.pak"), offset: 733 * 4096, count: 73 * 4096, value: 0xA5);

        // Somebody unpacked a copy made on another system.
        Directory.CreateDirectory(At("Maps"));
        File.Move(At("maps/pier.pak"), At("Maps/Pier.pak"));
        File.SetUnixFileMode(
            At("bin/mail-sorter"), UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.GroupRead | UnixFileMode.OtherRead);
        File.Delete(At("data/routes.db"));
        Directory.CreateDirectory(At("data/routes.db"));
        File.WriteAllText(At("data/routes.db/old-routes.txt"), "harbour - greylag - harbour\n");

        // And the player's own things, which nobody may touch.
        Directory.CreateDirectory(At("screenshots"));
        File.WriteAllBytes(At("screenshots/first-flight.raw"), new byte[200_000]);
        File.WriteAllText(At("letters/my-own-letter.txt"), "Dear gannet, the wind is fair today.\n");
    }

    private static void BreakModules(string root)
    {
        Overwrite(Path.Join(root, "anti-cheat/tidewarden/lib/libtidewarden.so"), offset: 200_000, count: 4096, value: 0xA5);
        Overwrite(Path.Join(root, "launcher/pierhead/bin/pierhead"), offset: 700_000, count: 4096, value: 0xA5);
    }

    private static void Overwrite(string path, long offset, int count, byte value)
    {
        using var file = File.OpenWrite(path);
        file.Position = offset;
        var bytes = new byte[count];
        Array.Fill(bytes, value);
        file.Write(bytes);
    }
}
