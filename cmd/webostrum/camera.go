package main

import (
	"context"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/core/media"
	"webostrum/core/plan"
)

// camera sets and moves the cameras of feeds by ONVIF.
func (a *app) camera() *cli.Command {
	number := func(name, usage string) cli.Flag { return &cli.FloatFlag{Name: name, Usage: usage} }
	return &cli.Command{Name: "camera", Usage: "a feed's camera by ONVIF: show, set, picture, move, follow, keyframe", OnUsageError: usageError, Commands: []*cli.Command{
		a.cameraCommand("show", "how it codes, what it can be set to, and its presets", []cli.Flag{outputFlag()}, a.showCamera),
		a.cameraCommand("set", "change how it codes; what is not named stays", []cli.Flag{outputFlag(),
			&cli.StringFlag{Name: "codec", Usage: "h264, h265 or jpeg"},
			&cli.StringFlag{Name: "size", Usage: "`WIDTHxHEIGHT` of the picture"},
			number("rate", "frames a second at most"),
			&cli.StringFlag{Name: "bit-rate", Usage: "`RATE` at most, such as 2M or 800k bits a second"},
			number("keyframes", "`SECONDS` from one keyframe to the next"),
		}, a.setCamera),
		a.cameraCommand("picture", "change how it sets its picture; what is not named stays", []cli.Flag{outputFlag(),
			number("brightness", "as \"camera show\" has its range"), number("saturation", "likewise"), number("contrast", "likewise"), number("sharpness", "likewise"),
			&cli.StringFlag{Name: "infrared-filter", Usage: "on, off or auto"},
		}, a.setCameraPicture),
		a.cameraCommand("move", "move it: to a preset, or by shares of its range from -1 to 1", []cli.Flag{
			&cli.StringFlag{Name: "preset", Usage: "`NAME` of a preset"},
			number("pan", "to the right"), number("tilt", "upwards"), number("zoom", "nearer"),
		}, a.moveCamera),
		a.cameraCommand("follow", "search for it by what its device calls itself, and set the feed to where it is", nil, a.followCamera),
		a.cameraCommand("keyframe", "ask it for a keyframe", nil, a.askKeyframe),
	}}
}

func (a *app) cameraCommand(name, usage string, flags []cli.Flag, act func(context.Context, *cli.Command, *client.Client, string) error) *cli.Command {
	return &cli.Command{Name: name, Usage: usage, OnUsageError: usageError, Flags: flags, Arguments: nameArg(), Action: a.withFeed(act)}
}

// asked waits for the camera's answer and shows it.
func (a *app) asked(c *cli.Command, ask func() (apitypes.CameraControls, error)) error {
	var out apitypes.CameraControls
	err := a.wait("Asking the camera", func() (err error) {
		out, err = ask()
		return err
	})
	if err != nil {
		return err
	}
	return a.show(c, out, func(w io.Writer) { controlsText(w, out) })
}

func (a *app) showCamera(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
	return a.asked(c, func() (apitypes.CameraControls, error) { return cl.CameraControls(ctx, feed) })
}

func (a *app) setCamera(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
	in := apitypes.VideoChange{Codec: strings.ToUpper(c.String("codec")), Size: c.String("size"), FrameRate: given(c, "rate", c.Float("rate")), KeyframeEvery: given(c, "keyframes", c.Float("keyframes"))}
	if c.IsSet("bit-rate") {
		bits, err := parseRate(c.String("bit-rate"))
		if err != nil {
			return err
		}
		in.BitRate = &bits
	}
	if in == (apitypes.VideoChange{}) {
		return usagef("set what? --keyframes 1, --size 1280x720, --rate 25, --bit-rate 2M or --codec h264")
	}
	return a.asked(c, func() (apitypes.CameraControls, error) { return cl.SetCameraVideo(ctx, feed, in) })
}

func (a *app) setCameraPicture(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
	in := apitypes.PictureChange{
		Brightness: given(c, "brightness", c.Float("brightness")), Saturation: given(c, "saturation", c.Float("saturation")), Contrast: given(c, "contrast", c.Float("contrast")), Sharpness: given(c, "sharpness", c.Float("sharpness")),
		Filter: strings.ToUpper(c.String("infrared-filter")),
	}
	if in == (apitypes.PictureChange{}) {
		return usagef("set what? --brightness 60, --infrared-filter auto; \"webostrum camera show %s\" lists what there is", feed)
	}
	return a.asked(c, func() (apitypes.CameraControls, error) { return cl.SetCameraPicture(ctx, feed, in) })
}

func (a *app) moveCamera(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
	in := apitypes.CameraMove{Preset: c.String("preset"), Pan: c.Float("pan"), Tilt: c.Float("tilt"), Zoom: c.Float("zoom")}
	if in == (apitypes.CameraMove{}) {
		return usagef("move where to? --preset NAME, --pan 0.1, --tilt -0.1 or --zoom 0.2")
	}
	if err := cl.MoveCamera(ctx, feed, in); err != nil {
		return err
	}
	fmt.Fprintln(a.out, "The camera moves.")
	return nil
}

func (a *app) followCamera(ctx context.Context, _ *cli.Command, cl *client.Client, feed string) error {
	var f *apitypes.Feed
	err := a.wait("Searching", func() (err error) {
		f, err = cl.FollowCamera(ctx, feed)
		return err
	})
	if err == nil {
		fmt.Fprintf(a.out, "The camera of %s is at %s\n", feed, f.Camera.URL)
	}
	return err
}

func (a *app) askKeyframe(ctx context.Context, _ *cli.Command, cl *client.Client, feed string) error {
	if err := cl.CameraKeyframe(ctx, feed); err != nil {
		return err
	}
	fmt.Fprintln(a.out, "The camera sends a keyframe.")
	return nil
}

func controlsText(w io.Writer, c apitypes.CameraControls) {
	v := c.Video
	row(w, "video", strings.TrimSpace(plan.Name(media.Codec(v.Codec))+" "+v.Profile)+", "+size(v.Width, v.Height))
	row(w, "at most", rate(v.FrameRate)+", "+bits(v.BitRate))
	row(w, "keyframes", seconds(v.KeyframeEvery))
	for _, o := range c.Options {
		limits := []string{}
		if len(o.Sizes) > 0 {
			limits = append(limits, "sizes "+strings.Join(o.Sizes, ", "))
		}
		if o.MostRate > 0 {
			limits = append(limits, fmt.Sprintf("%g to %g fps", o.LeastRate, o.MostRate))
		}
		if o.MostBits > 0 {
			limits = append(limits, bits(o.LeastBits)+" to "+bits(o.MostBits))
		}
		if o.MostKeyframe > 0 {
			limits = append(limits, fmt.Sprintf("a keyframe every %g to %g frames", o.LeastKeyframe, o.MostKeyframe))
		}
		row(w, plan.Name(media.Codec(o.Codec))+" can be", strings.Join(limits, "; "))
	}
	for _, p := range c.Picture {
		row(w, p.Name, fmt.Sprintf("%g, of %g to %g", p.Value, p.Least, p.Most))
	}
	if f := c.Filter; f != nil {
		row(w, "infrared filter", strings.ToLower(f.Mode)+", of "+strings.ToLower(strings.Join(f.Modes, ", ")))
	}
	moves := "no"
	if c.Moves {
		moves = "yes"
	}
	row(w, "can be moved", moves)
	var names []string
	for _, p := range c.Presets {
		names = append(names, p.Name)
	}
	if len(names) > 0 {
		row(w, "presets", strings.Join(names, ", "))
	}
	for _, n := range c.Notes {
		row(w, "note", n)
	}
}
