package main

import (
	"context"
	"crypto/rand"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"github.com/urfave/cli/v3"

	"webostrum/api"
	"webostrum/client"
	"webostrum/service"
	"webostrum/sim"
)

func (a *app) listenFlag(value string) cli.Flag {
	return &cli.StringFlag{Name: "listen", Usage: "`ADDRESS` for HTTP", Value: value, Sources: a.from("listen")}
}

func (a *app) logFlag() cli.Flag {
	return &cli.StringFlag{Name: "log-level", Usage: "debug, info, warn or error", Value: "info", Sources: a.from("log-level")}
}

func (a *app) logger(c *cli.Command) (*slog.Logger, error) {
	var level slog.Level
	if err := level.UnmarshalText([]byte(c.String("log-level"))); err != nil {
		return nil, usagef("log level %q is not one of debug, info, warn, error", c.String("log-level"))
	}
	log := slog.New(slog.NewTextHandler(a.err, &slog.HandlerOptions{Level: level}))
	slog.SetDefault(log)
	return log, nil
}

func (a *app) serve() *cli.Command {
	return &cli.Command{
		Name: "serve", Usage: "run the service", OnUsageError: usageError,
		Flags: []cli.Flag{
			a.listenFlag("0.0.0.0:7600"), a.logFlag(),
			&cli.BoolFlag{Name: "https-only", Usage: "browsers reach the service through an HTTPS proxy only: mark cookies so", Sources: a.from("https-only")},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			log, err := a.logger(c)
			if err != nil {
				return err
			}
			return service.Run(ctx, service.Config{
				Data: c.String("data"), Listen: c.String("listen"), Secure: c.Bool("https-only"), Log: log,
			}, a.showStarted)
		},
	}
}

func (a *app) showStarted(s service.Started) {
	if s.Password != "" {
		fmt.Fprintf(a.out, "\nFirst start. Sign in with this account; its password is shown only now:\n\n    account   engineer\n    password  %s\n\n", s.Password)
	}
	fmt.Fprintf(a.out, "The console is at %s/\n", s.Address)
}

const demoPassword = "funicular" // of a simulated camera, which only this machine reaches

func (a *app) demo() *cli.Command {
	return &cli.Command{
		Name: "demo", Usage: "run the service with the simulated cameras of the Morrow Crag Funicular", OnUsageError: usageError,
		Flags: []cli.Flag{
			a.listenFlag("127.0.0.1:7600"), a.logFlag(), a.workerFlag(),
			&cli.StringFlag{Name: "demo-data", Usage: "`FOLDER` for the demo's records", Value: ".demo", Sources: a.from("demo-data")},
			&cli.StringFlag{Name: "camera-listen", Usage: "`ADDRESS` of the simulated camera", Value: "127.0.0.1:7654", Sources: a.from("camera-listen")},
			&cli.StringFlag{Name: "control", Usage: "`ADDRESS` of the cameras' control", Value: "127.0.0.1:7690", Sources: a.from("control")},
		},
		Action: a.runDemo,
	}
}

func (a *app) runDemo(ctx context.Context, c *cli.Command) error {
	log, err := a.logger(c)
	if err != nil {
		return err
	}
	camera, err := sim.New(sim.Config{
		Name: "lower-station", Listen: c.String("camera-listen"), User: "viewer", Password: demoPassword,
		Settings: sim.Defaults(), Worker: c.String("codecs"),
	})
	if err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	var parts sync.WaitGroup
	defer parts.Wait()
	defer cancel()
	failed := make(chan error, 1)
	parts.Go(func() {
		if err := sim.Play(ctx, c.String("control"), camera); err != nil {
			failed <- err
			cancel()
		}
	})
	key := strings.ToLower(rand.Text())
	data := c.String("demo-data")
	err = service.Run(ctx, service.Config{Data: data, Listen: c.String("listen"), EnterKey: key, Log: log}, func(s service.Started) {
		if err := addDemoFeed(ctx, data, camera); err != nil {
			log.Error("the demo's feed could not be added", "error", err)
		}
		a.showDemo(s, key, data)
	})
	select {
	case first := <-failed:
		return first
	default:
		return err
	}
}

// addDemoFeed points the feed at the camera; the demo's records may be there
// from last time.
func addDemoFeed(ctx context.Context, data string, camera *sim.Camera) error {
	local, err := service.ReadLocal(data)
	if err != nil {
		return err
	}
	cl := client.New(local.Address, local.Token)
	url, user, password := camera.URL(), "viewer", demoPassword
	if _, err := cl.EditFeed(ctx, camera.Name(), api.FeedChange{URL: &url, User: &user, Password: &password}); err == nil {
		return nil
	}
	_, err = cl.AddFeed(ctx, api.NewFeed{
		Name: camera.Name(), Title: "Lower station", URL: url, User: user, Password: password, Public: true,
	})
	return err
}

func (a *app) showDemo(s service.Started, key, data string) {
	here, _ := os.Getwd()
	if rel, err := filepath.Rel(here, data); err == nil {
		data = rel
	}
	fmt.Fprintf(a.out, `
The Morrow Crag Funicular is on the air. Open this address; it signs you in:

    %s/enter/%s

Watch page   %s/watch/lower-station
Commands     bin/webostrum --data %s feed list
Misbehave    bin/webostrum sim tell reboot --size 960x540
End          Ctrl-C

`, s.Address, key, s.Address, data)
}

func (a *app) openapi() *cli.Command {
	return &cli.Command{
		Name: "openapi", Usage: "print the OpenAPI document of the API", OnUsageError: usageError,
		Action: func(context.Context, *cli.Command) error {
			doc, err := api.Document(service.Version)
			if err == nil {
				_, err = a.out.Write(doc)
			}
			return err
		},
	}
}
