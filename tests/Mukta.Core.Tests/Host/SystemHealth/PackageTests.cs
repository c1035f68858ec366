using System.Diagnostics;
using Mukta.Host;
using Mukta.Host.Checks;
using Mukta.Host.Packages;
using Mukta.Host.Runtime;
using Mukta.Host.SystemHealth;
using Mukta.Products;
using Mukta.Tests;

namespace Mukta.Core.Tests.Host.SystemHealth;

/// <summary>Both package managers themselves, each with a package of its own in a root of its own.</summary>
public sealed class PackageTests : IDisposable
{
    private const string Library = "/usr/lib/libgull.so.1", Settings = "/etc/gull.conf", Manual = "/usr/share/doc/gull/copyright";

    private readonly Scratch scratch = new();

    [Theory]
    [InlineData("dpkg")]
    [InlineData("rpm")]
    public async Task Files_that_differ_from_what_their_package_installed_are_named_with_it(string kind)
    {
        var (machine, manager) = Installed(kind);
        var owners = await manager.OwnersAsync([Library, "/lib/libgull.so.1", "/usr/lib/own.so"], Cancel);
        owners[Library].ShouldBe("gull");
        owners.ShouldNotContainKey("/usr/lib/own.so");
        (await manager.AlteredAsync(["gull"], Cancel)).ShouldBeEmpty();

        File.AppendAllText(machine.At(Library), "!");
        File.AppendAllText(machine.At(Settings), "mine");
        (await manager.AlteredAsync(["gull"], Cancel)).ShouldBe([new AlteredFile("gull", Library, IsMissing: false)]);
        File.Delete(machine.At(Library));
        File.Delete(machine.At(Manual));
        (await manager.AlteredAsync(["gull"], Cancel)).Select(a => (a.Package, a.Path, a.IsMissing))
            .ShouldBe([("gull", Library, true), ("gull", Manual, true)], ignoreOrder: true);
    }

    [Theory]
    [InlineData("dpkg")]
    [InlineData("rpm")]
    public async Task A_library_that_the_product_needs_counts_as_bad_and_what_is_only_left_out_does_not(string kind)
    {
        var (machine, manager) = Installed(kind);
        var look = new SystemLook(machine, manager, SystemPlaces.Usual);
        var needs = new RuntimeFacts(
            [new ProgramFacts("bin/pier", null, "64-bit x86", true, [new LibraryFact("libgull.so.1", "bin/pier", "/lib/libgull.so.1")])], [],
            null, null, new Dictionary<string, Version?>());
        Directory.Delete(machine.At("/lib"));
        Directory.CreateSymbolicLink(machine.At("/lib"), "usr/lib");
        SystemFindings.Of(await look.PackagesAsync(needs, scratch.At("games/pier"), Cancel)).ShouldBeEmpty();
        File.WriteAllText(machine.At(Library), "somebody else's");
        File.Delete(machine.At(Manual));
        var finding = SystemFindings.Of(await look.PackagesAsync(needs, scratch.At("games/pier"), Cancel)).ShouldHaveSingleItem();
        finding.Kind.ShouldBe(FindingKind.PackageAltered);
        finding.Verdict.ShouldBe(Verdict.Bad);
        finding.Advice!.ShouldEndWith(" gull");
    }

    [Fact]
    public async Task A_package_that_is_only_unpacked_is_not_installed()
    {
        var (machine, manager) = Installed("dpkg", "--unpack");
        (await manager.UnfinishedAsync(Cancel)).ShouldBe([new UnfinishedPackage("gull", "unpacked")]);
        Run("dpkg", $"--root={machine.Root}", "--force-all", "--configure", "gull");
        (await manager.UnfinishedAsync(Cancel)).ShouldBeEmpty();
    }

    [Fact]
    public void A_package_is_behind_if_the_lists_have_another_version_of_it() => Dpkg.Updates(
        """
        libgull1:amd64:
          Installed: 1.2-3
          Candidate: 1.2-4
          Version table:
             1.2-4 500
        libtern1:
          Installed: 2:0.9
          Candidate: 2:0.9
          Version table:
         *** 2:0.9 100
        own:
          Installed: 1
          Candidate: (none)
        """.Split('\n')).ShouldBe([new PendingUpdate("libgull1:amd64", "1.2-3", "1.2-4")]);

    [Fact]
    public async Task A_machine_without_a_package_manager_is_not_known()
    {
        Directory.CreateDirectory(scratch.At("root/home/anna"));
        var machine = new Machine(scratch.At("root"), UserFolders.Below(scratch.At("root"), "/home/anna"));
        PackageManagers.Of(machine).ShouldBeNull();
        SystemFindings.Of(await new SystemLook(machine, null, SystemPlaces.Usual).OfMachineAsync(Cancel), new RuntimeNeeds())
            .ShouldAllBe(f => f.Kind == FindingKind.SystemUnknown && f.Verdict == Verdict.Unknown);
    }

    public void Dispose() => scratch.Dispose();

    private static CancellationToken Cancel => TestContext.Current.CancellationToken;

    private (Machine Machine, IPackageManager Manager) Installed(string kind, string how = "--install")
    {
        Need.Root();
        Need.Program(kind == "dpkg" ? "dpkg-deb" : "rpmbuild");
        var root = scratch.At("root");
        foreach (var folder in new[] { "home/anna", "lib", "var/lib/dpkg/info", "var/lib/dpkg/updates", "var/lib/dpkg/triggers", "var/log" })
            Directory.CreateDirectory(Path.Join(root, folder));
        scratch.Write("package" + Library, "a library");
        scratch.Write("package" + Settings, "usual");
        scratch.Write("package" + Manual, "free");
        if (kind == "dpkg")
        {
            scratch.Write("root/var/lib/dpkg/status", "");
            scratch.Write("root/var/lib/dpkg/available", "");
            scratch.Write("package/DEBIAN/control", "Package: gull\nVersion: 1\nArchitecture: all\nMaintainer: A <a@example.org>\nDescription: a gull\n");
            scratch.Write("package/DEBIAN/conffiles", Settings + "\n");
            scratch.Write("package/DEBIAN/md5sums", $"{Md5("a library")}  {Library[1..]}\n{Md5("free")}  {Manual[1..]}\n");
            Run("dpkg-deb", "--build", scratch.At("package"), scratch.At("gull.deb"));
            Run("dpkg", $"--root={root}", "--force-all", how, scratch.At("gull.deb"));
        }
        else
        {
            scratch.Write("gull.spec", $"""
                Name: gull
                Version: 1
                Release: 1
                Summary: a gull
                License: free
                BuildArch: noarch
                %description
                A gull.
                %install
                cp -r {scratch.At("package")}/. %buildroot/
                %files
                {Library}
                {Manual}
                %config {Settings}
                """);
            Run("rpmbuild", "-bb", "--define", $"_topdir {scratch.At("build")}", "--define", "__os_install_post %nil", scratch.At("gull.spec"));
            Run("rpm", "--root", root, "--dbpath", "/var/lib/rpm", "--initdb");
            Run("rpm", "--root", root, "--dbpath", "/var/lib/rpm", "--install", "--nodeps", "--noscripts", scratch.At("build/RPMS/noarch/gull-1-1.noarch.rpm"));
        }

        var machine = new Machine(root, UserFolders.Below(root, "/home/anna"));
        return (machine, PackageManagers.Of(machine).ShouldNotBeNull());
    }

#pragma warning disable CA5351 // The lists of dpkg have no other hash.
    private static string Md5(string text) =>
        Convert.ToHexStringLower(System.Security.Cryptography.MD5.HashData(System.Text.Encoding.UTF8.GetBytes(text)));
#pragma warning restore CA5351

    private static void Run(string program, params string[] arguments)
    {
        using var process = Process.Start(
            new ProcessStartInfo(program, arguments) { RedirectStandardOutput = true, RedirectStandardError = true })!;
        var (output, error) = (process.StandardOutput.ReadToEndAsync(), process.StandardError.ReadToEndAsync());
        process.WaitForExit();
        process.ExitCode.ShouldBe(0, $"{program}: {output.Result} {error.Result}");
    }
}
