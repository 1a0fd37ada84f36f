package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"github.com/urfave/cli/v3"

	"webostrum/client"
	"webostrum/service"
)

// app is what all commands share.
type app struct {
	out, err io.Writer
	settings settingsFile
}

func newApp(out, errOut io.Writer) *cli.Command {
	a := &app{out: out, err: errOut}
	root := &cli.Command{
		Name:      "webostrum",
		Usage:     "takes camera feeds in and gives them to browsers",
		Version:   service.Version,
		Writer:    out,
		ErrWriter: errOut,
		Description: "Exit codes: 0 all is well, 1 something failed, 2 wrong usage or input,\n" +
			"3 not found, 4 refused, 5 unreachable.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "config", Usage: "YAML `FILE` with settings, named like the flags", Sources: cli.EnvVars("WEBOSTRUM_CONFIG"), Destination: &a.settings.path},
			&cli.StringFlag{Name: "data", Usage: "`FOLDER` for records and keys", Value: defaultData(), Sources: a.from("data")},
			&cli.StringFlag{Name: "service", Usage: "`ADDRESS` of the service to speak to; the one of the data folder when left out", Sources: a.from("service")},
			&cli.StringFlag{Name: "token", Usage: "`TOKEN` to sign in with; the one of the data folder when left out", Sources: a.from("token")},
		},
		Commands:       []*cli.Command{a.serve(), a.demo(), a.sim(), a.feed(), a.rendition(), a.camera(), a.cameraRequest(), a.viewer(), a.embed(), a.link(), a.account(), a.session(), a.token(), a.check(), a.backup(), a.restore(), a.recording(), a.stills(), a.film(), a.turn(), a.morning(), a.usage(), a.alerts(), a.reach(), a.discover(), a.streams(), a.inspect(), a.plan(), a.delay(), a.pipe(), a.events(), a.settingsExample(), a.prepare(), a.man(), a.openapi()},
		OnUsageError:   usageError,
		ExitErrHandler: func(_ context.Context, _ *cli.Command, _ error) {},

		EnableShellCompletion:           true,
		ConfigureShellCompletionCommand: completion,
	}
	guideGroups(root)
	return root
}

// defaultData is where records live when nobody says otherwise.
func defaultData() string {
	if home, err := os.UserHomeDir(); err == nil {
		return filepath.Join(home, ".local", "share", "webostrum")
	}
	return "webostrum-data"
}

// service returns a client of the running service.
func (a *app) service(c *cli.Command) (*client.Client, error) {
	address, token := c.String("service"), c.String("token")
	if address != "" && token != "" {
		return client.New(address, token), nil
	}
	local, err := service.ReadLocal(c.String("data"))
	switch {
	case errors.Is(err, os.ErrNotExist):
		return nil, fmt.Errorf("%w: no service has run with the data folder %s; start one with \"webostrum serve\", or name its folder with --data",
			client.ErrUnreachable, c.String("data"))
	case err != nil:
		return nil, fmt.Errorf("the token of the service cannot be read: %w", err)
	}
	if address == "" {
		address = local.Address
	}
	if token == "" {
		token = local.Token
	}
	return client.New(address, token), nil
}
