package main

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/urfave/cli/v3"

	"webostrum/api"
	"webostrum/client"
	"webostrum/core/plan"
)

func (a *app) feed() *cli.Command {
	return &cli.Command{
		Name: "feed", Usage: "feeds: add, list, show, edit, remove, start, stop, still", OnUsageError: usageError,
		Commands: []*cli.Command{
			a.feedAdd(), a.feedList(), a.feedShow(), a.feedEdit(), a.feedRemove(),
			a.feedSwitch("start", "switch a feed on, or have it try again at once", (*client.Client).StartFeed),
			a.feedSwitch("stop", "switch a feed off", (*client.Client).StopFeed),
			a.feedStill(),
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

func cameraFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "user", Usage: "the camera's `USER`"},
		&cli.StringFlag{Name: "password", Usage: "the camera's `PASSWORD`", Sources: cli.EnvVars("WEBOSTRUM_CAMERA_PASSWORD")},
		&cli.BoolFlag{Name: "password-stdin", Usage: "read the camera's password from standard input"},
		&cli.StringFlag{Name: "transport", Usage: "RTSP: auto, tcp or udp"},
		&cli.StringFlag{Name: "fetch", Usage: "HTTP: auto, stream (one endless answer) or poll (one picture an answer)"},
		&cli.StringFlag{Name: "fingerprint", Usage: "`SHA-256` of the camera's certificate to trust, for rtsps and https"},
	}
}

func feedFlags() []cli.Flag {
	return append(cameraFlags(),
		&cli.StringFlag{Name: "title", Usage: "`NAME` for people"},
		&cli.FloatFlag{Name: "segment", Usage: "wanted `SECONDS` of an HLS segment"},
		&cli.IntFlag{Name: "playlist-length", Usage: "segments in the HLS list"},
		&cli.FloatFlag{Name: "poll", Usage: "HTTP: `SECONDS` from one polled picture to the next, 0.1 to 3600"},
		&cli.StringFlag{Name: "audio", Usage: "automatic, on (transcoded all the time, where it has to be) or off"},
		&cli.StringFlag{Name: "audio-hls", Usage: "the same for HLS alone, or as-feed"},
		&cli.StringFlag{Name: "audio-webrtc", Usage: "the same for WebRTC alone, or as-feed"},
		&cli.BoolFlag{Name: "public", Usage: "everybody may watch; --public=false takes it back"},
		outputFlag(),
	)
}

// password returns the password that was given in whatever way.
func password(c *cli.Command) (string, error) {
	if !c.Bool("password-stdin") {
		return c.String("password"), nil
	}
	line, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if err != nil && err != io.EOF {
		return "", err
	}
	return strings.TrimRight(line, "\r\n"), nil
}

func (a *app) feedAdd() *cli.Command {
	return &cli.Command{
		Name: "add", Usage: "add a feed: feed add NAME URL", OnUsageError: usageError,
		Flags:     append(feedFlags(), &cli.BoolFlag{Name: "off", Usage: "do not switch it on yet"}),
		Arguments: append(nameArg(), &cli.StringArg{Name: "url", UsageText: "URL"}),
		Action: func(ctx context.Context, c *cli.Command) error {
			if c.StringArg("name") == "" || c.StringArg("url") == "" {
				return usagef("a feed needs a name and a URL: webostrum feed add lower-station rtsp://192.0.2.7/main")
			}
			if c.Args().Present() {
				return usagef("%q is one thing too many; flags come before the name", c.Args().First())
			}
			secret, err := password(c)
			if err != nil {
				return err
			}
			cl, err := a.service(c)
			if err != nil {
				return err
			}
			on := !c.Bool("off")
			in := api.NewFeed{
				Name: c.StringArg("name"), URL: c.StringArg("url"), Title: c.String("title"), User: c.String("user"), Password: secret,
				Transport: c.String("transport"), Fetch: c.String("fetch"), Fingerprint: c.String("fingerprint"), Public: c.Bool("public"), Enabled: &on,
				PollSeconds: given(c, "poll", c.Float("poll")),
				Audio:       c.String("audio"), AudioHLS: c.String("audio-hls"), AudioWebRTC: c.String("audio-webrtc"),
			}
			in.SegmentSeconds, in.PlaylistLength = given(c, "segment", c.Float("segment")), given(c, "playlist-length", c.Int("playlist-length"))
			f, err := cl.AddFeed(ctx, in)
			if err != nil {
				return err
			}
			return a.showFeed(c, cl, f)
		},
	}
}

// given returns the value of a flag that was set, else nil.
func given[T any](c *cli.Command, flag string, value T) *T {
	if !c.IsSet(flag) {
		return nil
	}
	return &value
}

func (a *app) feedEdit() *cli.Command {
	return &cli.Command{
		Name: "edit", Usage: "change a feed; what is not given stays", OnUsageError: usageError,
		Arguments: nameArg(),
		Flags: append(feedFlags(), &cli.StringFlag{Name: "url", Usage: "the camera's `URL`"},
			&cli.StringFlag{Name: "picture-size", Usage: "`SIZE` of Motion JPEG and stills that go out, such as 640x; empty for the camera's"},
			&cli.FloatFlag{Name: "picture-rate", Usage: "frames a second of Motion JPEG at most; 0 for all"},
			&cli.IntFlag{Name: "picture-quality", Usage: "JPEG quality of what is transcoded, 1 to 100; 0 for the usual"}),
		Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
			change := api.FeedChange{
				Title: given(c, "title", c.String("title")), URL: given(c, "url", c.String("url")),
				User: given(c, "user", c.String("user")), Password: given(c, "password", c.String("password")),
				Transport: given(c, "transport", c.String("transport")), Fingerprint: given(c, "fingerprint", c.String("fingerprint")),
				SegmentSeconds: given(c, "segment", c.Float("segment")), PlaylistLength: given(c, "playlist-length", c.Int("playlist-length")),
				Public: given(c, "public", c.Bool("public")), Fetch: given(c, "fetch", c.String("fetch")), PollSeconds: given(c, "poll", c.Float("poll")),
				PictureSize: given(c, "picture-size", c.String("picture-size")), PictureRate: given(c, "picture-rate", c.Float("picture-rate")),
				PictureQuality: given(c, "picture-quality", c.Int("picture-quality")),
				Audio:          given(c, "audio", c.String("audio")), AudioHLS: given(c, "audio-hls", c.String("audio-hls")),
				AudioWebRTC: given(c, "audio-webrtc", c.String("audio-webrtc")),
			}
			if c.Bool("password-stdin") {
				secret, err := password(c)
				if err != nil {
					return err
				}
				change.Password = &secret
			}
			if change == (api.FeedChange{}) {
				return usagef("nothing to change; \"webostrum feed edit --help\" lists what can be")
			}
			f, err := cl.EditFeed(ctx, name, change)
			if err != nil {
				return err
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

func (a *app) feedList() *cli.Command {
	return &cli.Command{
		Name: "list", Usage: "all feeds with their state", Flags: []cli.Flag{outputFlag()}, OnUsageError: usageError,
		Action: func(ctx context.Context, c *cli.Command) error {
			cl, err := a.service(c)
			if err != nil {
				return err
			}
			feeds, err := cl.Feeds(ctx)
			if err != nil {
				return err
			}
			if len(feeds) == 0 && c.String("output") == "table" {
				fmt.Fprintln(a.out, "No feeds yet. Look into a camera with \"webostrum inspect URL\", then add it with \"webostrum feed add NAME URL\".")
				return nil
			}
			return a.show(c, feeds, func(w io.Writer) {
				row(w, "FEED", "STATE", "FOR", "SIZE", "RATE", "INCOMING", "VIEWERS", "REASON")
				for _, f := range feeds {
					row(w, f.Name, f.State, ago(f.Since), size(f.Width, f.Height), rate(f.FrameRate), bits(f.BitRate), f.Viewers, f.Reason)
				}
			})
		},
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

func (a *app) showFeed(c *cli.Command, cl *client.Client, f api.Feed) error {
	return a.show(c, f, func(w io.Writer) {
		row(w, "feed", f.Name)
		row(w, "title", f.Title)
		row(w, "camera", f.URL)
		row(w, "credentials", map[bool]string{true: "kept, sealed", false: "none"}[f.Credentials])
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
			row(w, "audio", audio(h))
			row(w, "", h.HLS.Why)
			row(w, "", h.WebRTC.Why)
			if h.Running && h.Processor > 0 {
				row(w, "", fmt.Sprintf("Transcoding it takes %s of a core and %d MiB.", share(h.Processor), h.Memory>>20))
			}
		}
		for _, r := range f.Renditions {
			text := fmt.Sprintf("%s: %s %s", r.Name, r.Codec, size(r.MadeWidth, r.MadeHeight))
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
		row(w, "HLS", fmt.Sprintf("segments of %g s wanted, %g s made, list of %d", f.SegmentSeconds, f.Target, f.PlaylistLength))
		row(w, "who may watch", map[bool]string{true: "everybody", false: "signed-in people"}[f.Public])
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
func audio(h api.AudioStatus) string {
	if h.Codec == "" {
		return "none that can be used"
	}
	return fmt.Sprintf("%s, %g kHz, %s, %d packets lost", h.Codec, float64(h.ClockRate)/1000, plan.Channels(h.Channels), h.Lost)
}

// session says how a camera's pictures come.
func session(f api.Feed) string {
	s := f.Session
	if s.Codec == "H264" {
		return fmt.Sprintf("H264 %s %s over %s, %d of %d packets lost", s.Profile, s.Level, s.Transport, s.Lost, s.Packets+s.Lost)
	}
	text := fmt.Sprintf("%s %s by %s, %d left out", s.Codec, s.Sampling, s.Transport, s.Dropped)
	if s.Transport == "poll" {
		text += fmt.Sprintf(", every %g s, %d times unchanged", f.PollSeconds, s.Unchanged)
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

func (a *app) feedSwitch(verb, usage string, do func(*client.Client, context.Context, string) (api.Feed, error)) *cli.Command {
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
