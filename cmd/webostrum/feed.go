package main

import (
	"context"
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/core/plan"
	"webostrum/wait"
)

func (a *app) feed() *cli.Command {
	return &cli.Command{
		Name: "feed", Usage: "feeds: add, list, show, edit, remove, start, stop, still, availability, export, import, key, pass, publisher", OnUsageError: usageError,
		Commands: []*cli.Command{
			a.feedAdd(), a.feedList(), a.feedShow(), a.feedEdit(), a.feedRemove(),
			a.feedSwitch("start", "switch a feed on, or have it try again at once", (*client.Client).StartFeed),
			a.feedSwitch("stop", "switch a feed off", (*client.Client).StopFeed),
			a.feedStill(), a.feedAvailability(), a.feedExport(), a.feedImport(), a.feedKey(), a.feedPass(), a.feedPublisher(),
		},
	}
}

func nameArg() []cli.Argument { return []cli.Argument{&cli.StringArg{Name: "name", UsageText: "NAME"}} }

func feedName(c *cli.Command) (string, error) {
	name := c.StringArg("name")
	switch {
	case name == "":
		return "", usagef("which feed? Give its name; \"webostrum feed list\" shows them")
	case c.Args().Present():
		return "", usagef("%q is one thing too many; flags come before the name", c.Args().First())
	}
	return name, nil
}

const (
	addWait  = 5 * time.Second
	addEvery = 200 * time.Millisecond
)

func (a *app) feedAdd() *cli.Command {
	settings := feedSettings()
	return &cli.Command{
		Name: "add", Usage: "add a feed and see whether its camera answers; with --pushed, one that somebody sends to", ArgsUsage: "NAME URL", OnUsageError: usageError,
		Flags: append(flags(settings, true), outputFlag(),
			&cli.BoolFlag{Name: "off", Usage: "do not switch it on yet"},
			&cli.BoolFlag{Name: "no-wait", Usage: "do not wait to see whether the camera answers"}),
		Arguments: append(nameArg(), &cli.StringArg{Name: "url", UsageText: "URL"}),
		Action: func(ctx context.Context, c *cli.Command) error {
			pushed := c.Bool("pushed") || c.IsSet("turns") || c.IsSet("mosaic")
			switch {
			case c.StringArg("name") == "" || c.StringArg("url") == "" && !pushed:
				return usagef("a feed needs a name and a URL: webostrum feed add lower-station rtsp://192.0.2.7/main; one that somebody sends to needs --pushed and no URL, one that is made of others --turns or --mosaic")
			case c.StringArg("url") != "" && pushed:
				return usagef("a feed that somebody sends to, or that is made of others, has no URL: webostrum feed add --pushed summit-360")
			}
			if c.Args().Present() {
				return usagef("%q is one thing too many; flags come before the name", c.Args().First())
			}
			given, err := patch(c, settings)
			if err != nil {
				return err
			}
			in, err := newFeed(c.StringArg("name"), c.StringArg("url"), given)
			if err != nil {
				return err
			}
			cl, err := a.service(c)
			if err != nil {
				return err
			}
			on := !c.Bool("off")
			in.Enabled = &on
			f, err := cl.AddFeed(ctx, in)
			key := f.PublishKey // it is not shown again
			if err == nil && on && !pushed && !c.Bool("no-wait") {
				err = a.wait("Opening the camera", func() error {
					f, err = settledFeed(ctx, cl, f)
					return err
				})
			}
			if err != nil {
				return err
			}
			if c.Bool("pushed") {
				f.PublishKey = key
				return a.showAdded(ctx, c, cl, f)
			}
			return a.showFeed(c, cl, f)
		},
	}
}

// settledFeed waits until a feed is live or has failed, and no longer than a few seconds.
func settledFeed(ctx context.Context, cl *client.Client, f apitypes.Feed) (apitypes.Feed, error) {
	until := time.Now().Add(addWait)
	for f.State == "connecting" || f.State == "live" && f.FrameRate == 0 {
		if time.Now().After(until) || !wait.For(ctx, addEvery) {
			break
		}
		var err error
		if f, err = cl.Feed(ctx, f.Name); err != nil {
			return f, err
		}
	}
	return f, ctx.Err()
}

// given returns the value of a flag that was set, else nil.
func given[T any](c *cli.Command, flag string, value T) *T {
	if !c.IsSet(flag) {
		return nil
	}
	return &value
}

func (a *app) feedEdit() *cli.Command {
	settings := append(feedSettings(), stringSetting("camera.url", "url", "the camera's `URL`", ""))
	return &cli.Command{
		Name: "edit", Usage: "change a feed; what is not given stays", OnUsageError: usageError,
		Arguments: nameArg(), Flags: append(flags(settings, false), outputFlag()),
		Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
			change, err := patch(c, settings)
			if err != nil {
				return err
			}
			if len(change) == 0 {
				return usagef("nothing to change; \"webostrum feed edit --help\" lists what can be")
			}
			f, err := cl.EditFeed(ctx, name, change)
			if err != nil {
				return err
			}
			if f.PublishKey != "" {
				return a.showAdded(ctx, c, cl, f)
			}
			return a.showFeed(c, cl, f)
		}),
	}
}

// withFeed finds the name and the service for an action on one feed.
func (a *app) withFeed(action func(context.Context, *cli.Command, *client.Client, string) error) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		name, err := feedName(c)
		if err != nil {
			return err
		}
		cl, err := a.service(c)
		if err != nil {
			return err
		}
		return action(ctx, c, cl, name)
	}
}

func (a *app) feedShow() *cli.Command {
	return &cli.Command{
		Name: "show", Usage: "one feed in full", Flags: []cli.Flag{outputFlag()}, Arguments: nameArg(), OnUsageError: usageError,
		Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
			f, err := cl.Feed(ctx, name)
			if err != nil {
				return err
			}
			return a.showFeed(c, cl, f)
		}),
	}
}

func (a *app) showFeed(c *cli.Command, cl *client.Client, f apitypes.Feed) error {
	return a.show(c, f, func(w io.Writer) {
		row(w, "feed", f.Name)
		row(w, "title", f.Title)
		if f.Publish.Pushed {
			row(w, "publishers", publishText(f.Publish))
		} else {
			row(w, "camera", f.Camera.URL)
			row(w, "credentials", map[bool]string{true: "kept, sealed", false: "none"}[f.Credentials])
		}
		row(w, "state", fmt.Sprintf("%s, for %s", f.State, ago(f.Since)))
		row(w, "reason", f.Reason)
		if f.Remedy != "" {
			row(w, "remedy", f.Remedy)
		}
		row(w, "picture", fmt.Sprintf("%s  %s  %s", size(f.Width, f.Height), rate(f.FrameRate), bits(f.BitRate)))
		if f.Session != nil {
			row(w, "session", session(f))
		}
		if h := f.AudioStatus; h.Codec != "" || f.Session != nil {
			leftOut := ""
			if f.Session != nil {
				leftOut = f.Session.LeftOut
			}
			row(w, "audio", audio(h, leftOut))
			row(w, "", h.HLS.Why)
			row(w, "", h.WebRTC.Why)
			if h.Running && h.Processor > 0 {
				row(w, "", fmt.Sprintf("Transcoding it takes %s of a core and %d MiB.", share(h.Processor), h.Memory>>20))
			}
		}
		for _, r := range f.Renditions {
			text := fmt.Sprintf("%s: %s %s", r.Name, r.Codec, size(r.OutWidth, r.OutHeight))
			if more := firstOf(r.Note, why(r)); more != "" {
				text += ", " + more
			}
			row(w, "rendition", text)
		}
		if cv := f.Transcoding; cv.Running && cv.Processor > 0 {
			row(w, "transcoding", fmt.Sprintf("%s of a core, %s of it for decoding, %d MiB", share(cv.Processor), share(cv.Decoding), cv.Memory>>20))
		} else if cv.Missing != "" {
			row(w, "transcoding", cv.Missing)
		}
		row(w, "delay", wishText(f.Delivery))
		if f.Target > 0 {
			row(w, "HLS", fmt.Sprintf("segments of %g s", f.Target))
		}
		row(w, "who may watch", f.AudienceMeans)
		row(w, "on which sites", firstOf(strings.Join(f.Sites, ", "), "all"))
		if len(f.Tags) > 0 {
			row(w, "tags", strings.Join(f.Tags, ", "))
		}
		if f.WhileNeeded {
			row(w, "connected", "only while somebody needs it")
		}
		if f.Reports {
			row(w, "reports", "viewers' players tell how it plays: \"webostrum plan "+f.Name+"\"")
		}
		if len(f.Delivery.Off) > 0 {
			row(w, "switched off", strings.Join(f.Delivery.Off, ", "))
		}
		row(w, "links", f.Links)
		row(w, "viewers", f.Viewers)
		row(w, "watch page", cl.Base()+"/watch/"+f.Name)
		row(w, "least delay", cl.Base()+"/watch/"+f.Name+"?prefer=delay")
		row(w, "WebRTC (WHEP)", cl.Base()+"/media/"+f.Name+"/whep")
		row(w, "HLS address", cl.Base()+"/media/"+f.Name+"/hls/index.m3u8")
		row(w, "Motion JPEG", cl.Base()+"/media/"+f.Name+"/mjpeg")
		row(w, "still picture", cl.Base()+"/media/"+f.Name+"/still.jpg")
	})
}

// audio says how a camera's audio comes.
func audio(h apitypes.AudioStatus, leftOut string) string {
	if h.Codec == "" {
		return firstOf(leftOut, "none that can be used")
	}
	return fmt.Sprintf("%s, %g kHz, %s, %d packets lost", h.Codec, float64(h.ClockRate)/1000, plan.Channels(h.Channels), h.Lost)
}

// session says how a camera's pictures come.
func session(f apitypes.Feed) string {
	s := f.Session
	if s.From != "" {
		return callersSession(s)
	}
	if s.Packets > 0 {
		return fmt.Sprintf("%s %s %s over %s, %d of %d packets lost", s.Codec, firstOf(s.Profile, s.Sampling), s.Level, s.Transport, s.Lost, s.Packets+s.Lost)
	}
	text := fmt.Sprintf("%s %s by %s, %d left out", s.Codec, s.Sampling, s.Transport, s.Dropped)
	if s.Transport == "poll" {
		text += fmt.Sprintf(", every %g s, %d times unchanged", f.Camera.PollSeconds, s.Unchanged)
	}
	return text
}

// callersSession says the same of those who send to us.
func callersSession(s *apitypes.Session) string {
	text := fmt.Sprintf("%s %s %s over %s from %s", s.Codec, s.Profile, s.Level, s.Transport, s.From)
	if s.Server != "" {
		text += " (" + s.Server + ")"
	}
	text += fmt.Sprintf(", %d of %d packets lost, %d frames left out", s.Lost, s.Packets+s.Lost, s.Dropped)
	if s.Buffer > 0 {
		text += fmt.Sprintf(", receive buffer of %d KiB, %d datagrams lost in it", s.Buffer>>10, s.Overflow)
	}
	if s.Others > 0 {
		text += fmt.Sprintf(", %d packets of others", s.Others)
	}
	return text
}

func (a *app) feedRemove() *cli.Command {
	return &cli.Command{
		Name: "remove", Usage: "remove a feed", Arguments: nameArg(), OnUsageError: usageError,
		Action: a.withFeed(func(ctx context.Context, _ *cli.Command, cl *client.Client, name string) error {
			if err := cl.RemoveFeed(ctx, name); err != nil {
				return err
			}
			fmt.Fprintf(a.out, "%s is removed.\n", name)
			return nil
		}),
	}
}

func (a *app) feedSwitch(verb, usage string, do func(*client.Client, context.Context, string) (apitypes.Feed, error)) *cli.Command {
	return &cli.Command{
		Name: verb, Usage: usage, Flags: []cli.Flag{outputFlag()}, Arguments: nameArg(), OnUsageError: usageError,
		Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
			f, err := do(cl, ctx, name)
			if err != nil {
				return err
			}
			return a.show(c, f, func(w io.Writer) { row(w, f.Name+" is "+f.State+": "+f.Reason) })
		}),
	}
}

// wishText says how far behind a feed's picture may be, and what is set by hand.
func wishText(d apitypes.DeliverySettings) string {
	text := "as cheap as can be"
	if d.Within > 0 {
		text = fmt.Sprintf("%g s at most", d.Within)
	}
	for _, knob := range []struct {
		name string
		v    float64
	}{{"segments of %g s", d.SegmentSeconds}, {"parts of %g s", d.PartSeconds}, {"a list of %g", float64(d.PlaylistLength)}} {
		if knob.v > 0 {
			text += ", " + fmt.Sprintf(knob.name, knob.v) + " by hand"
		}
	}
	return text
}
