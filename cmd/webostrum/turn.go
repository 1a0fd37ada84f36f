package main

import (
	"context"
	"fmt"
	"io"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
)

func (a *app) turn() *cli.Command {
	return &cli.Command{
		Name: "turn", Usage: "whose turn it is in a feed that takes turns: show, put, resume", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "show", Usage: "who is on, and who takes turns", OnUsageError: usageError, Arguments: feedArgument(), Flags: []cli.Flag{outputFlag()},
				Action: a.ofFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
					t, err := cl.Turn(ctx, feed)
					if err != nil {
						return err
					}
					return a.show(c, t, func(w io.Writer) { printTurn(w, t) })
				}),
			},
			{
				Name: "put", Usage: "put one of them on, until \"turn resume\": turn put FEED SOURCE", OnUsageError: usageError,
				Arguments: append(feedArgument(), &cli.StringArg{Name: "source", UsageText: "SOURCE"}),
				Action: a.ofFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
					source := c.StringArg("source")
					if source == "" {
						return usagef("which feed is to be on? \"webostrum turn show %s\" lists them", feed)
					}
					_, err := cl.PutOn(ctx, feed, source)
					return err
				}),
			},
			{
				Name: "resume", Usage: "have them take turns again", OnUsageError: usageError, Arguments: feedArgument(),
				Action: a.ofFeed(func(ctx context.Context, _ *cli.Command, cl *client.Client, feed string) error {
					_, err := cl.PutOn(ctx, feed, "")
					return err
				}),
			},
		},
	}
}

func printTurn(w io.Writer, t apitypes.Turn) {
	row(w, "FEED", "SECONDS", "STATE", "ON")
	for _, s := range t.Sources {
		on := ""
		if s.Feed == t.On && t.Since != nil {
			on = fmt.Sprintf("for %s", time.Since(*t.Since).Round(time.Second))
		}
		if s.Feed == t.Held {
			on += ", put on by hand"
		}
		row(w, s.Feed, s.Seconds, s.State, on)
	}
	fmt.Fprintln(w)
	row(w, t.Why)
}
