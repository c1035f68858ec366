using System.Security.Cryptography;
using System.Text;
using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>The scenario and its manifests, made once, and copied for each test; and the servers that all tests share.</summary>
internal static class HomeTemplate
{
    private const string AnyMirror = "http://any.mirror", AnyOutage = "http://any.outage";
    private const string SetupProgram = "mirror/tidewarden/2.0.5/bin/tidewarden-setup";
    private const int LongestText = 64 * 1024;

    private static readonly Lazy<Task<Template>> Made = new(MakeAsync);
    private static readonly Lazy<Task<Mirror>> Shared = new(StartAsync);

    /// <param name="Root">The folder in which it was made, which is gone again.</param>
    /// <param name="Files">Each file below it, with its bytes.</param>
    private sealed record Template(string Root, IReadOnlyList<(string Path, byte[] Content, UnixFileMode Mode)> Files);

    /// <summary>The address of a mirror that serves the folder of all homes.</summary>
    public static async Task<string> MirrorAsync() => (await Shared.Value).Url;

    /// <summary>Fills a home: texts that name the folder, the mirror or the outage page name its own.</summary>
    public static async Task CopyAsync(Scratch scratch, string mirror, string outage)
    {
        var template = await Made.Value;
        scratch.Root.Length.ShouldBe(template.Root.Length, "the manifest of the setup program says how long it is");
        foreach (var (path, content, mode) in template.Files)
            scratch.Write(path, content.Length > LongestText ? content : Replaced(content), mode);
        // The setup program knows where the home is.
        var manifest = scratch.At("tidewarden.meta4");
        File.WriteAllText(manifest, File.ReadAllText(manifest).Replace(
            Hash(template.Files.First(f => f.Path == SetupProgram).Content), Hash(File.ReadAllBytes(scratch.At(SetupProgram))),
            StringComparison.Ordinal));

        byte[] Replaced(byte[] content)
        {
            if (content.AsSpan().IndexOf(Encoding.UTF8.GetBytes(template.Root)) < 0 && content.AsSpan().IndexOf("http://any."u8) < 0)
                return content;
            return Encoding.UTF8.GetBytes(Encoding.UTF8.GetString(content)
                .Replace(template.Root, scratch.Root, StringComparison.Ordinal)
                .Replace(AnyMirror, mirror, StringComparison.Ordinal).Replace(AnyOutage, outage, StringComparison.Ordinal));
        }
    }

    private static async Task<Template> MakeAsync()
    {
        using var scratch = new Scratch();
        (await Programs.RunAsync(scratch, Programs.StandIns, "scenario", scratch.Root, "--outage", AnyOutage)).Code.ShouldBe(0);
        foreach (var (product, release) in new[]
        {
            ("gannet-post", "1.4.2"), ("kelp-and-kiln", "0.9.0"), ("pierhead", "3.2.0"), ("tidewarden", "2.0.5"),
        })
        {
            var made = await Programs.MuktaAsync(
                scratch, "manifest", "make", $"mirror/{product}/{release}", "--product", product, "--release", release, "--base-url",
                $"{AnyMirror}/{product}/{release}", "--out", $"{product}.meta4");
            made.Code.ShouldBe(0, made.Err);
        }

        return new Template(scratch.Root, [.. Directory.EnumerateFiles(scratch.Root, "*", new EnumerationOptions
        {
            RecurseSubdirectories = true, AttributesToSkip = 0,
        }).Select(f => (Path.GetRelativePath(scratch.Root, f), File.ReadAllBytes(f), File.GetUnixFileMode(f)))]);
    }

    private static async Task<Mirror> StartAsync()
    {
        var scratch = new Scratch();
        var mirror = await Mirror.StartAsync(scratch, Path.GetDirectoryName(scratch.Root)!);
        AppDomain.CurrentDomain.ProcessExit += (_, _) =>
        {
            mirror.Dispose();
            scratch.Dispose();
        };
        return mirror;
    }

    private static string Hash(byte[] content) => Convert.ToHexStringLower(SHA256.HashData(content));
}
