package main

import (
	"context"
	"fmt"
	"io"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/wait"
)

// eventPage is how many events are asked for at a time.
const eventPage = 500

func (a *app) events() *cli.Command {
	return &cli.Command{
		Name: "events", Usage: "what happened", OnUsageError: usageError,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "feed", Usage: "only this feed's events"},
			&cli.StringFlag{Name: "kind", Usage: "only events of this `KIND`, such as state, change or sign-in"},
			&cli.StringFlag{Name: "since", Usage: "only events from this `TIME` on: 2026-11-26, 2026-11-26T08:30:00+01:00, or a while ago such as 90m or 2d"},
			&cli.StringFlag{Name: "until", Usage: "only events before this `TIME`, likewise"},
			&cli.StringFlag{Name: "severity", Usage: "only what matters so much, or more: info, warning or serious"},
			&cli.StringFlag{Name: "by", Usage: "only what this `ACCOUNT` did"},
			&cli.StringFlag{Name: "search", Usage: "only events with this `TEXT` in them"},
			&cli.IntFlag{Name: "limit", Usage: "how many at most; 0 for all", Value: 30},
			&cli.BoolFlag{Name: "fold", Usage: "show events that repeat as one, with how often, among the newest 500"},
			&cli.BoolFlag{Name: "follow", Aliases: []string{"f"}, Usage: "go on and print new ones as they come"},
			outputFlag(),
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			limit := c.Int("limit")
			if limit < 0 {
				return usagef("--limit %d: give a number of events, or 0 for all", limit)
			}
			since, err := timeFlag(c, "since", time.Now())
			if err != nil {
				return err
			}
			until, err := timeFlag(c, "until", time.Now())
			if err != nil {
				return err
			}
			cl, err := a.service(c)
			if err != nil {
				return err
			}
			q := client.EventQuery{Feed: c.String("feed"), Kind: c.String("kind"), Since: since, Until: until, Severity: c.String("severity"), By: c.String("by"), Search: c.String("search")}
			if c.Bool("fold") {
				q.Fold, q.Limit = true, eventPage
				events, err := cl.Events(ctx, q)
				if err != nil {
					return err
				}
				return a.showEvents(c, events, true)
			}
			events, err := pastEvents(ctx, cl, q, limit)
			if err != nil {
				return err
			}
			if err := a.showEvents(c, events, true); err != nil || !c.Bool("follow") {
				return err
			}
			return a.followEvents(ctx, c, cl, q, events)
		},
	}
}

// pastEvents asks page after page, until there are enough. The newest come first.
func pastEvents(ctx context.Context, cl *client.Client, q client.EventQuery, limit int) ([]apitypes.Event, error) {
	events := []apitypes.Event{}
	for {
		q.Limit = eventPage
		if limit > 0 {
			q.Limit = min(eventPage, limit-len(events))
		}
		page, err := cl.Events(ctx, q)
		if err != nil {
			return nil, err
		}
		events = append(events, page...)
		if len(page) < q.Limit || len(events) == limit {
			return events, nil
		}
		q.Before = page[len(page)-1].ID
	}
}

func (a *app) followEvents(ctx context.Context, c *cli.Command, cl *client.Client, q client.EventQuery, events []apitypes.Event) error {
	for wait.For(ctx, time.Second) {
		if len(events) > 0 {
			q.After = events[0].ID
		}
		var err error
		if events, err = pastEvents(ctx, cl, q, 0); err != nil {
			return err
		}
		if err := a.showEvents(c, events, false); err != nil {
			return err
		}
	}
	return nil
}

// showEvents prints the newest last, as one reads.
func (a *app) showEvents(c *cli.Command, events []apitypes.Event, first bool) error {
	if !first && len(events) == 0 {
		return nil
	}
	return a.show(c, events, func(w io.Writer) {
		if first {
			row(w, "TIME", "FEED", "KIND", "BY", "WHAT HAPPENED")
		}
		for i := len(events) - 1; i >= 0; i-- {
			e := events[i]
			row(w, isoTime(e.At), firstOf(e.Feed, "-"), e.Kind, firstOf(e.Account, "-"), e.Text+repeated(e))
		}
	})
}

// repeated says how often an event stands for, where repeated ones come as one.
func repeated(e apitypes.Event) string {
	if e.Times == 0 || e.First == nil {
		return ""
	}
	return fmt.Sprintf(" (%d times since %s)", e.Times, isoTime(*e.First))
}
