using System.Net;
using System.Net.Http.Headers;
using Mukta.Fetching;

namespace Mukta.Core.Tests.Fetching;

public sealed class MirrorSourceTests
{
    [Theory]
    [InlineData(-5, 0)]
    [InlineData(7, 7)]
    [InlineData(86_400, 30)]
    public void A_mirror_is_waited_for_as_long_as_it_asks_but_not_longer_than_half_a_minute(int asked, int waits)
    {
        using var answer = new HttpResponseMessage(HttpStatusCode.ServiceUnavailable);
        answer.Headers.RetryAfter = new RetryConditionHeaderValue(DateTimeOffset.UtcNow.AddSeconds(asked));
        var wait = MirrorSource.RetryAfter(answer, TimeProvider.System).ShouldNotBeNull();
        wait.TotalSeconds.ShouldBeInRange(waits - 2, waits);
        if (asked < 0)
            return;
        answer.Headers.RetryAfter = new RetryConditionHeaderValue(TimeSpan.FromSeconds(asked));
        MirrorSource.RetryAfter(answer, TimeProvider.System).ShouldBe(TimeSpan.FromSeconds(waits));
    }

    [Fact]
    public void A_mirror_that_does_not_say_how_long_to_wait_is_tried_as_usual()
    {
        using var answer = new HttpResponseMessage(HttpStatusCode.ServiceUnavailable);
        MirrorSource.RetryAfter(answer, TimeProvider.System).ShouldBeNull();
        MirrorSource.RetryAfter(null, TimeProvider.System).ShouldBeNull();
    }
}
