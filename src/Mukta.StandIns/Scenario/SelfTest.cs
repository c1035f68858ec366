using System.Security.Cryptography;

namespace Mukta.StandIns;

/// <summary>
/// The self-test that comes with the made-up games and the launcher: a script that looks whether the product would work, and says which
/// code it would show. It looks at what a real product meets: its files, its module's service, its folders, its room.
/// </summary>
internal static class SelfTest
{
    /// <summary>Where it is in the install.</summary>
    public const string Program = "bin/self-test";

    /// <summary>The script of a product. It knows the product's files by their SHA-256.</summary>
    public static string Script(MadeProduct product, int seed)
    {
        var files = product.Files.Where(f => f.Path != Program)
            .Select(f => $"{Convert.ToHexStringLower(SHA256.HashData(Products.Content(product, f, seed)))}  {f.Path}");
        return $$"""
            #!/bin/sh
            # The self-test of {{product.Id}} {{product.Release}}. A made-up program.
            # Exit code 0: it would work. 1: it would show the code that is printed.
            here=$(cd "$(dirname "$0")/.." && pwd -P)
            cd "$here" || exit 1
            fails() { echo "$1: $2"; exit 1; }
            {{(product.Id == "pierhead" ? Launcher : Game(product))}}
            bad=$(sha256sum --check --quiet 2>/dev/null <<'end'
            {{string.Join('\n', files)}}
            end
            ) || { case $bad in lib/*) code=PH-0126 ;; esac; fails "$code" "$(echo "$bad" | head -n 1)"; }
            for process in /proc/[0-9]*; do
                case $(readlink "$process/exe") in "$here"/*) fails "$busy" "process ${process#/proc/} still runs" ;; esac
            done 2>/dev/null
            dd if=/dev/zero of=.room bs=1M count=8 2>/dev/null || { rm -f .room; fails PH-0028 "there is no room left"; }
            rm -f .room
            echo 'all is well'

            """;
    }

    private const string Launcher = """
        code=launcher-does-not-start busy=launcher-does-not-start
        case $(cat "$HOME/.config/environment.d/"*.conf 2>/dev/null) in *_proxy=?*) fails PL-0044 "the proxy does not answer" ;; esac
        case $(cat "$HOME/outage.json") in *'"status": "fail"'*) fails PL-0503 "the service is not available" ;; esac
        case $(cat "$HOME/.cache/pierhead/session/token" 2>/dev/null) in expired*) fails PL-0031 "sign-in refused" ;; esac
        mkdir -p "$HOME/.cache/pierhead/pages-7" 2>/dev/null || fails "$code" "no news"
        """;

    private static string Game(MadeProduct product) => product.Id != "gannet-post" ? "code=KK-0020 busy=KK-0020" : """
        code=PH-0203 busy=PH-0310
        [ -f "$HOME/anti-cheat/tidewarden/bin/tidewardend" ] || fails PH-0140 "Tidewarden is not installed"
        "$HOME/host/systemctl" show tidewarden.service | grep -q '^ActiveState=active$' || fails PH-0142 "Tidewarden does not run"
        grep -q "^Exec=$here/bin/gannet-post" "$HOME/.local/share/applications/gannet-post.desktop" || fails PH-0150 "folder not found"
        mkdir -p "$HOME/.cache/gannet-post/routes-3" 2>/dev/null || fails PH-0161 "cannot create a folder"
        for partial in "$HOME/.cache/gannet-post/partial-"*; do [ ! -e "$partial" ] || fails download-stuck "$partial"; done
        settings=$HOME/.config/gannet-post/mail.conf
        [ ! -e "$settings" ] || grep -q '^launcher = pierhead$' "$settings" || fails PH-0007 "0x1F"
        """;
}
