package main

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"os"
	"strings"

	docs "github.com/urfave/cli-docs/v3"
	"github.com/urfave/cli/v3"

	"webostrum/service"
)

func (a *app) check() *cli.Command {
	return &cli.Command{
		Name: "check", Usage: "look at settings, folder, records, ports, worker, disk, clock, certificate and backups", OnUsageError: usageError,
		Description: "It takes the settings of serve, and changes nothing. It ends with 1 when something is wrong.",
		Flags:       append(a.serveFlags(), outputFlag()),
		Action: func(ctx context.Context, c *cli.Command) error {
			cfg, err := a.serveConfig(c)
			if err != nil {
				return err
			}
			cfg.Log = slog.New(slog.DiscardHandler)
			findings := service.Check(ctx, cfg)
			wrong := 0
			for _, f := range findings {
				if !f.Good {
					wrong++
				}
			}
			err = a.show(c, findings, func(w io.Writer) {
				for _, f := range findings {
					row(w, map[bool]string{true: "good", false: "WRONG"}[f.Good], f.What, f.Says)
					if f.Remedy != "" {
						row(w, "", "", f.Remedy)
					}
				}
			})
			if err == nil && wrong > 0 {
				err = fmt.Errorf("%d of %d are not as they should be", wrong, len(findings))
			}
			return err
		},
	}
}

// prepare makes the data folder and the first account before the first start, as a package
// does: so whoever installs sees the password, and nobody else.
func (a *app) prepare() *cli.Command {
	return &cli.Command{
		Name: "prepare", Usage: "make the data folder and the first account, and print its password; for packages", OnUsageError: usageError,
		Action: func(_ context.Context, c *cli.Command) error {
			password, err := service.Prepare(c.String("data"))
			if err == nil && password != "" {
				fmt.Fprintln(a.out, password)
			}
			return err
		},
	}
}

// settingsExample prints a settings file with all settings, their meanings and defaults.
func (a *app) settingsExample() *cli.Command {
	return &cli.Command{
		Name: "settings", Usage: "print a settings file with all settings, their meanings and defaults", OnUsageError: usageError,
		Action: func(context.Context, *cli.Command) error {
			_, err := io.WriteString(a.out, a.settingsText())
			return err
		},
	}
}

const settingsHead = `# Settings of Webostrum. A variable such as WEBOSTRUM_LISTEN, and a flag of
# "webostrum serve", count for more than what stands here. Take a # away to set something;
# lists are written like [a, b]. "webostrum check" looks whether it fits together.
`

func (a *app) settingsText() string {
	var b strings.Builder
	b.WriteString(settingsHead)
	for _, f := range append([]cli.Flag{&cli.StringFlag{Name: "data", Usage: "`FOLDER` for records and keys", DefaultText: "/var/lib/webostrum in the package"}}, a.serveFlags()...) {
		d, ok := f.(cli.DocGenerationFlag)
		if !ok {
			continue
		}
		usage := strings.ReplaceAll(d.GetUsage(), "`", "")
		fmt.Fprintf(&b, "\n%s\n#%s: %s\n", comment(usage), f.Names()[0], exampleValue(f, d))
	}
	b.WriteString("\n" + comment("programs whose standard output is sent to feeds that somebody sends to; see docs/publishing.md") + "\n#commands:\n#  gate: [capture, --size, 1280x720]\n")
	return b.String()
}

// exampleValue is a setting's default as YAML.
func exampleValue(f cli.Flag, d cli.DocGenerationFlag) string {
	switch f.(type) {
	case *cli.StringSliceFlag:
		return "[]"
	case *cli.BoolFlag:
		return "false"
	}
	value := strings.Trim(d.GetDefaultText(), `"`)
	if value == "" {
		value = strings.Trim(d.GetValue(), `"`)
	}
	if value == "" {
		return `""`
	}
	return value
}

// comment writes a text as comment lines.
func comment(text string) string {
	return "# " + strings.ReplaceAll(strings.ReplaceAll(wrap(text, ""), "\n", "\n# "), "\n# \n", "\n")
}

// man prints the manual page.
func (a *app) man() *cli.Command {
	return &cli.Command{
		Name: "man", Usage: "print the manual page", Hidden: true, OnUsageError: usageError,
		Action: func(_ context.Context, c *cli.Command) error {
			root := newApp(io.Discard, os.Stderr)
			text, err := docs.ToManWithSection(root, 1)
			if err == nil {
				_, err = io.WriteString(a.out, text)
			}
			return err
		},
	}
}
