package main

import (
	"context"
	"fmt"
	"io"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/ingest/inspect"
	"webostrum/ingest/source"
)

func (a *app) inspect() *cli.Command {
	return &cli.Command{
		Name: "inspect", Usage: "look into a camera: what is inside, or why not", OnUsageError: usageError,
		Flags: append(flags(cameraSettings(), true), outputFlag(),
			&cli.FloatFlag{Name: "seconds", Usage: "how long to read", Value: 4},
			&cli.BoolFlag{Name: "here", Usage: "look from this machine and not from the service's"},
		),
		Arguments: []cli.Argument{&cli.StringArg{Name: "url", UsageText: "URL"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			if c.StringArg("url") == "" || c.Args().Present() {
				return usagef("which camera? webostrum inspect rtsp://192.0.2.7/main")
			}
			secret, err := password(c)
			if err != nil {
				return err
			}
			in := apitypes.Inspection{
				URL: c.StringArg("url"), User: c.String("user"), Password: secret, Transport: c.String("transport"),
				Fetch: c.String("fetch"), Fingerprint: c.String("fingerprint"), Seconds: c.Float("seconds"),
			}
			var report *apitypes.Report
			err = a.wait("Looking into the camera", func() error {
				report, err = a.look(ctx, c, in)
				return err
			})
			if err != nil {
				return err
			}
			return a.show(c, report, func(w io.Writer) { reportTable(w, report) })
		},
	}
}

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
	result, err := inspect.Run(ctx, inspect.Config{
		URL: in.URL, User: in.User, Password: in.Password, Transport: transport, Fetch: fetch, Fingerprint: in.Fingerprint,
		For: time.Duration(in.Seconds * float64(time.Second)),
	})
	if err != nil {
		return nil, err
	}
	return &result.Report, nil
}

func reportTable(w io.Writer, r *apitypes.Report) {
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
		row(w, "loss", fmt.Sprintf("%d of %d packets", r.Lost, r.Packets+r.Lost))
	} else {
		row(w, "left out", fmt.Sprintf("%d pictures that were not whole", r.Dropped))
	}
	if h := r.Audio; h != nil {
		row(w, "audio", fmt.Sprintf("%s, %g kHz, %s, %s, %s read, %d packets lost", plan.Name(media.Codec(h.Codec)), float64(h.ClockRate)/1000, plan.Channels(h.Channels), bits(h.BitRate), seconds(h.Seconds), h.Lost))
	}
	row(w, "capture time", map[bool]string{true: "from the camera", false: "from arrival"}[r.Reports])
	row(w, "read for", seconds(r.Seconds))
	for _, n := range r.Notes {
		row(w, "note", n)
	}
}

func seconds(v float64) string {
	if v <= 0 {
		return "-"
	}
	return fmt.Sprintf("%.2f s", v)
}
