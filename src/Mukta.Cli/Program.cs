using Mukta.Cli;

return await App.RunAsync(args).ConfigureAwait(false);
