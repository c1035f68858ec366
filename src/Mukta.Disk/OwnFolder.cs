namespace Mukta.Disk;

/// <summary>Mukta's own folder: in an install, or beside what it keeps.</summary>
public static class OwnFolder
{
    /// <summary>Its name. No manifest may list it.</summary>
    public const string Name = ".mukta";
}
