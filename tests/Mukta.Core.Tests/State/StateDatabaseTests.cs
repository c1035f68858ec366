using Mukta.State;
using Mukta.Tests;

namespace Mukta.Core.Tests.State;

public sealed class StateDatabaseTests : IDisposable
{
    private readonly Scratch scratch = new();

    [Fact]
    public void Installs_are_remembered_renewed_and_forgotten()
    {
        StateDatabase.OpenToRead(scratch.Root).ShouldBeNull();
        var record = new InstallRecord("pier", "/games/pier", "1.0", DateTimeOffset.UnixEpoch);
        using (var database = StateDatabase.Open(scratch.Root))
        {
            new InstallRecords(database).Put(record);
            new InstallRecords(database).Put(record with { Release = "1.1" });
            new InstallRecords(database).Put(record with { Product = "buoy" });
        }

        using var again = StateDatabase.OpenToRead(scratch.Root)!;
        new InstallRecords(again).All().ShouldBe([record with { Product = "buoy" }, record with { Release = "1.1" }]);
        using var toForget = StateDatabase.Open(scratch.Root);
        new InstallRecords(toForget).Forget("pier", "/games/pier");
        new InstallRecords(again).All().ShouldHaveSingleItem().Product.ShouldBe("buoy");
    }

    [Fact]
    public void What_is_no_database_or_a_newer_one_is_said_and_left_alone()
    {
        scratch.Write("mukta/state.db", new string('x', 5000));
        Should.Throw<MuktaException>(() => StateDatabase.Open(scratch.Root))
            .ShouldSatisfyAllConditions(e => e.Code.ShouldBe(ExitCode.Blocked), e => e.Where.ShouldContain("state.db"));
        File.Delete(scratch.At("mukta/state.db"));
        using (var database = StateDatabase.Open(scratch.Root))
            database.With("PRAGMA user_version = 99", c => c.ExecuteNonQuery());
        Should.Throw<MuktaException>(() => StateDatabase.Open(scratch.Root)).What.ShouldContain("newer mukta");

        var bytes = File.ReadAllBytes(scratch.At("mukta/state.db"));
        bytes[60] = 0xFF; // The highest byte of the number of its version (the SQLite database file format, 1.3).
        File.WriteAllBytes(scratch.At("mukta/state.db"), bytes);
        Should.Throw<MuktaException>(() => StateDatabase.Open(scratch.Root)).What.ShouldContain("its version is -");
    }

    public void Dispose() => scratch.Dispose();
}
