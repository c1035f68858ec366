using System.Text;
using Mukta.Cli.Tests;
using Mukta.Tests;

namespace Mukta.Attacks.Tests;

/// <summary>
/// Somebody else, or another run, does something meanwhile; and what stands around an install is odd without any ill will.
/// </summary>
internal static class BystanderAttacks
{
    private static readonly string[] WithProfiles = ["--profiles", "profiles"];

    public static IEnumerable<Attack> Rows { get; } =
    [
        new("a repair runs while an undo waits for its answer", async scene =>
        {
            Need.Program("script");
            scene.Home.Flip("games/pier/maps/harbour.pak", 100);
            var first = scene.Home.Snapshot("games/pier");
            (await scene.RepairAsync()).Code.ShouldBe(0);
            scene.Home.Flip("games/pier/sound/gulls.bank", 5);
            var answer = await scene.ShellAsync("""
                mkfifo answer; exec 3<> answer
                script -qec '"$MUKTA" undo --profiles profiles' /dev/null < answer > asked & asking=$!
                while ! grep -q '?' asked; do :; done
                "$MUKTA" repair pier --profiles profiles --from release --yes > /dev/null || exit 99
                echo y >&3; wait $asking; echo "code $?"
                """);
            answer.Code.ShouldBe(0, answer.Out + answer.Err);
            var left = 0;
            while ((await scene.MuktaAsync(["undo", .. WithProfiles, "--yes"])).Code == 0 && left < 3)
                left++;
            var now = scene.Home.Snapshot("games/pier");
            now["maps/harbour.pak"].ShouldBe(first["maps/harbour.pak"], "nothing of the way back was cut off");
        }),
        new("a repair is to be stopped, undone, repaired and moved while it runs", async scene =>
        {
            scene.Home.Flip("games/pier/maps/harbour.pak", 100);
            using var mirror = await Mirror.StartAsync(scene.Home, "release");
            using var slow = await Mirror.StartProxyAsync(scene.Home, mirror.Url, "rate", "--rate", "8000");
            var answer = await scene.ShellAsync($$"""
                "$MUKTA" repair pier --profiles profiles --from {{slow.Url}} --yes > repaired 2>&1 & repair=$!
                while ! ls games/pier/.mukta/kept/*/journal > /dev/null 2>&1; do :; done
                for words in "stop pier --force" "undo" "repair pier" "move pier elsewhere" "reinstall pier"; do
                  case $words in re*) from="--from release" ;; *) from= ;; esac
                  "$MUKTA" $words $from --profiles profiles --yes > said 2>&1; echo "$words: $?"
                done
                "$MUKTA" operations --profiles profiles
                wait $repair; echo "repair: $?"
                """);
            answer.Out.ShouldContain("stop pier --force: 0");
            foreach (var refused in new[] { "undo", "repair pier", "move pier elsewhere", "reinstall pier" })
                answer.Out.ShouldContain($"{refused}: 3\n");
            answer.Out.ShouldContain("running");
            answer.Out.ShouldNotContain("interrupted");
            answer.Out.ShouldContain("repair: 0\n", Case.Sensitive, File.ReadAllText(scene.Home.At("repaired")));
            scene.Home.Snapshot("games/pier").ShouldBe(scene.Home.Snapshot("release"));
        }),
        new("the user's setup program is another between its proof and its start by root", async scene =>
        {
            scene.Home.Write("good", "#!/bin/sh\nexit 0\n"u8.ToArray(), Scratch.Program);
            scene.Home.Write("evil", Encoding.UTF8.GetBytes($"#!/bin/sh\ntouch {scene.Outside}/changed\nexit 0\n"), Scratch.Program);
            await scene.WithSetupAsync(scene.Home.At("good"), "repair: {arguments: [repair]}");
            for (var i = 0; i < 10; i++)
            {
                scene.GiveToUser();
                await scene.ShellAsync("""
                    (while [ ! -e over ]; do
                      for each in good evil; do cp $each next; chown 1234 next; mv next games/pier/bin/setup; done
                    done) &
                    "$MUKTA" setup repair pier --profiles profiles --yes; touch over; wait; rm over
                    """);
            }

            await scene.ShellAsync("cp -p good games/pier/bin/setup");
            scene.GiveToUser();
            (await scene.OnAsync("setup repair", "--yes")).Code.ShouldBe(0);
        }),
        new("five hundred odd lengths are looked for in a file that has none of them", async scene =>
        {
            for (var i = 0; i < 500; i++)
                scene.Home.Fill($"odd/{i}", 1001 + i, 100 + i);
            scene.Home.Fill("unrelated/big", 50 << 20, 7);
            (await scene.MuktaAsync("manifest", "make", "odd", "--product", "odd", "--release", "1", "--out", "odd.meta4"))
                .Code.ShouldBe(0);
            scene.Home.Fill("games/odd/0", 1001, 100);
            var answer = await scene.MuktaAsync(
                "repair", "games/odd", "--manifest", "odd.meta4", "--from", "odd", "--also", "unrelated", "--yes");
            answer.Code.ShouldBe(0, answer.Out + answer.Err);
        }),
        new("the folder of games is a link", async scene =>
        {
            Directory.Move(scene.Home.At("games"), scene.Home.At("drive"));
            scene.Link("games", scene.Home.At("drive"));
            scene.Home.Flip("drive/pier/maps/harbour.pak", 100);
            (await scene.RepairAsync()).Code.ShouldBe(0);
            var found = await scene.MuktaAsync(
                "installs", "--search", "drive", "--search", "games", "--profiles", "profiles", "--json");
            found.Json.GetProperty("products")[0].GetProperty("installs").GetArrayLength().ShouldBe(1, found.Out);
            scene.Home.Snapshot("drive/pier").ShouldBe(scene.Home.Snapshot("release"));
        }),
        new("a vendor's setup asks for a restart, and the machine is started again", async scene =>
        {
            scene.Home.Write("setup", "#!/bin/sh\n[ -e restarted ] || exit 7\n"u8.ToArray(), Scratch.Program);
            await scene.WithSetupAsync(scene.Home.At("setup"), "repair: {arguments: [repair], restart: [7]}");
            (await scene.OnAsync("setup repair", "--yes")).Code.ShouldBe(3);
            Journals.PretendRestart(scene.Home.At(".local/state/mukta"));
            (await scene.OnAsync("verify")).Err.ShouldContain("can go on");
            var done = await scene.OnAsync("setup repair", "--yes");
            done.Code.ShouldBe(0, done.Out + done.Err);
            (await scene.MuktaAsync(["operations", .. WithProfiles])).Out.ShouldNotContain("interrupted");
            (await scene.OnAsync("verify")).Err.ShouldNotContain("can go on");
        }),
        new("ctrl-c is pressed twice while the disk does not answer", async scene =>
        {
            Need.Program("gcc");
            scene.Home.Flip("games/pier/maps/harbour.pak", 100);
            scene.Home.Write("slow.c", """
                #include <fcntl.h>
                #include <unistd.h>
                static int wait_for_ever(void) { close(open("waits", O_CREAT | O_WRONLY, 0644)); for (;;) pause(); }
                int fsync(int file) { return wait_for_ever(); }
                int fdatasync(int file) { return wait_for_ever(); }
                int syncfs(int file) { return wait_for_ever(); }
                """);
            var answer = await scene.ShellAsync("""
                gcc -shared -fPIC -o slow.so slow.c || exit 99
                env --default-signal=INT LD_PRELOAD=./slow.so "$MUKTA" repair pier --profiles profiles --from release --yes > said 2>&1 &
                while [ ! -e waits ]; do :; done
                while kill -INT $! 2> /dev/null; do :; done
                wait $!; echo "code $?"
                """);
            answer.Out.ShouldContain("code 130", Case.Sensitive, answer.Err);
            (await scene.RepairAsync()).Code.ShouldBe(0);
            scene.Home.Snapshot("games/pier").ShouldBe(scene.Home.Snapshot("release"));
        }),
        new("the main program is gone", async scene =>
        {
            scene.Home.Write("profiles/pier.yaml", AttackScene.Profile("""
                runtime: {programs: [bin/game]}
                shortcuts: [{entry: "${data}/applications/pier.desktop", program: bin/game}]
                """));
            scene.Home.Write(
                ".local/share/applications/pier.desktop",
                $"[Desktop Entry]\nType=Application\nName=Pier\nExec={scene.Home.At("games/pier/bin/game")}\n");
            File.Delete(scene.Home.At("games/pier/bin/game"));
            var answer = await scene.OnAsync("check", "--offline", "--json");
            var areas = answer.Json.GetProperty("products")[0].GetProperty("areas").EnumerateArray()
                .ToDictionary(a => a.GetProperty("area").GetString()!, a => a.GetProperty("verdict").GetString());
            areas["shortcuts"].ShouldBe("bad");
            areas["runtime"].ShouldNotBe("ok");
        }),
    ];
}
