package main

import (
	"context"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
)

func (a *app) cameraRequest() *cli.Command {
	return &cli.Command{
		Name: "camera-request", Usage: "requests to a feed's camera: add, list, run, remove", OnUsageError: usageError,
		Commands: []*cli.Command{a.requestAdd(), a.requestList(), a.requestRun(), a.partRemove("remove a request", "%s of %s is removed.", (*client.Client).RemoveRequest)},
	}
}

func (a *app) requestAdd() *cli.Command {
	return &cli.Command{
		Name: "add", Usage: "add a request: camera-request add FEED NAME TARGET", OnUsageError: usageError,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "method", Usage: "GET, POST, PUT or DELETE", Value: "GET"},
			&cli.StringFlag{Name: "body", Usage: "`TEXT` to send"},
			&cli.BoolFlag{Name: "at-connection", Usage: "send it before each connection, since small cameras forget their settings"},
			outputFlag(),
		},
		Arguments: append(partArgs("NAME"), &cli.StringArg{Name: "target", UsageText: "TARGET"}),
		Action: a.withPart(func(ctx context.Context, c *cli.Command, cl *client.Client, feed, name string) error {
			target := c.StringArg("target")
			if target == "" {
				return usagef("what is asked for? webostrum camera-request add %s %s \"/settings?size=640x360\"", feed, name)
			}
			q, err := cl.AddRequest(ctx, feed, apitypes.CameraRequest{
				Name: name, Method: strings.ToUpper(c.String("method")), Target: target, Body: c.String("body"), AtConnection: c.Bool("at-connection"),
			})
			if err != nil {
				return err
			}
			return a.show(c, q, func(w io.Writer) { requestRows(w, []apitypes.CameraRequest{q}) })
		}),
	}
}

func requestRows(w io.Writer, list []apitypes.CameraRequest) {
	row(w, "REQUEST", "SENT", "METHOD", "TARGET", "BODY")
	for _, q := range list {
		row(w, q.Name, map[bool]string{true: "before each connection", false: "by hand"}[q.AtConnection], q.Method, q.Target, firstOf(q.Body, "-"))
	}
}

func (a *app) requestList() *cli.Command {
	return &cli.Command{
		Name: "list", Usage: "the requests of a feed", Flags: []cli.Flag{outputFlag()}, Arguments: nameArg(), OnUsageError: usageError,
		Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
			f, err := cl.Feed(ctx, name)
			if err != nil {
				return err
			}
			return a.show(c, f.Requests, func(w io.Writer) {
				if len(f.Requests) == 0 {
					row(w, "None. \"webostrum camera-request add\" adds one.")
					return
				}
				requestRows(w, f.Requests)
			})
		}),
	}
}

func (a *app) requestRun() *cli.Command {
	return &cli.Command{
		Name: "run", Usage: "send a request now", Flags: []cli.Flag{outputFlag()}, Arguments: partArgs("NAME"), OnUsageError: usageError,
		Action: a.withPart(func(ctx context.Context, c *cli.Command, cl *client.Client, feed, name string) error {
			answer, err := cl.RunRequest(ctx, feed, name)
			if err != nil {
				return err
			}
			return a.show(c, answer, func(w io.Writer) {
				row(w, fmt.Sprintf("The camera answered %d in %.0f ms.", answer.Status, answer.Millis))
				row(w, answer.Text)
			})
		}),
	}
}
