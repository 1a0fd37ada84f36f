package main

import (
	"net"
	"net/url"

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

// passingLoop makes the device by which the passing loop's streams are found, on the host
// of the cameras.
func passingLoop(cameras []*sim.Camera) (*device.Device, error) {
	cfg := device.Config{
		On: "lo", ID: loopID, Name: "Passing loop", Hardware: "PL 2", Location: "Morrow Crag", User: demoUser, Password: demoPassword, Listen: "127.0.0.1:0",
	}
	for _, c := range cameras {
		if c.Name() != loopMain && c.Name() != loopSmall {
			continue
		}
		s := c.Settings()
		cfg.Streams = append(cfg.Streams, device.Stream{
			Token: c.Name(), Name: map[string]string{loopMain: "main", loopSmall: "small"}[c.Name()], Codec: string(c.Codec()), Width: s.Width, Height: s.Height, FrameRate: int(s.FrameRate),
			Kilobits: s.BitRate / 1000, Group: int(s.KeyEvery.Seconds() * s.FrameRate), URL: c.URL(),
		})
		if u, err := url.Parse(c.URL()); err == nil {
			cfg.Listen = net.JoinHostPort(u.Hostname(), "0")
		}
	}
	return device.New(cfg)
}
