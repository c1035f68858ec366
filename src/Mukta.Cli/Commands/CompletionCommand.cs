using System.CommandLine;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta completion</c></summary>
internal static class CompletionCommand
{
    private const string Examples = """
          mukta completion bash > /etc/bash_completion.d/mukta
          mukta completion fish > ~/.config/fish/completions/mukta.fish
        """;

    private const string Bash = """
        _mukta() {
            local IFS=$'\n'
            COMPREPLY=($(compgen -W "$(mukta "[suggest:$COMP_POINT]" "$COMP_LINE" 2> /dev/null)" -- "${COMP_WORDS[COMP_CWORD]}"))
        }
        complete -o default -F _mukta mukta
        """;

    private const string Zsh = """
        #compdef mukta
        _mukta() {
            local typed="${(j: :)words[1,CURRENT]}"
            local -a found
            found=("${(@f)$(mukta "[suggest:${#typed}]" "$typed" 2> /dev/null)}")
            compadd -a found || _files
        }
        if [ "$funcstack[1]" = _mukta ]; then _mukta "$@"; else compdef _mukta mukta; fi # Loaded from fpath, or sourced.
        """;

    private const string Fish = """
        function __mukta
            set -l typed (commandline -cp)
            mukta "[suggest:"(string length -- "$typed")"]" "$typed" 2> /dev/null
        end
        complete -c mukta -a '(__mukta)'
        """;

    private static readonly Dictionary<string, string> Scripts = new() { ["bash"] = Bash, ["zsh"] = Zsh, ["fish"] = Fish };

    public static Command Build()
    {
        var shell = new Argument<string>("SHELL") { Description = "bash, zsh or fish." };
        shell.CompletionSources.Add("bash", "zsh", "fish");
        shell.Validators.Add(result =>
        {
            if (result.Tokens is [var given] && !Scripts.ContainsKey(given.Value))
                result.AddError($"\"{given.Value}\" is not one of bash, zsh and fish.");
        });
        var command = new ExampleCommand("completion", "Print a script that completes words in a shell.", Examples) { shell };
        command.SetAction(parsed =>
        {
            Console.Out.WriteLine(Scripts[parsed.GetRequiredValue(shell)]);
            return (int)ExitCode.Done;
        });
        return command;
    }
}
