using CsCheck;
using Mukta.Repair.Damage;
using Mukta.Tests;

namespace Mukta.Core.Tests.Repair;

/// <summary>Damage of each kind is made, repaired, and recognised; and what is sound has no cause.</summary>
public class CauseTests
{
    private const string File = "maps/harbour.pak";

    [Theory]
    [InlineData("zeros", DamageCause.CutShort, "zeros in place of")]
    [InlineData("truncated", DamageCause.Truncated, "at the end of a piece")]
    [InlineData("one-bit", DamageCause.FlippedBits, "1 single bit flipped")]
    [InlineData("same-bit", DamageCause.FlippedBits, "always bit 5 of a byte")]
    [InlineData("block", DamageCause.ForeignBlocks, "whole block")]
    [InlineData("other-file", DamageCause.ForeignBlocks, "bytes of maps/pier.pak stand in it")]
    [InlineData("scribble", DamageCause.NotRecognised, "bytes that were compared differ")]
    [InlineData("longer", DamageCause.NotRecognised, "7 bytes too many at its end, and the rest is right")]
    [InlineData("text", DamageCause.LineEndings, "line ends converted back")]
    [InlineData("older", DamageCause.OlderRelease, "as the older release lists them")]
    [InlineData("modes", DamageCause.PermissionsOnly, "modes differ")]
    [InlineData("case", DamageCause.LetterCase, "differs only by letter case")]
    [InlineData("programs", DamageCause.ProgramsGone, "is gone")]
    public async Task Damage_is_recognised_by_what_it_looks_like(string damage, DamageCause cause, string evidence)
    {
        using var install = Install.Usual();
        var scratch = install.Scratch;
        var older = install.Manifest with { Release = "0.9" };
        switch (damage)
        {
            case "zeros":
                scratch.Zero($"install/{File}", 9000, 15_000);
                break;
            case "truncated":
                scratch.Truncate($"install/{File}", 3 * Install.PieceLength);
                break;
            case "longer":
                System.IO.File.AppendAllText(scratch.At($"install/{File}"), "damaged");
                break;
            case "one-bit" or "same-bit":
                for (var i = 0; i < (damage == "one-bit" ? 1 : 5); i++)
                    Change(scratch, 100 + (i * 5000), b => (byte)(b ^ 0x20));
                break;
            case "block":
                for (var i = 0; i < 4096; i++)
                    Change(scratch, 8192 + i, b => (byte)(b + 77));
                break;
            case "other-file":
                var pier = System.IO.File.ReadAllBytes(scratch.At("release/maps/pier.pak"))[..Install.PieceLength];
                using (var file = System.IO.File.OpenWrite(scratch.At($"install/{File}")))
                {
                    file.Position = 2 * Install.PieceLength;
                    file.Write(pier);
                }

                break;
            case "scribble":
                for (var i = 0; i < 40; i++)
                    Change(scratch, 100 + (i * 3), b => (byte)(b + 3));
                break;
            case "text":
                scratch.Write("release/letters/one.txt", string.Concat(Enumerable.Range(0, 900).Select(i => $"letter {i}\n")));
                scratch.Write("install/letters/one.txt", string.Concat(Enumerable.Range(0, 900).Select(i => $"letter {i}\r\n")));
                install.Publish();
                break;
            case "older":
                scratch.Fill($"release/{File}", 8 * Install.PieceLength, 77);
                install.Publish();
                break;
            case "modes":
                System.IO.File.SetUnixFileMode(scratch.At("install/bin/game"), Scratch.Usual);
                System.IO.File.SetUnixFileMode(scratch.At($"install/{File}"), UnixFileMode.UserRead);
                break;
            case "case":
                System.IO.File.Move(scratch.At($"install/{File}"), scratch.At("install/maps/HARBOUR.PAK"));
                break;
            case "programs":
                System.IO.File.Delete(scratch.At("install/bin/game"));
                break;
        }

        var outcome = await install.RepairAsync(damage == "older" ? older : null, places: null);
        outcome.Code.ShouldBe(ExitCode.Done);
        outcome.Causes.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
            c => c.Cause.ShouldBe(cause), c => c.Evidence.ShouldContain(evidence), c => c.Advice.ShouldEndWith("."),
            c => c.Paths.ShouldNotBeEmpty());
    }

    [Fact]
    public void What_is_sound_has_no_cause() => Gen.Select(Gen.Long[0, 1 << 30], Gen.Long[1, 1 << 20]).Sample((size, piece) =>
        DamageReading.Of(new DamageFacts { SizeFound = size, SizePublished = size, PieceLength = piece, Compared = size }) is null);

    private static void Change(Scratch scratch, long at, Func<byte, byte> change)
    {
        using var file = System.IO.File.Open(scratch.At($"install/{File}"), FileMode.Open);
        file.Position = at;
        var was = (byte)file.ReadByte();
        file.Position = at;
        file.WriteByte(change(was));
    }
}
