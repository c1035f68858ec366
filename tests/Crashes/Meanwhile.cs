using Mukta.Disk;

namespace Mukta.Tests;

/// <summary>Does something once, right after the first change of a kind: as somebody else might at that very moment.</summary>
public sealed class Meanwhile(Func<DiskChange, bool> isTime, Action act) : DiskWatch
{
    private int isOver;

    public override void Before(DiskChange change)
    {
    }

    public override void After(DiskChange change)
    {
        if (isTime(change) && Interlocked.Exchange(ref isOver, 1) == 0)
            act();
    }
}
