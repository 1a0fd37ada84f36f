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

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
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
			a.listenFlag("127.0.0.1:7600"), a.webRTCFlag("127.0.0.1:7601"), a.logFlag(), a.workerFlag(), a.searchFlag("lo"),
			&cli.StringFlag{Name: "camera-listen", Usage: "`ADDRESS` of the first simulated camera; the others take the ports after it", Value: "127.0.0.1:7654", Sources: a.from("camera-listen")},
			&cli.StringFlag{Name: "control", Usage: "`ADDRESS` of the cameras' control", Value: "127.0.0.1:7690", Sources: a.from("control")},
		},
		Action: a.runDemo,
	}
}

// demoFeed is a camera of the demo and the feed that is made of it.
type demoFeed struct {
	camera  sim.Config
	feed    apitypes.FeedSettings
	request *apitypes.CameraRequest
}

// demoFeeds are the cameras of the Morrow Crag Funicular.
func demoFeeds() []demoFeed {
	everyone, signedIn := apitypes.AudienceSettings{Who: "everyone", Accounts: []string{}}, apitypes.AudienceSettings{Who: "signed-in", Accounts: []string{}}
	winch, summit := sim.Defaults(), sim.Defaults()
	winch.Width, winch.Height, winch.FrameRate = 480, 270, 5 // as it leaves the factory
	const everyFourSeconds = 0.25
	summit.FrameRate = everyFourSeconds
	upper := sim.Defaults()
	upper.Width, upper.Height, upper.BitRate = 960, 540, 1_200_000
	return []demoFeed{
		{
			camera: sim.Config{Name: "lower-station", Kind: sim.RTSP, Audio: sim.AAC, Settings: sim.Defaults()},
			feed:   apitypes.FeedSettings{Title: "Lower station", Audience: everyone},
		},
		{
			camera: sim.Config{Name: "winch-room", Kind: sim.MotionJPEG, Settings: winch},
			feed:   apitypes.FeedSettings{Title: "Winch room", Audience: signedIn},
			request: &apitypes.CameraRequest{
				Name: "picture-settings", Method: "GET", Target: "/settings?size=960x540&rate=10", AtConnection: true,
			},
		},
		{
			camera: sim.Config{Name: "summit-mast", Kind: sim.Stills, Settings: summit},
			feed:   apitypes.FeedSettings{Title: "Summit mast", Audience: everyone},
		},
		{
			camera: sim.Config{Name: "upper-station", Kind: sim.RTSP, Audio: sim.PCMU, Settings: upper},
			feed:   apitypes.FeedSettings{Title: "Upper station", Audience: everyone},
		},
	}
}

// demoCameras makes the cameras; each listens on the port after the one before.
func demoCameras(configs []sim.Config, listen, worker string) ([]*sim.Camera, error) {
	host, portText, err := net.SplitHostPort(listen)
	port, portErr := strconv.Atoi(portText)
	if err != nil || portErr != nil {
		return nil, usagef("camera address %q: write it like 127.0.0.1:7654", listen)
	}
	var cameras []*sim.Camera
	for i, cfg := range configs {
		cfg.User, cfg.Password, cfg.Worker = demoUser, demoPassword, worker
		cfg.Listen = net.JoinHostPort(host, "0")
		if port > 0 {
			cfg.Listen = net.JoinHostPort(host, strconv.Itoa(port+i))
		}
		c, err := sim.New(cfg)
		if err != nil {
			return nil, fmt.Errorf("%w; choose another with --camera-listen", err)
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
	feeds := demoFeeds()
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
	cfg := service.Config{Data: data, Listen: c.String("listen"), Codecs: c.String("codecs"), EnterKey: key, Log: log, WebRTC: c.String("webrtc-listen"), SearchOn: c.StringSlice("search-on")}
	err = service.Run(ctx, cfg, func(s service.Started) {
		for i, d := range feeds {
			if err := d.add(ctx, data, cameras[i].URL()); err != nil {
				log.Error("a feed of the demo could not be added", "feed", d.camera.Name, "error", err)
			}
		}
		a.showDemo(s, key, data, c.String("control"))
	})
	select {
	case first := <-failed:
		return first
	default:
		return err
	}
}

// add points the feed at the camera; the demo's records may be there from last
// time.
func (d demoFeed) add(ctx context.Context, data, url string) error {
	local, err := service.ReadLocal(data)
	if err != nil {
		return err
	}
	cl := client.New(local.Address, local.Token)
	name, user, password := d.camera.Name, demoUser, demoPassword
	change := client.Patch{}
	change.Set("camera.url", url)
	change.Set("camera.user", user)
	change.Set("camera.password", password)
	if _, err := cl.EditFeed(ctx, name, change); err == nil {
		return nil
	}
	off := false // the camera is not opened before its request is there
	in := apitypes.NewFeed{Name: name, Enabled: &off, FeedSettings: apitypes.Defaults(url)}
	in.Title, in.Audience, in.Camera.User, in.Camera.Password = d.feed.Title, d.feed.Audience, user, password
	if _, err := cl.AddFeed(ctx, in); err != nil {
		return err
	}
	if d.request != nil {
		if _, err := cl.AddRequest(ctx, name, *d.request); err != nil {
			return err
		}
	}
	_, err = cl.StartFeed(ctx, name)
	return err
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
Commands     bin/webostrum --data %s feed list
Search       bin/webostrum --data %s discover
Misbehave    bin/webostrum sim tell --control %s --camera winch-room reboot
End          Ctrl-C

`, s.Address, key, s.Address, s.Address, s.Address, s.Address, data, data, control)
}
