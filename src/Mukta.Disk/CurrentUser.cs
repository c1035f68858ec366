namespace Mukta.Disk;

/// <summary>The user whose rights this program has.</summary>
public static class CurrentUser
{
    /// <summary>The effective user's number (geteuid(2)); 0 for root.</summary>
    public static uint Number { get; } = Native.EffectiveUser();
}
