using Mukta.Disk;

namespace Mukta.Host.Space;

/// <summary>What is needed on one disk.</summary>
/// <param name="What">What lies there, in words.</param>
/// <param name="Path">A path on it.</param>
/// <param name="Least">Bytes without which the product or its repair cannot work.</param>
/// <param name="Wanted">Bytes with which there is some to spare.</param>
/// <param name="Names">Files and folders that may have to be made.</param>
public sealed record SpaceNeed(string What, string Path, long Least, long Wanted, long Names);

/// <summary>A need beside what is there.</summary>
/// <param name="Need">What is needed.</param>
/// <param name="Room">What is there; null if that cannot be told.</param>
public sealed record PlaceSpace(SpaceNeed Need, Room? Room);
