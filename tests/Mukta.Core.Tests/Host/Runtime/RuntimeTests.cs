using System.Diagnostics;
using CsCheck;
using Mukta.Host;
using Mukta.Host.Runtime;
using Mukta.Products;
using Mukta.StandIns;
using Mukta.Tests;

namespace Mukta.Core.Tests.Host.Runtime;

public sealed class RuntimeTests : IDisposable
{
    private readonly Scratch scratch = new();
    private readonly Machine here = new("/", UserFolders.Of(_ => null));

    [Theory]
    [InlineData(true, 62, "64-bit x86")]
    [InlineData(false, 3, "32-bit x86")]
    public void An_elf_file_tells_what_it_needs(bool is64, ushort machine, string architecture)
    {
        var elf = Read(
            new MadeElf
            {
                Is64 = is64,
                Machine = machine,
                SoName = "libpier.so",
                Needs = ["libwind.so", "libc.so.6"],
                RunPath = "$ORIGIN/../lib:/opt/lib"
            }.Head());
        elf.ShouldSatisfyAllConditions(
            e => e.Architecture.ShouldBe(architecture), e => e.Libraries.ShouldBe(["libwind.so", "libc.so.6"]),
            e => e.SoName.ShouldBe("libpier.so"),
            e => e.RunPath.ShouldBe(["$ORIGIN/../lib", "/opt/lib"]));
    }

    [Fact]
    public void A_hostile_elf_file_is_refused_and_nothing_else_happens()
    {
        var good = new MadeElf { Needs = ["libwind.so"], RunPath = "/opt/lib" }.Head();
        Gen.Select(Gen.Int[0, good.Length - 1], Gen.Byte, Gen.Int[0, good.Length]).Sample((at, value, length) =>
        {
            var bad = good.ToArray();
            bad[at] = value;
            try
            {
                Read(bad[..Math.Max(1, length)]);
                Read(bad);
            }
            catch (Exception e) when (e is FormatException or OverflowException)
            {
            }
        }, iter: 2000);
    }

    [Theory]
    [InlineData(32)] // the table of segments
    [InlineData(64 + 8)] // a segment's place
    [InlineData(64 + 56 + 8)] // the dynamic section's place
    public void A_place_beyond_the_end_is_damage(int at)
    {
        var bad = new MadeElf { Needs = ["libwind.so"] }.Head();
        BitConverter.GetBytes(long.MaxValue).CopyTo(bad, at);
        (Should.Throw<Exception>(() => Read(bad)) is FormatException or OverflowException).ShouldBeTrue();
    }

    [Fact]
    public void What_the_loader_would_find_is_what_ldd_says()
    {
        var compared = 0;
        foreach (var program in new[] { "/bin/ls", "/usr/bin/git", "/usr/bin/perl", "/usr/bin/openssl", "/usr/bin/ssh", "/bin/tar",
            "/usr/sbin/nginx", "/usr/bin/python3" }.Where(File.Exists).Select(Real))
        {
            using var ldd = Process.Start(new ProcessStartInfo("ldd", [program]) { RedirectStandardOutput = true })!;
            var says = ldd.StandardOutput.ReadToEnd().Split('\n').Select(l => l.Trim().Split(" => ")).Where(l => l.Length == 2)
                .ToDictionary(l => l[0], l => l[1].Split(" (")[0]);
            using var file = File.OpenHandle(program);
            if (!ElfFile.IsElf(file))
                continue;
            var found = new LibrarySearch(here).Of(program, ElfFile.Read(file), "");
            foreach (var (name, path) in says)
            {
                found.Single(f => f.Name == name)
                    .ShouldSatisfyAllConditions(f => Real(f.FoundAt!).ShouldBe(Real(path)), f => (f.TooOld ?? []).ShouldBeEmpty());
            }

            compared += says.Count;
        }

        compared.ShouldBeGreaterThan(5);
    }

    [Fact]
    public void A_missing_a_foreign_and_a_fitting_library_are_told_apart()
    {
        Put("bin/pier", new MadeElf { Needs = ["libwind.so"], RunPath = "$ORIGIN/../lib" });
        Library("").FoundAt.ShouldBeNull();
        Put("lib/libwind.so", new MadeElf { Is64 = false, Machine = 3, SoName = "libwind.so" });
        Library("").ShouldSatisfyAllConditions(
            l => l.FoundAt.ShouldBeNull(), l => l.Foreign!.ShouldEndWith("lib/libwind.so is 32-bit x86"));
        Put("other/libwind.so", new MadeElf { SoName = "libwind.so" });
        Library(scratch.At("other")).FoundAt.ShouldBe(
            scratch.At("other/libwind.so"), "LD_LIBRARY_PATH goes before DT_RUNPATH, and a foreign one is passed over");
        Put("lib/libwind.so", new MadeElf { SoName = "libwind.so" });
        Real(Library("").FoundAt!).ShouldBe(scratch.At("lib/libwind.so"));
    }

    [Fact]
    public void A_library_that_lacks_a_version_is_too_old()
    {
        Need.Program("gcc");
        scratch.Write("old.map", "TIDE_1 { global: tide; };");
        scratch.Write("new.map", "TIDE_1 { global: tide; }; TIDE_2 { global: surge; } TIDE_1;");
        scratch.Write("old.c", "int tide(void) { return 1; }");
        scratch.Write("new.c", "int tide(void) { return 1; } int surge(void) { return 2; }");
        scratch.Write("pier.c", "int surge(void); int main(void) { return surge(); }");
        Directory.CreateDirectory(scratch.At("bin"));
        Directory.CreateDirectory(scratch.At("lib"));
        Gcc("-shared", "-fPIC", "-Wl,-soname,libtide.so.1", "-Wl,--version-script=new.map", "new.c", "-o", "lib/libtide.so.1");
        Gcc("pier.c", "-o", "bin/pier", "lib/libtide.so.1", "-Wl,-rpath,$ORIGIN/../lib");
        Needed("libtide.so.1").TooOld.ShouldBeNull();
        Gcc("-shared", "-fPIC", "-Wl,-soname,libtide.so.1", "-Wl,--version-script=old.map", "old.c", "-o", "lib/libtide.so.1");
        Needed("libtide.so.1").TooOld.ShouldBe(["TIDE_2"]);
    }

    [Fact]
    public void The_c_library_is_of_the_version_that_it_says_though_it_defines_only_older_ones()
    {
        Need.Program("gcc");
        const string Words = "GNU C Library (Pier GLIBC 2.31-13) stable release version 2.31.\\nCopyright";
        scratch.Write("c.map", "GLIBC_2.29 { global: tide; }; GLIBC_2.30 { global: surge; } GLIBC_2.29;");
        scratch.Write("c.c", $"static const char words[] = \"{Words}\"; const char *tide(void) {{ return words; }} int surge(void) {{ return 2; }}");
        Directory.CreateDirectory(scratch.At("root/lib/x86_64-linux-gnu"));
        Gcc("-shared", "-fPIC", "-nostdlib", "-Wl,-soname,libc.so.6", "-Wl,--version-script=c.map", "c.c", "-o", "root/lib/x86_64-linux-gnu/libc.so.6");
        using var file = File.OpenHandle(scratch.At("root/lib/x86_64-linux-gnu/libc.so.6"));
        var mounted = new Machine(scratch.At("root"), UserFolders.Below(scratch.At("root"), "/home/anna"));
        new LibrarySearch(mounted).Libc(ElfFile.Read(file)).ShouldBe(new Version(2, 31));
    }

    [Fact]
    public void A_pe_program_finds_its_imports_beside_it_and_in_the_layer_whatever_their_case()
    {
        scratch.Write("bin/pier.exe", MadePe.Head(0x8664, "Wind.dll", "KERNEL32.dll", "api-ms-win-crt-heap-l1-1-0.dll", "gone.dll"));
        scratch.Write("bin/wind.DLL", MadePe.Head(0x8664));
        scratch.Write("layer/kernel32.dll", MadePe.Head(0x8664));
        var needs = new RuntimeNeeds { Programs = ["bin/pier.exe"], Layer = PathPattern.Parse("${install}/layer", out _) };
        var libraries = RuntimeFacts.Of(here, needs, scratch.Root, "").Programs.ShouldHaveSingleItem().Libraries;
        libraries.Select(l => (l.Name, l.FoundAt is not null)).ShouldBe([("Wind.dll", true), ("KERNEL32.dll", true), ("gone.dll", false)]);
        scratch.Write("bin/wind.DLL", MadePe.Head(0x14c));
        RuntimeFacts.Of(here, needs, scratch.Root, "").Programs[0].Libraries[0].Foreign!.ShouldEndWith("wind.DLL is 32-bit x86");
    }

    [Fact]
    public void A_hostile_pe_file_is_refused_and_nothing_else_happens()
    {
        var good = MadePe.Head(0x8664, "wind.dll", "tide.dll");
        Gen.Select(Gen.Int[0, good.Length - 1], Gen.Byte).Sample((at, value) =>
        {
            var bad = good.ToArray();
            bad[at] = value;
            File.WriteAllBytes(scratch.At("x"), bad);
            using var file = File.OpenHandle(scratch.At("x"));
            try
            {
                PeFile.Read(file);
            }
            catch (Exception e) when (e is FormatException or OverflowException)
            {
            }
        }, iter: 1000, threads: 1);
    }

    [Theory]
    [InlineData("6.1.0-28-amd64", "6.1.0")]
    [InlineData("5.10", "5.10")]
    [InlineData("550.54.14", "550.54.14")]
    [InlineData("7", "7.0")]
    public void A_version_is_its_leading_numbers(string text, string version) => RuntimeFacts.Parsed(text).ShouldBe(Version.Parse(version));

    public void Dispose() => scratch.Dispose();

    private static string Real(string path) =>
        new FileInfo(path).ResolveLinkTarget(returnFinalTarget: true) is { } target ? Real(target.FullName)
        : Path.GetFullPath(path) is var full && full.StartsWith("/lib", StringComparison.Ordinal)
        && Directory.Exists("/usr" + Path.GetDirectoryName(full)) ? "/usr" + full : full;

    private ElfFile Read(byte[] bytes)
    {
        var path = scratch.At($"{Guid.NewGuid():N}");
        File.WriteAllBytes(path, bytes);
        using var file = File.OpenHandle(path);
        return ElfFile.Read(file);
    }

    private void Put(string path, MadeElf elf) => scratch.Write(path, elf.Head());

    private LibraryFact Library(string libraryPath)
    {
        using var file = File.OpenHandle(scratch.At("bin/pier"));
        return new LibrarySearch(here).Of(scratch.At("bin/pier"), ElfFile.Read(file), libraryPath).Single(f => f.Name == "libwind.so");
    }

    private LibraryFact Needed(string library)
    {
        using var file = File.OpenHandle(scratch.At("bin/pier"));
        return new LibrarySearch(here).Of(scratch.At("bin/pier"), ElfFile.Read(file), "").Single(f => f.Name == library);
    }

    private void Gcc(params string[] arguments)
    {
        using var gcc = Process.Start(new ProcessStartInfo("gcc", arguments) { WorkingDirectory = scratch.Root })!;
        gcc.WaitForExit();
        gcc.ExitCode.ShouldBe(0);
    }
}
