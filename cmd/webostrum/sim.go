package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"strconv"
	"strings"
	"sync"

	"github.com/urfave/cli/v3"

	"webostrum/core/media"
	"webostrum/sim"
)

func (a *app) workerFlag() cli.Flag {
	return &cli.StringFlag{Name: "codecs", Usage: "`PATH` of the codec worker; found beside this program or in PATH when left out", Sources: a.from("codecs")}
}

func (a *app) controlFlag() cli.Flag {
	return &cli.StringFlag{Name: "control", Usage: "`ADDRESS` of the cameras' control", Value: "127.0.0.1:7690", Sources: a.from("control")}
}

func (a *app) sim() *cli.Command {
	d := sim.Defaults()
	return &cli.Command{
		Name: "sim", Usage: "play a simulated camera", OnUsageError: usageError,
		Flags: []cli.Flag{
			a.workerFlag(), a.controlFlag(),
			&cli.StringFlag{Name: "name", Usage: "`NAME` of the camera, also its path", Value: "lower-station"},
			&cli.StringFlag{Name: "kind", Usage: "how it sends: " + strings.Join(sim.Kinds(), ", "), Value: string(sim.RTSP)},
			&cli.StringFlag{Name: "codec", Usage: "what it sends over RTSP: h264, h265 (a film of 640x360, whatever the other settings) or jpeg", Value: "h264"},
			&cli.StringFlag{Name: "to", Usage: "where a camera of the kind push-… sends to, such as rtmp://127.0.0.1:1935/summit-360/KEY"},
			&cli.StringFlag{Name: "listen", Usage: "`ADDRESS` for RTSP or HTTP", Value: "127.0.0.1:7664"},
			&cli.StringFlag{Name: "user", Usage: "`USER` that may watch; empty for no sign-in", Value: "viewer"},
			&cli.StringFlag{Name: "password", Usage: "the user's `PASSWORD`", Value: demoPassword},
			&cli.StringFlag{Name: "digest", Usage: "`ALGORITHM` of the sign-in: MD5 or SHA-256", Value: "MD5"},
			&cli.BoolFlag{Name: "basic", Usage: "the sign-in is Basic and not Digest; HTTP only"},
			&cli.BoolFlag{Name: "no-tcp", Usage: "offer RTP over UDP only"},
			&cli.StringFlag{Name: "size", Usage: "`WIDTHxHEIGHT` of the picture", Value: fmt.Sprintf("%dx%d", d.Width, d.Height)},
			&cli.FloatFlag{Name: "rate", Usage: "frames a second", Value: d.FrameRate},
			&cli.IntFlag{Name: "bit-rate", Usage: "bits a second", Value: d.BitRate},
			&cli.DurationFlag{Name: "keyframes", Usage: "time from one keyframe to the next", Value: d.KeyEvery},
			&cli.StringFlag{Name: "audio", Usage: "`CODING` of the audio, RTSP only: none, aac, aac-8khz, aac-44khz, g711-mu, g711-a, opus or pcm16", Value: string(sim.NoAudio)},
			&cli.FloatFlag{Name: "audio-drift", Usage: "by how much the audio's clock runs fast, such as 0.0002"},
			&cli.BoolFlag{Name: "no-reports", Usage: "send no sender reports"},
			&cli.IntFlag{Name: "quality", Usage: "of JPEG, 1 to 100", Value: d.Quality},
		},
		Action:   a.runSim,
		Commands: []*cli.Command{a.simTell()},
	}
}

func parseSize(text string) (w, h int, err error) {
	a, b, ok := strings.Cut(text, "x")
	if w, err = strconv.Atoi(a); err == nil && ok {
		h, err = strconv.Atoi(b)
	}
	if err != nil || !ok {
		return 0, 0, usagef("size %q: write it like 1280x720", text)
	}
	return w, h, nil
}

func (a *app) runSim(ctx context.Context, c *cli.Command) error {
	if c.Args().Present() {
		return usagef("%q is no command of sim; \"webostrum sim --help\" lists what there is", c.Args().First())
	}
	w, h, err := parseSize(c.String("size"))
	if err != nil {
		return err
	}
	camera, err := sim.New(sim.Config{
		Name: c.String("name"), Kind: sim.Kind(c.String("kind")), Codec: media.Codec(strings.ToUpper(c.String("codec"))), Basic: c.Bool("basic"), Listen: c.String("listen"), To: c.String("to"), User: c.String("user"), Password: c.String("password"),
		Algorithm: c.String("digest"), NoTCP: c.Bool("no-tcp"), NoReports: c.Bool("no-reports"),
		Audio: sim.Audio(c.String("audio")), AudioDrift: c.Float("audio-drift"), Worker: c.String("codecs"),
		Settings: sim.Settings{Width: w, Height: h, FrameRate: c.Float("rate"), BitRate: c.Int("bit-rate"), KeyEvery: c.Duration("keyframes"), Quality: c.Int("quality")},
	})
	var port *net.OpError
	if errors.As(err, &port) {
		return fmt.Errorf("%w; choose another with --listen", err)
	}
	if err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(ctx)
	var announcing sync.WaitGroup
	defer announcing.Wait()
	defer cancel()
	announcing.Go(func() {
		select {
		case <-camera.Ready():
			fmt.Fprintf(a.out, "%s is on the air at %s, for %s. Its control is at %s. Ctrl-C ends it.\n",
				camera.Name(), camera.URL(), firstOf(c.String("user"), "everybody"), c.String("control"))
		case <-ctx.Done():
		}
	})
	return sim.Play(ctx, c.String("control"), camera)
}
