using Mukta.Host.Trial;

namespace Mukta.Core.Tests.Host.Trial;

public class KernelMessagesTests
{
    [Fact]
    public void Lines_about_these_processes_since_then_are_found_and_no_others() => KernelMessages.Of(
        """
        [    1.000001] Linux version 6.1
        [   90.100000] pier[77]: segfault at 0 ip 0000000000000000
        [  100.000001] pier[77]: segfault at 10 ip 0000000000000000
        [  100.000002] Code: Unable to access opcode bytes at 0x7f59bea2ffd6.
        [  100.000003] traps: pier[77] trap invalid opcode ip:77 sp:0
        [  101.000000] Out of memory: Killed process 78 (mail) total-vm:77kB
        [  102.000000] oom-kill:constraint=CONSTRAINT_NONE,task=mail,pid=78,uid=77
        [  103.000000] other[770]: segfault at 77
        nonsense [77]
        """, new HashSet<int> { 77, 78 }, 90.2).ShouldBe(
        [
            "pier[77]: segfault at 10 ip 0000000000000000", "traps: pier[77] trap invalid opcode ip:77 sp:0",
            "Out of memory: Killed process 78 (mail) total-vm:77kB", "oom-kill:constraint=CONSTRAINT_NONE,task=mail,pid=78,uid=77",
        ]);
}
