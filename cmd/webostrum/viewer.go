package main

import (
	"context"
	"fmt"
	"io"

	"github.com/urfave/cli/v3"

	"webostrum/client"
)

func (a *app) viewer() *cli.Command {
	return &cli.Command{
		Name: "viewer", Usage: "who watches: list, end", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "who watches now", OnUsageError: usageError,
				Flags:  []cli.Flag{&cli.StringFlag{Name: "feed", Usage: "only this feed's viewers"}, outputFlag()},
				Action: a.listViewers,
			},
			{
				Name: "end", Usage: "end a viewer: viewer end ID", OnUsageError: usageError, Arguments: []cli.Argument{&cli.StringArg{Name: "name", UsageText: "ID"}},
				Action: func(ctx context.Context, c *cli.Command) error {
					if c.StringArg("name") == "" {
						return usagef("which viewer? Give its ID; \"webostrum viewer list\" shows them")
					}
					return a.withFeed(func(ctx context.Context, _ *cli.Command, cl *client.Client, id string) error {
						if err := cl.EndViewer(ctx, id); err != nil {
							return err
						}
						fmt.Fprintf(a.out, "%s is ended.\n", id)
						return nil
					})(ctx, c)
				},
			},
		},
	}
}

func (a *app) listViewers(ctx context.Context, c *cli.Command) error {
	cl, err := a.service(c)
	if err != nil {
		return err
	}
	list, err := cl.Viewers(ctx, c.String("feed"))
	if err != nil {
		return err
	}
	return a.show(c, list, func(w io.Writer) {
		if len(list) == 0 {
			row(w, "Nobody watches now.")
			return
		}
		row(w, "VIEWER", "FEED", "METHOD", "ADDRESS", "FOR", "SENT", "LOSS", "BANDWIDTH", "ASKED FOR", "GETS")
		for _, v := range list {
			row(w, v.ID, v.Feed, v.Method, v.Address, ago(v.Since), fmt.Sprintf("%.1f MB", float64(v.Bytes)/1e6), share(v.Loss), bits(v.Estimate), firstOf(v.Variant, "-"), firstOf(v.Now, "that"))
		}
	})
}
