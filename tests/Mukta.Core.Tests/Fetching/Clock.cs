namespace Mukta.Core.Tests.Fetching;

/// <summary>Time that passes as a test says.</summary>
internal sealed class Clock : TimeProvider
{
    public TimeSpan Now { get; set; } = TimeSpan.FromSeconds(1);

    public override long TimestampFrequency => TimeSpan.TicksPerSecond;

    public override long GetTimestamp() => Now.Ticks;
}
