using System.CommandLine;

namespace Mukta.Cli;

/// <summary>A command whose help ends with examples that run.</summary>
internal sealed class ExampleCommand(string name, string description, string examples) : Command(name, description)
{
    public string Examples { get; } = examples;
}
