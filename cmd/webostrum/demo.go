package main

import (
	"context"
	"crypto/rand"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/service"
	"webostrum/sim"
)

// Credentials of the simulated cameras, which only this machine reaches.
const (
	demoUser     = "viewer"
	demoPassword = "funicular"
)

func (a *app) demo() *cli.Command {
	return &cli.Command{
		Name: "demo", Usage: "run the service with the simulated cameras of the Morrow Crag Funicular", OnUsageError: usageError,
		Flags: []cli.Flag{
			a.listenFlag("127.0.0.1:7600"), a.webRTCFlag("127.0.0.1:7601"), a.rtspFlag("127.0.0.1:7654"), a.rtmpFlag("127.0.0.1:1935"), a.logFlag(), a.workerFlag(), a.searchFlag("lo"),
			&cli.StringFlag{Name: "camera-listen", Usage: "`ADDRESS` of the first simulated camera; the others take the ports after it", Value: "127.0.0.1:7664", Sources: a.from("camera-listen")},
			&cli.StringFlag{Name: "stream-listen", Usage: "`ADDRESS` that the transport stream of the valley car comes to", Value: "127.0.0.1:7680", Sources: a.from("stream-listen")},
			&cli.StringFlag{Name: "control", Usage: "`ADDRESS` of the cameras' control", Value: "127.0.0.1:7690", Sources: a.from("control")},
		},
		Action: a.runDemo,
	}
}

// demoCameras makes the cameras; each listens on the port after the one before.
func demoCameras(configs []sim.Config, listen, worker string) ([]*sim.Camera, error) {
	host, portText, err := net.SplitHostPort(listen)
	port, portErr := strconv.Atoi(portText)
	if err != nil || portErr != nil {
		return nil, usagef("camera address %q: write it like 127.0.0.1:7664", listen)
	}
	var cameras []*sim.Camera
	for _, cfg := range configs {
		cfg.User, cfg.Password, cfg.Worker = demoUser, demoPassword, worker
		cfg.Listen = net.JoinHostPort(host, "0")
		if port > 0 {
			cfg.Listen = net.JoinHostPort(host, strconv.Itoa(port))
		}
		c, err := sim.New(cfg)
		if err != nil {
			return nil, fmt.Errorf("%w; choose another with --camera-listen", err)
		}
		if port > 0 && !c.Sends() {
			port++
		}
		cameras = append(cameras, c)
	}
	return cameras, nil
}

func (a *app) runDemo(ctx context.Context, c *cli.Command) error {
	log, err := a.logger(c)
	if err != nil {
		return err
	}
	feeds := demoFeeds("udp://" + c.String("stream-listen"))
	var configs []sim.Config
	for _, d := range feeds {
		configs = append(configs, d.camera)
	}
	cameras, err := demoCameras(append(configs, loopCameras()...), c.String("camera-listen"), c.String("codecs"))
	if err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	var parts sync.WaitGroup
	defer parts.Wait()
	defer cancel()
	failed := make(chan error, 1)
	parts.Go(func() {
		if err := sim.Play(ctx, c.String("control"), cameras...); err != nil {
			failed <- err
			cancel()
		}
	})
	loop, err := passingLoop(cameras, !strings.HasSuffix(c.String("camera-listen"), ":0"))
	if err != nil {
		return err
	}
	parts.Go(func() {
		if err := loop.Run(ctx); err != nil {
			failed <- err
			cancel()
		}
	})
	key := strings.ToLower(rand.Text())
	data := ".demo" // not the folder of a service that is meant
	if c.IsSet("data") {
		data = c.String("data")
	}
	cfg := service.Config{Recordings: service.Recordings{Free: demoSpare}, Data: data, Listen: c.String("listen"), Codecs: c.String("codecs"), EnterKey: key, Log: log, WebRTC: c.String("webrtc-listen"), RTSP: c.String("rtsp-listen"), RTMP: c.String("rtmp-listen"), SearchOn: c.StringSlice("search-on")}
	err = service.Run(ctx, cfg, func(s service.Started) {
		for i, d := range feeds {
			if err := d.add(ctx, data, cameras[i]); err != nil {
				log.Error("a feed of the demo could not be added", "feed", d.camera.Name, "error", err)
			}
		}
		if err := addLine(ctx, data); err != nil {
			log.Error("the feed that takes turns could not be added", "error", err)
		}
		parts.Go(func() { spareUnwatched(ctx, data, cameras[:len(feeds)]) })
		parts.Go(func() {
			if err := demoFilm(ctx, data, time.Now()); err != nil && ctx.Err() == nil {
				log.Error("the day's film could not be made", "error", err)
			}
		})
		a.showDemo(s, key, data, c.String("control"))
	})
	select {
	case first := <-failed:
		return first
	default:
		return err
	}
}

func (a *app) showDemo(s service.Started, key, data, control string) {
	here, _ := os.Getwd()
	if rel, err := filepath.Rel(here, data); err == nil {
		data = rel
	}
	fmt.Fprintf(a.out, `
The Morrow Crag Funicular is on the air. Open this address; it signs you in:

    %s/enter/%s

Watch pages  %s/watch/lower-station
             %s/watch/winch-room
             %s/watch/summit-mast
             %s/watch/upper-station
             %s/watch/summit-360      it sends by RTMP
             %s/watch/valley-car      it sends a transport stream
             %s/watch/visitor-phone   it sends by WebRTC
Commands     bin/webostrum --data %s feed list
Search       bin/webostrum --data %s discover
Misbehave    bin/webostrum sim tell --control %s --camera winch-room reboot
End          Ctrl-C

`, s.Address, key, s.Address, s.Address, s.Address, s.Address, s.Address, s.Address, s.Address, data, data, control)
}
