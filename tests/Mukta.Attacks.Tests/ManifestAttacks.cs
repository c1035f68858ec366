using System.Security.Cryptography;
using System.Text;
using Mukta.Cli.Tests;
using Mukta.Tests;

namespace Mukta.Attacks.Tests;

/// <summary>What may lie where manifests from the network are kept, and beside signed ones. Root runs Mukta on them.</summary>
internal static class ManifestAttacks
{
    private const string Cache = ".cache/mukta/manifests";

    public static IEnumerable<Attack> Rows { get; } =
    [
        Kept("the cache is a link to a folder outside", (scene, _) => scene.Link(".cache", Path.Join(scene.Outside, "folder"))),
        Kept("mukta's folder in the cache is a link", (scene, _) => scene.Link(".cache/mukta", Path.Join(scene.Outside, "folder"))),
        Kept("the folder of kept manifests is a link", (scene, _) => scene.Link(Cache, Path.Join(scene.Outside, "folder"))),
        Kept("the folder of one kept manifest is a link", (scene, kept) => scene.Link(kept, Path.Join(scene.Outside, "folder"))),
        Kept("a kept manifest is a link to a file outside", (scene, kept) => scene.Link($"{kept}/manifest.meta4", Path.Join(scene.Outside, "canary"))),
        Kept("a kept manifest is a link to a file that is not there", (scene, kept) => scene.Link($"{kept}/manifest.meta4", Path.Join(scene.Outside, "made"))),
        Kept("a new manifest's name is a link already", (scene, kept) => scene.Link($"{kept}/manifest.meta4.new", Path.Join(scene.Outside, "canary"))),
        Kept("a kept manifest is a pipe", (scene, kept) => scene.Pipe($"{kept}/manifest.meta4")),
        Kept("the facts of a kept manifest are a link", (scene, kept) => scene.Link($"{kept}/facts.json", Path.Join(scene.Outside, "canary"))),
        Kept("the facts of a kept manifest are a pipe", (scene, kept) => scene.Pipe($"{kept}/facts.json")),
        Kept("the facts of a kept manifest are huge", (scene, kept) => scene.Sparse($"{kept}/facts.json", 1L << 40)),
        Kept("a kept manifest is huge", (scene, kept) => scene.Sparse($"{kept}/manifest.meta4", 1L << 40)),
        Signed("a signature is a pipe", scene => scene.Pipe("profiles/pier.meta4.p7s")),
        Signed("a signature is a link to a device", scene => scene.Link("profiles/pier.meta4.p7s", "/dev/zero")),
        Signed("a signature is huge", scene => scene.Sparse("profiles/pier.meta4.p7s", 1L << 40)),
        Signed("a manifest that has to be signed is huge", scene => scene.Sparse("profiles/pier.meta4", 1L << 40)),
        Signed("the certificates are a pipe", scene => Replace(scene, "profiles/root.pem", scene.Pipe)),
        Signed("the certificates are a folder", scene => Replace(scene, "profiles/root.pem", path => Directory.CreateDirectory(scene.Home.At(path)))),
        Signed("the certificates are huge", scene => scene.Sparse("profiles/root.pem", 1L << 40)),
        Signed("the revocation list is a pipe", scene => scene.Pipe("profiles/root.crl")),
        Signed("the revocation list is huge", scene => scene.Sparse("profiles/root.crl", 1L << 40)),
        Signed("the revocation list nests without end", scene => scene.Home.Write(
            "profiles/root.crl", [.. Enumerable.Repeat(new byte[] { 0x30, 0x80 }, 100_000).SelectMany(b => b)])),
        Signed("a signature nests without end", scene => scene.Home.Write(
            "profiles/pier.meta4.p7s", [.. Enumerable.Repeat(new byte[] { 0x30, 0x80 }, 100_000).SelectMany(b => b)])),
        new("a signer's name commands the terminal", async scene =>
        {
            var made = Certificates.Make(isRsa: false, "\u001b[31mPier\u001b]0;x\u0007", null, false, Certificates.CodeSigning, -1, 1);
            scene.Home.Write("c.pem", made.ExportCertificatePem());
            scene.Home.Write("k.pem", Certificates.KeyOf(made));
            var signed = await scene.MuktaAsync("manifest", "sign", "profiles/pier.meta4", "--key", "k.pem", "--cert", "c.pem");
            var shown = await scene.MuktaAsync("manifest", "show", "profiles/pier.meta4", "--trust", "c.pem");
            (signed.Code, shown.Code).ShouldBe((0, 0));
            (signed.Out + signed.Err + shown.Out + shown.Err).ShouldNotContain("\u001b");
        }),
    ];

    /// <summary>The manifest is on a server; something lies in the user's cache where it is to be kept.</summary>
    private static Attack Kept(string name, Action<AttackScene, string> place) => new(name, async scene =>
    {
        using var mirror = await Mirror.StartAsync(scene.Home, "profiles");
        var url = $"{mirror.Url}/pier.meta4";
        scene.Home.Write(
            "profiles/pier.yaml", AttackScene.Profile().Replace("{file: pier.meta4}", $"{{url: \"{url}\"}}", StringComparison.Ordinal));
        place(scene, $"{Cache}/{Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(url)).AsSpan(0, 16))}");
        scene.GiveToUser();
        scene.Home.Flip("games/pier/maps/harbour.pak", 100);
        foreach (var command in new[] { "verify", "check", "repair --yes --from release" })
            (await scene.OnAsync(command.Split(' ')[0], command.Split(' ')[1..])).Code.ShouldNotBe(70, command);
    });

    /// <summary>The manifest has to be signed; something else lies beside it.</summary>
    private static Attack Signed(string name, Action<AttackScene> place) => new(name, async scene =>
    {
        var made = new Certificates(isRsa: false);
        scene.Home.Write("profiles/root.pem", made.Root.ExportCertificatePem());
        scene.Home.Write("profiles/pier.yaml", AttackScene.Profile().Replace(
            "{file: pier.meta4}", "{file: pier.meta4, trust: [root.pem]}", StringComparison.Ordinal));
        place(scene);
        scene.Home.Flip("games/pier/maps/harbour.pak", 100);
        var before = scene.Home.Snapshot("games");
        foreach (var command in new[] { "verify", "repair --yes --from release" })
            (await scene.OnAsync(command.Split(' ')[0], command.Split(' ')[1..])).Code.ShouldBeOneOf(2, 5);
        scene.Home.Snapshot("games").ShouldBe(before);
    });

    private static void Replace(AttackScene scene, string path, Action<string> with)
    {
        File.Delete(scene.Home.At(path));
        with(path);
    }
}
