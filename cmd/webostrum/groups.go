package main

import (
	"context"

	"github.com/urfave/cli/v3"
)

// guideGroups has every command that only groups others say what there is, and
// what was probably meant where a command is not known.
func guideGroups(c *cli.Command) {
	for _, sub := range c.Commands {
		guideGroups(sub)
	}
	if len(c.Commands) == 0 || c.Action != nil {
		return
	}
	c.Action = func(_ context.Context, c *cli.Command) error {
		name := c.Args().First()
		if name == "" {
			return cli.ShowSubcommandHelp(c)
		}
		if meant := cli.SuggestCommand(c.Commands, name); meant != "" {
			return usagef("\"%s %s\" is no command; did you mean \"%s %s\"?", c.FullName(), name, c.FullName(), meant)
		}
		return usagef("\"%s %s\" is no command; \"%s --help\" lists what there is", c.FullName(), name, c.FullName())
	}
}

// completion describes the command that prints a shell's completion script.
func completion(c *cli.Command) {
	c.Hidden = false
	c.Usage = "print the completion script of a shell: bash, zsh, fish"
	c.ArgsUsage = "SHELL"
	c.OnUsageError = usageError
	c.Description = "bash:  source <(webostrum completion bash)\n" +
		"zsh:   source <(webostrum completion zsh)\n" +
		"fish:  webostrum completion fish | source"
}
