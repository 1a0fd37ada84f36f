package main

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/wait"
)

const askSearchEvery = 250 * time.Millisecond

func (a *app) discover() *cli.Command {
	return &cli.Command{
		Name: "discover", Usage: "search the service's networks for cameras", OnUsageError: usageError,
		Flags: []cli.Flag{outputFlag(),
			&cli.FloatFlag{Name: "seconds", Usage: "how long to wait for answers, 1 to 60", Value: 4},
			&cli.StringSliceFlag{Name: "sweep", Usage: "try the addresses of a private `NETWORK` one by one, too, such as 192.168.1.0/24; more than one may be given"},
			&cli.IntSliceFlag{Name: "ports", Usage: "`PORTS` that a sweep tries (default: the usual ones of cameras)"},
		},
		Action: a.runDiscover,
	}
}

func (a *app) runDiscover(ctx context.Context, c *cli.Command) error {
	if c.Args().Present() {
		return usagef("discover takes no %q: it searches all networks of the service's machine; --sweep NETWORK tries the addresses of one", c.Args().First())
	}
	cl, err := a.service(c)
	if err != nil {
		return err
	}
	s, err := cl.StartSearch(ctx, apitypes.NewSearch{Seconds: c.Float("seconds"), Sweep: c.StringSlice("sweep"), Ports: c.IntSlice("ports")})
	if err != nil {
		return err
	}
	told := 0
	tell := func() {
		for ; told < len(s.Found) && c.String("output") == "table"; told++ {
			fmt.Fprintln(a.err, "found", s.Found[told].Host, s.Found[told].Name) // the table comes at the end, when all is known
		}
	}
	for s.Running {
		tell()
		if !wait.For(ctx, askSearchEvery) {
			return ctx.Err()
		}
		if s, err = cl.Search(ctx, s.ID); err != nil {
			return err
		}
	}
	tell()
	return a.show(c, s, func(w io.Writer) { foundTable(w, s) })
}

func foundTable(w io.Writer, s apitypes.Search) {
	if len(s.Found) == 0 {
		fmt.Fprintln(w, "Nothing answered. Cameras may be on another network, or have discovery switched off: \"webostrum discover --sweep 192.168.1.0/24\" tries addresses one by one.")
	} else {
		row(w, "HOST", "NAME", "HARDWARE", "ANSWERED BY", "FEEDS", "ADDRESS")
	}
	for _, f := range s.Found {
		feeds := slices.Clone(f.Feeds)
		for _, name := range f.Moved {
			feeds = append(feeds, name+" (moved)")
		}
		row(w, f.Host, firstOf(f.Name, "-"), firstOf(f.Hardware, "-"), strings.Join(f.Ways, ", "), firstOf(strings.Join(feeds, ", "), "-"), addressOf(f))
	}
	for _, f := range s.Found {
		if f.Odd != "" {
			fmt.Fprintf(w, "%s: %s\n", f.Host, f.Odd)
		}
	}
	for _, n := range s.Notes {
		fmt.Fprintln(w, n)
	}
	for _, f := range s.Found {
		if f.Device != "" {
			fmt.Fprintf(w, "\nNext: webostrum streams %s --user USER --password-stdin\n", f.Device)
			return
		}
	}
}

// addressOf is where to go on with a camera.
func addressOf(f apitypes.FoundCamera) string {
	for _, list := range [][]string{{f.Device}, f.Streams, f.Pages} {
		if len(list) > 0 && list[0] != "" {
			return list[0]
		}
	}
	return "-"
}

func (a *app) streams() *cli.Command {
	return &cli.Command{
		Name: "streams", Usage: "what streams a camera offers by ONVIF, and which to take", OnUsageError: usageError,
		Flags: []cli.Flag{outputFlag(),
			&cli.StringFlag{Name: "user", Usage: "the camera's `USER`"},
			&cli.StringFlag{Name: "password", Usage: "the camera's `PASSWORD`", Sources: cli.EnvVars("WEBOSTRUM_CAMERA_PASSWORD")},
			&cli.BoolFlag{Name: "password-stdin", Usage: "read the camera's password from standard input"},
			&cli.StringFlag{Name: "fingerprint", Usage: "`SHA-256` of the camera's certificate to trust, for https"},
			&cli.StringFlag{Name: "add", Usage: "add a feed of this `NAME` with the best stream, or the one of --stream"},
			&cli.StringFlag{Name: "stream", Usage: "`NAME` of the stream to add"},
			&cli.StringFlag{Name: "stream-user", Usage: "`USER` of the stream, where it is another than the camera's"},
			&cli.StringFlag{Name: "stream-password", Usage: "`PASSWORD` of the stream, likewise", Sources: cli.EnvVars("WEBOSTRUM_STREAM_PASSWORD")},
		},
		Arguments: []cli.Argument{&cli.StringArg{Name: "camera", UsageText: "HOST|ADDRESS"}},
		Action:    a.runStreams,
	}
}

func (a *app) runStreams(ctx context.Context, c *cli.Command) error {
	camera := c.StringArg("camera")
	if camera == "" || c.Args().Present() {
		return usagef("which camera? webostrum streams 192.0.2.7 --user USER --password-stdin")
	}
	secret, err := password(c)
	if err != nil {
		return err
	}
	cl, err := a.service(c)
	if err != nil {
		return err
	}
	var s apitypes.OfferedStreams
	err = a.wait("Asking the camera", func() error {
		s, err = cl.OfferedStreams(ctx, apitypes.DeviceSignIn{Address: camera, User: c.String("user"), Password: secret, Fingerprint: c.String("fingerprint")})
		return err
	})
	if err != nil {
		return err
	}
	if c.String("add") != "" {
		return a.addOffered(ctx, c, cl, s, secret)
	}
	return a.show(c, s, func(w io.Writer) { streamsTable(w, s) })
}

// addOffered adds a feed of one of the streams.
func (a *app) addOffered(ctx context.Context, c *cli.Command, cl *client.Client, s apitypes.OfferedStreams, secret string) error {
	stream, err := pickStream(s, c.String("stream"))
	if err != nil {
		return err
	}
	in := apitypes.NewFeed{Name: c.String("add"), FeedSettings: apitypes.Defaults(stream.URL)}
	in.Camera.User, in.Camera.Password, in.Camera.Device, in.Camera.DeviceProfile, in.Camera.DeviceID = c.String("user"), secret, s.Device, stream.Token, s.ID
	if c.String("stream-user") != "" {
		in.Camera.DeviceUser, in.Camera.DevicePassword = in.Camera.User, in.Camera.Password
		in.Camera.User, in.Camera.Password = c.String("stream-user"), c.String("stream-password")
	}
	f, err := cl.AddFeed(ctx, in)
	if err != nil {
		return err
	}
	return a.show(c, f, func(w io.Writer) {
		fmt.Fprintf(w, "%s shows %s (%s, %s). Watch it at %s/watch/%s\n", f.Name, stream.Name, stream.Codec, size(stream.Width, stream.Height), cl.Base(), f.Name)
	})
}

// pickStream is the stream of a name, or the best.
func pickStream(s apitypes.OfferedStreams, name string) (apitypes.OfferedStream, error) {
	for _, o := range s.Streams {
		if name == "" && !o.Best || name != "" && o.Name != name {
			continue
		}
		if !o.Possible {
			return o, fmt.Errorf("the stream %q cannot be taken: %s", o.Name, o.Means)
		}
		if o.URL == "" {
			return o, fmt.Errorf("the camera does not say where its stream %q is: find its address in the camera's manual, and add it with \"webostrum feed add\"", o.Name)
		}
		return o, nil
	}
	if name != "" {
		return apitypes.OfferedStream{}, fmt.Errorf("the camera has no stream %q: \"webostrum streams\" without --add lists them", name)
	}
	return apitypes.OfferedStream{}, fmt.Errorf("none of the camera's streams can be taken: \"webostrum streams\" without --add says why")
}

func streamsTable(w io.Writer, s apitypes.OfferedStreams) {
	fmt.Fprintf(w, "%s, firmware %s, serial %s\n\n", firstOf(strings.TrimSpace(s.Maker+" "+s.Model), "A camera that does not say what it is"), firstOf(s.Firmware, "-"), firstOf(s.Serial, "-"))
	row(w, "STREAM", "TOKEN", "CODEC", "SIZE", "RATE", "AT MOST", "KEYFRAMES", "AUDIO", "", "ADDRESS")
	for _, o := range s.Streams {
		mark := ""
		switch {
		case o.Best:
			mark = "best to watch"
		case o.Lightest:
			mark = "lightest"
		}
		keys := "-"
		if o.KeyframeEvery > 0 {
			keys = fmt.Sprintf("every %.1f s", o.KeyframeEvery)
		}
		row(w, o.Name, o.Token, strings.TrimSpace(plan.Name(media.Codec(o.Codec))+" "+o.Profile), size(o.Width, o.Height), rate(o.FrameRate), bits(o.BitRate), keys, firstOf(o.Audio, "-"), mark, firstOf(o.URL, "-"))
	}
	fmt.Fprintln(w)
	for _, o := range s.Streams {
		fmt.Fprintf(w, "%s: %s\n", o.Name, o.Means)
	}
	for _, n := range s.Notes {
		fmt.Fprintln(w, n)
	}
}
