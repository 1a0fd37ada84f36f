package main

import (
	"context"
	"fmt"
	"io"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
)

func (a *app) feedKey() *cli.Command {
	return &cli.Command{
		Name: "key", Usage: "make another key for who sends to a feed, and show it once with the addresses to send to; who sends by the old one is cut off",
		Flags: []cli.Flag{outputFlag()}, Arguments: nameArg(), OnUsageError: usageError,
		Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
			p, err := cl.RenewPublishKey(ctx, name)
			if err != nil {
				return err
			}
			return a.show(c, p, func(w io.Writer) { publishRows(w, p) })
		}),
	}
}

// showAdded shows a feed that somebody sends to, with its key.
func (a *app) showAdded(ctx context.Context, c *cli.Command, cl *client.Client, f apitypes.Feed) error {
	p, err := cl.Publishing(ctx, f.Name)
	if err != nil {
		return err
	}
	p.Key = f.PublishKey
	return a.show(c, f, func(w io.Writer) {
		row(w, "feed", f.Name)
		row(w, "state", fmt.Sprintf("%s: %s", f.State, f.Reason))
		publishRows(w, p)
	})
}

// publishRows tell how to send to a feed.
func publishRows(w io.Writer, p apitypes.Publishing) {
	if p.Needed {
		row(w, "key", p.Key+"   (shown only now)")
	} else {
		row(w, "key", "none is asked for")
	}
	row(w, "who may send", p.Means)
	for _, d := range p.Destinations {
		row(w, "send by "+d.Protocol, d.Address)
		row(w, "", d.Key)
	}
}

// publishText says who may send to a feed.
func publishText(p apitypes.PublishSettings) string {
	text := "whoever knows the key"
	if p.Open {
		text = "everybody who reaches the ports: no key is asked for"
	}
	if p.TakeOver {
		return text + "; who comes second takes over"
	}
	return text + "; who comes second is refused"
}
