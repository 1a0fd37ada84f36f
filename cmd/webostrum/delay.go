package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/browser"
	"webostrum/client"
	"webostrum/wait"
)

const (
	measureWidth, measureHeight = 1280, 800
	measureStart                = 40 * time.Second // until a delivery plays
	leastLooks                  = 20               // four a second
)

// measured is a delivery's delay, as far as it is known.
type measured struct {
	apitypes.Delay
	Measured *onShow `json:"measured,omitempty" doc:"In a browser; left out when there is none"`
	Missing  string  `json:"missing,omitempty" doc:"Why it was not measured"`
}

// onShow is what a browser shows of a delivery.
type onShow struct {
	Median float64 `json:"medianSeconds"`
	High   float64 `json:"highSeconds" doc:"95th percentile"`
	Rate   float64 `json:"frameRate,omitempty"`
	Stalls float64 `json:"stalls" doc:"In ten seconds"`
	By     string  `json:"by" doc:"pixels or capture times"`
}

func (a *app) delay() *cli.Command {
	return &cli.Command{
		Name: "delay", Usage: "how far behind each delivery of a feed is, measured in a browser where one is installed", OnUsageError: usageError,
		Arguments: nameArg(),
		Flags: []cli.Flag{
			outputFlag(),
			&cli.DurationFlag{Name: "for", Usage: "how long to look at each delivery", Value: 15 * time.Second},
			&cli.BoolFlag{Name: "no-browser", Usage: "tell only the part that cannot be avoided"},
		},
		Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
			parts, err := cl.Delay(ctx, name)
			if err != nil {
				return err
			}
			list := make([]measured, len(parts))
			fill := func() {
				for i, d := range parts {
					list[i].Delay = d
				}
			}
			fill()
			if !c.Bool("no-browser") {
				if err := a.measureDelays(ctx, cl, name, c.Duration("for"), list); err != nil {
					return err
				}
				if parts, err = cl.Delay(ctx, name); err != nil { // more is known by now
					return err
				}
				fill()
			}
			return a.show(c, list, func(w io.Writer) { delayTable(w, list) })
		}),
	}
}

// measureDelays looks at one delivery after the other, so that none takes the
// others' time. Without a browser it says so and is content.
func (a *app) measureDelays(ctx context.Context, cl *client.Client, feed string, d time.Duration, list []measured) error {
	page, end, err := browser.Open(ctx, measureWidth, measureHeight)
	if errors.Is(err, browser.ErrNone) {
		fmt.Fprintln(a.err, err.Error()+", so only the part that cannot be avoided is told.")
		return nil
	}
	if err != nil {
		return err
	}
	defer end()
	if err := page.SignIn(cl.Token()); err != nil {
		return err
	}
	for i := range list {
		fmt.Fprintf(a.err, "looking at %s for %v …\n", list[i].Delivery, d)
		if list[i].Measured, err = look(ctx, page, cl.Base(), feed, list[i].Delivery, d); err != nil {
			list[i].Missing = "it did not play: no delay could be read within " + measureStart.String()
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
	}
	return nil
}

// look measures one delivery on the console's page for that.
func look(ctx context.Context, page *browser.Page, base, feed, delivery string, d time.Duration) (*onShow, error) {
	if err := page.Open(base + "/feeds/" + url.PathEscape(feed) + "/compare?only=" + delivery); err != nil {
		return nil, err
	}
	tile := fmt.Sprintf("document.querySelector('[data-way=%q]')", delivery)
	if err := page.Until(fmt.Sprintf("Number(%s?.dataset.looks) >= %d", tile, leastLooks), measureStart); err != nil {
		return nil, err
	}
	if !wait.For(ctx, d) {
		return nil, ctx.Err()
	}
	seen := &onShow{}
	for name, into := range map[string]*float64{"delay": &seen.Median, "high": &seen.High, "rate": &seen.Rate, "stalls": &seen.Stalls} {
		v, err := page.Number(tile + ".dataset." + name)
		if err != nil {
			return nil, err
		}
		*into = v
	}
	seen.Median, seen.High = seen.Median/1000, seen.High/1000
	by, err := page.Text(tile + ".dataset.by")
	seen.By = by
	return seen, err
}

func delayTable(w io.Writer, list []measured) {
	row(w, "DELIVERY", "MEASURED", "95TH PERCENTILE", "STALLS", "READ FROM", "UNAVOIDABLE", "OF WHICH")
	for _, m := range list {
		cells := []any{m.Delivery, "–", "–", "–", firstOf(m.Missing, "–"), delayText(m.Seconds)}
		if s := m.Measured; s != nil {
			cells = []any{m.Delivery, delayText(s.Median), delayText(s.High), fmt.Sprintf("%.0f", s.Stalls), s.By, delayText(m.Seconds)}
		}
		if len(m.Parts) == 0 {
			row(w, append(cells, "nothing is known yet")...)
		}
		for i, p := range m.Parts {
			if i > 0 {
				cells = []any{"", "", "", "", "", ""}
			}
			row(w, append(cells, fmt.Sprintf("%s %s", delayText(p.Seconds), p.Name))...)
		}
	}
}

// delayText writes a time as people say it.
func delayText(s float64) string {
	if s < 1 {
		return fmt.Sprintf("%.0f ms", s*1000)
	}
	return fmt.Sprintf("%.2f s", s)
}
