package main

import (
	"context"
	"fmt"
	"io"
	"math"
	"os"
	"regexp"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/ingest/inspect"
	"webostrum/ingest/source"
	"webostrum/wait"
)

func (a *app) inspect() *cli.Command {
	return &cli.Command{
		Name: "inspect", Usage: "look into a camera, or into what comes in of a feed: what is inside, or why not", OnUsageError: usageError,
		Flags: append(flags(cameraSettings(), true), outputFlag(),
			&cli.FloatFlag{Name: "seconds", Usage: "how long to read", Value: 4},
			&cli.BoolFlag{Name: "try-paths", Usage: "where the camera has nothing under the address's path, try a short list of usual ones"},
			&cli.BoolFlag{Name: "transports", Usage: "try the other RTSP transport, too"},
			&cli.StringFlag{Name: "save", Usage: "keep the elementary stream in a `FILE` for a report, up to 16 MiB; it holds no credentials"},
			&cli.StringFlag{Name: "picture", Usage: "keep a frame in a `FILE`, as JPEG"},
			&cli.BoolFlag{Name: "watch", Usage: "go on, and print what changes, until Ctrl-C"},
			&cli.BoolFlag{Name: "here", Usage: "look from this machine and not from the service's"},
		),
		Arguments: []cli.Argument{&cli.StringArg{Name: "url", UsageText: "URL|FEED"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			if c.StringArg("url") == "" || c.Args().Present() {
				return usagef("which camera? webostrum inspect rtsp://192.0.2.7/main, or the name of a feed")
			}
			secret, err := password(c)
			if err != nil {
				return err
			}
			in := apitypes.Inspection{
				URL: c.StringArg("url"), User: c.String("user"), Password: secret, Transport: c.String("transport"),
				Fetch: c.String("fetch"), Fingerprint: c.String("fingerprint"), Seconds: c.Float("seconds"),
				TryPaths: c.Bool("try-paths"), Transports: c.Bool("transports"), Stream: c.String("save") != "",
			}
			if feedLike.MatchString(in.URL) {
				in.URL, in.Feed = "", in.URL
			}
			if c.Bool("watch") {
				return a.watchCamera(ctx, c, in)
			}
			var report *apitypes.Report
			err = a.wait("Looking into the camera", func() error {
				report, err = a.look(ctx, c, in)
				return err
			})
			if err != nil {
				return err
			}
			if err := a.keepReport(c, report); err != nil {
				return err
			}
			return a.show(c, report, func(w io.Writer) { reportTable(w, report) })
		},
	}
}

// feedLike is what a feed's name looks like, and no address does.
var feedLike = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// look asks the service, whose view of the network is what counts; without one
// it looks from here.
func (a *app) look(ctx context.Context, c *cli.Command, in apitypes.Inspection) (*apitypes.Report, error) {
	if !c.Bool("here") {
		cl, err := a.service(c)
		if err == nil {
			report, err := cl.Inspect(ctx, in)
			if !isUnreachable(err) {
				return report, err
			}
		}
	}
	if in.Feed != "" {
		return nil, usagef("%q is the name of a feed, and no service answers that could have it; an address begins like rtsp://", in.Feed)
	}
	transport, err := source.ParseTransport(in.Transport)
	if err != nil {
		return nil, usagef("%w", err)
	}
	fetch, err := source.ParseFetch(in.Fetch)
	if err != nil {
		return nil, usagef("%w", err)
	}
	if _, _, _, err := source.ParseURL(in.URL); err != nil {
		return nil, usagef("%w", err)
	}
	run := inspect.Run
	if in.TryPaths {
		run = inspect.RunTrying
	}
	result, err := run(ctx, inspect.Config{
		URL: in.URL, User: in.User, Password: in.Password, Transport: transport, Fetch: fetch, Fingerprint: in.Fingerprint,
		For: time.Duration(in.Seconds * float64(time.Second)), Both: in.Transports, Save: in.Stream,
	})
	if err != nil {
		return nil, err
	}
	result.Report.Stream = result.Stream
	return &result.Report, nil
}

// keepReport writes the files that were asked for; the report goes on without what is in
// them.
func (a *app) keepReport(c *cli.Command, r *apitypes.Report) error {
	for _, x := range []struct {
		flag string
		data *[]byte
	}{{"save", &r.Stream}, {"picture", &r.Picture}} {
		path := c.String(x.flag)
		if path == "" {
			continue
		}
		if len(*x.data) == 0 {
			return fmt.Errorf("there is nothing to keep in %s: no frame could be had", path)
		}
		if err := os.WriteFile(path, *x.data, 0o644); err != nil {
			return err
		}
		fmt.Fprintf(a.err, "%s: %d bytes\n", path, len(*x.data))
		*x.data = nil
	}
	return nil
}

// watchCamera looks into a camera again and again, and prints what is new.
func (a *app) watchCamera(ctx context.Context, c *cli.Command, in apitypes.Inspection) error {
	const pause = time.Second
	said := ""
	for {
		report, err := a.look(ctx, c, in)
		if ctx.Err() != nil {
			return nil
		}
		text := ""
		if err != nil {
			text = err.Error()
		} else {
			text = watchText(report)
		}
		if text != said {
			fmt.Fprintln(a.out, time.Now().Format("15:04:05"), "", text)
			said = text
		}
		if !wait.For(ctx, pause) {
			return nil
		}
	}
}

// watchText is what of a report is worth saying when it changes.
func watchText(r *apitypes.Report) string {
	const step = 250_000
	keys := "fewer than two keyframes"
	if r.KeyframeEvery > 0 {
		keys = fmt.Sprintf("a keyframe every %.0f s", r.KeyframeEvery)
	}
	return fmt.Sprintf("%s over %s, %s at %.0f fps, some %s, %s. %s", plan.Name(media.Codec(r.Codec)), r.Transport, size(r.Width, r.Height), r.FrameRate,
		bits(math.Ceil(r.BitRate/step)*step), keys, r.Verdict)
}

func reportTable(w io.Writer, r *apitypes.Report) {
	if r.URL != "" { // a feed that somebody sends to has none
		row(w, "address", r.URL)
	}
	row(w, "transport", r.Transport)
	if r.Server != "" {
		row(w, "server", r.Server)
	}
	for _, t := range r.Tracks {
		use := "not used"
		if t.Used {
			use = "used"
		}
		row(w, "track", fmt.Sprintf("%s %s/%d, %s", t.Kind, firstOf(t.Codec, "?"), t.ClockRate, use))
	}
	if r.Codec != string(media.JPEG) {
		row(w, "video", fmt.Sprintf("%s, %s profile, level %s", r.Codec, r.Profile, r.Level))
	} else {
		row(w, "video", fmt.Sprintf("%s, %s", r.Codec, r.Sampling))
	}
	row(w, "size", size(r.Width, r.Height))
	row(w, "frame rate", rate(r.FrameRate))
	row(w, "bit rate", bits(r.BitRate))
	if r.Codec != string(media.JPEG) {
		row(w, "keyframe interval", seconds(r.KeyframeEvery))
		row(w, "B-frames", yesNo(r.BFrames))
		row(w, "slices a picture", r.Slices)
		if r.From != "" {
			row(w, "sent from", r.From)
		}
		row(w, "loss", fmt.Sprintf("%d of %d packets", r.Lost, r.Packets+r.Lost))
	} else {
		row(w, "left out", fmt.Sprintf("%d pictures that were not whole", r.Dropped))
	}
	if h := r.Audio; h != nil {
		row(w, "audio", fmt.Sprintf("%s, %g kHz, %s, %s, %s read, %d packets lost", plan.Name(media.Codec(h.Codec)), float64(h.ClockRate)/1000, plan.Channels(h.Channels), bits(h.BitRate), seconds(h.Seconds), h.Lost))
	}
	row(w, "first frame", delayText(r.FirstFrame)+" after it was asked for")
	row(w, "fullest second", bits(r.Peak))
	row(w, "largest frame", fmt.Sprintf("%.1f kB", float64(r.LargestFrame)/1000))
	row(w, "jitter of frames", fmt.Sprintf("%.0f ms", 1000*r.Jitter))
	if r.MostKeyframe > 0 {
		row(w, "keyframes", fmt.Sprintf("%.1f to %.1f s apart; parameter sets come again with each: %s", r.LeastKeyframe, r.MostKeyframe, yesNo(r.RepeatsSets)))
	}
	if r.Drift != 0 {
		row(w, "clock", fmt.Sprintf("%+.0f parts in a million against ours", r.Drift))
	}
	for _, t := range r.Transports {
		row(w, "transport "+t.Transport, firstOf(t.Why, "works"))
	}
	for _, b := range r.Browsers {
		row(w, b.Engine, "as it is: "+firstOf(deliveryNames(b.AsIs), "nothing")+"; transcoded: "+firstOf(deliveryNames(b.Made), "nothing"))
	}
	row(w, "capture time", map[bool]string{true: "from the camera", false: "from arrival"}[r.Reports])
	row(w, "read for", seconds(r.Seconds))
	for _, n := range r.Notes {
		row(w, "note", n)
	}
	fmt.Fprintf(w, "\n%s\n", r.Verdict)
}

func deliveryNames(list []string) string {
	var names []string
	for _, d := range list {
		names = append(names, deliveryName(d))
	}
	return strings.Join(names, ", ")
}

func seconds(v float64) string {
	if v <= 0 {
		return "-"
	}
	return fmt.Sprintf("%.2f s", v)
}
