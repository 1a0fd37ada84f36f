package main

import (
	"net"
	"net/url"
	"strconv"
	"time"

	"webostrum/core/media"
	"webostrum/sim"
	"webostrum/sim/device"
)

// The cameras of the passing loop are no feeds of the demo: they are there to be found.
const (
	loopMain  = "passing-loop"
	loopSmall = "passing-loop-small"
	loopID    = "urn:uuid:6f1c4e2a-8a64-4b0e-9d55-1f0a4c7e2b11"
)

// loopCameras are the two streams of the passing loop's camera.
func loopCameras() []sim.Config {
	small := sim.Defaults()
	small.Width, small.Height, small.FrameRate, small.BitRate = 320, 180, 5, 120_000
	return []sim.Config{{Name: loopMain, Kind: sim.RTSP, Codec: media.H265}, {Name: loopSmall, Kind: sim.RTSP, Settings: small}}
}

// setCamera has a camera send what its device was set to. The film stays as it is.
func setCamera(c *sim.Camera, s device.Stream) {
	if c == nil || c.Codec() == media.H265 {
		return
	}
	now := c.Settings()
	now.Width, now.Height, now.FrameRate, now.BitRate = s.Width, s.Height, float64(s.FrameRate), 1000*s.Kilobits
	now.KeyEvery = time.Duration(float64(s.Group) / float64(s.FrameRate) * float64(time.Second))
	_ = c.Set(now) // the device has looked at it
}

// passingLoop makes the device by which the passing loop's streams are found, on the host
// of the cameras; where their ports are fixed, at the port after the last.
func passingLoop(cameras []*sim.Camera, fixed bool) (*device.Device, error) {
	cfg := device.Config{
		On: "lo", ID: loopID, Name: "Passing loop", Hardware: "PL 2", Location: "Morrow Crag", User: demoUser, Password: demoPassword, Listen: "127.0.0.1:0",
	}
	playing := map[string]*sim.Camera{}
	cfg.OnVideo = func(s device.Stream) { setCamera(playing[s.Token], s) }
	for _, c := range cameras {
		if c.Name() != loopMain && c.Name() != loopSmall {
			continue
		}
		s := c.Settings()
		playing[c.Name()] = c
		cfg.Streams = append(cfg.Streams, device.Stream{
			Token: c.Name(), Name: map[string]string{loopMain: "main", loopSmall: "small"}[c.Name()], Codec: string(c.Codec()), Width: s.Width, Height: s.Height, FrameRate: int(s.FrameRate),
			Kilobits: s.BitRate / 1000, Group: int(s.KeyEvery.Seconds() * s.FrameRate), URL: c.URL(),
		})
		cfg.Listen = portAfter(c.URL(), fixed)
	}
	return device.New(cfg)
}

// portAfter is the address of the port after a camera's, or of any.
func portAfter(camera string, fixed bool) string {
	u, err := url.Parse(camera)
	if err != nil {
		return "127.0.0.1:0"
	}
	port := 0
	if n, err := strconv.Atoi(u.Port()); err == nil && fixed {
		port = n + 1
	}
	return net.JoinHostPort(u.Hostname(), strconv.Itoa(port))
}
