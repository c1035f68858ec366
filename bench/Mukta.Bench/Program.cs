using System.Globalization;
using BenchmarkDotNet.Columns;
using BenchmarkDotNet.Configs;
using BenchmarkDotNet.Jobs;
using BenchmarkDotNet.Loggers;
using BenchmarkDotNet.Running;
using BenchmarkDotNet.Toolchains.InProcess.Emit;
using Mukta.Bench;

// Measures the kernels of SHA-256 and prints a line of a table for each; with --quick only shows that it runs.
var job = (args.Contains("--quick") ? Job.Dry : Job.Default.WithWarmupCount(3).WithIterationCount(15))
    .WithToolchain(InProcessEmitToolchain.Instance);
var config = ManualConfig.CreateEmpty().AddJob(job).AddColumnProvider(DefaultColumnProviders.Instance).AddLogger(NullLogger.Instance)
    .WithOptions(ConfigOptions.DisableLogFile);
var summary = BenchmarkRunner.Run<KernelBenchmarks>(config);
var speeds = summary.Reports.Where(r => r.ResultStatistics is not null)
    .ToDictionary(r => (string)r.BenchmarkCase.Parameters["Method"], r => KernelBenchmarks.Bytes / r.ResultStatistics!.Median);
if (!speeds.TryGetValue("platform", out var platform))
{
    Console.Error.WriteLine("The benchmark did not run.");
    return 1;
}

foreach (var (method, speed) in speeds)
    Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"| {method}, one core | {speed:0.00} GB/s | {speed / platform:0.0} |"));
return 0;
