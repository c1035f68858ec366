using Mukta.Cli;
using Mukta.Disk;

ChildSignal.Restore();
return await App.RunAsync(args).ConfigureAwait(false);
