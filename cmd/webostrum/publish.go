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

func (a *app) feedPass() *cli.Command {
	return &cli.Command{
		Name: "pass", Usage: "make a pass that lets whoever has it send to a feed for a while: a phone or a laptop by the camera page, or a program by WHIP",
		Flags:     []cli.Flag{outputFlag(), &cli.FloatFlag{Name: "hours", Usage: "`HOURS` that it lasts, up to 8760", Value: 24}},
		Arguments: nameArg(), OnUsageError: usageError,
		Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
			p, err := cl.AddPass(ctx, name, c.Float("hours"))
			if err != nil {
				return err
			}
			return a.show(c, p, func(w io.Writer) {
				row(w, "open on the phone", p.URL)
				row(w, "bearer token", p.Pass)
				row(w, "ends", p.Ends.Local().Format("2006-01-02 15:04"))
				if p.Note != "" {
					row(w, "note", p.Note)
				}
			})
		}),
	}
}

func (a *app) feedPublisher() *cli.Command {
	return &cli.Command{
		Name: "publisher", Usage: "who sends to a feed; ask a camera page for its light, zoom, focus or another camera, or cut the publisher off", OnUsageError: usageError, Arguments: nameArg(),
		Flags: []cli.Flag{
			outputFlag(), &cli.BoolFlag{Name: "end", Usage: "cut it off"},
			&cli.BoolWithInverseFlag{Name: "light", Usage: "switch the camera's light on, or off"},
			&cli.FloatFlag{Name: "zoom", Usage: "zoom to `FACTOR`"}, &cli.StringFlag{Name: "focus", Usage: "`MODE` of focus, of those that it has"},
			&cli.IntFlag{Name: "camera", Usage: "`NUMBER` of another camera of the device, from 0"},
		},
		Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
			if c.Bool("end") {
				if err := cl.EndPublisher(ctx, name); err != nil {
					return err
				}
				fmt.Fprintf(a.out, "The publisher of %s is cut off.\n", name)
				return nil
			}
			w := apitypes.CameraWish{Torch: given(c, "light", c.Bool("light")), Zoom: given(c, "zoom", c.Float("zoom")), Focus: given(c, "focus", c.String("focus")), Camera: given(c, "camera", c.Int("camera"))}
			if w != (apitypes.CameraWish{}) {
				if err := cl.AskPublisher(ctx, name, w); err != nil {
					return err
				}
				fmt.Fprintln(a.out, "Asked. What came of it shows here in a moment, and in the picture.")
				return nil
			}
			p, err := cl.Publisher(ctx, name)
			if err != nil {
				return err
			}
			return a.show(c, p, func(w io.Writer) { publisherRows(w, p) })
		}),
	}
}

// publisherRows tell who sends to a feed.
func publisherRows(w io.Writer, p apitypes.Publisher) {
	row(w, "sends by", p.Protocol)
	row(w, "from", p.Address)
	row(w, "for", ago(p.Since))
	c := p.Camera
	if c == nil {
		return
	}
	for i, label := range c.Cameras {
		on := ""
		if i == c.Camera {
			on = ", on"
		}
		row(w, fmt.Sprintf("camera %d", i), label+on)
	}
	row(w, "size", size(c.Width, c.Height))
	if c.Torch != nil {
		row(w, "light", map[bool]string{true: "on", false: "off"}[*c.Torch])
	}
	if c.Zoom != nil && c.Zooms != nil {
		row(w, "zoom", fmt.Sprintf("%g, of %g to %g", *c.Zoom, c.Zooms.Min, c.Zooms.Max))
	}
	if len(c.Focus) > 0 {
		row(w, "focus", firstOf(c.Focused, "?")+", of "+strings.Join(c.Focus, ", "))
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
