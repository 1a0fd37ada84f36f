package main

import (
	"context"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/service"
	"webostrum/sim"
)

// demoFeed is a camera of the demo and the feed that is made of it.
type demoFeed struct {
	camera  sim.Config
	feed    apitypes.FeedSettings
	request *apitypes.CameraRequest
}

// demoFeeds are the cameras of the Morrow Crag Funicular; stream is where the valley car sends
// to.
func demoFeeds(stream string) []demoFeed {
	everyone, signedIn := apitypes.AudienceSettings{Who: "everyone", Accounts: []string{}}, apitypes.AudienceSettings{Who: "signed-in", Accounts: []string{}}
	winch, summit := sim.Defaults(), sim.Defaults()
	winch.Width, winch.Height, winch.FrameRate = 480, 270, 5 // as it leaves the factory
	const everyFourSeconds = 0.25
	summit.FrameRate = everyFourSeconds
	upper := sim.Defaults()
	upper.Width, upper.Height, upper.BitRate = 960, 540, 1_200_000
	around, car, hand := sim.Defaults(), sim.Defaults(), sim.Defaults()
	hand.Width, hand.Height, hand.FrameRate, hand.BitRate = 480, 854, 15, 500_000 // upright
	around.Width, around.Height, around.FrameRate, around.BitRate = 1280, 640, 15, 1_200_000
	car.Width, car.Height, car.FrameRate, car.BitRate = 640, 360, 20, 600_000
	return []demoFeed{
		{
			camera: sim.Config{Name: "lower-station", Kind: sim.RTSP, Audio: sim.AAC, Settings: sim.Defaults()},
			feed:   apitypes.FeedSettings{Title: "Lower station", Audience: everyone, Recording: apitypes.RecordingSettings{Mode: "always", Minutes: 5, Bytes: demoRecorded, GoBack: true}},
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
			feed:   apitypes.FeedSettings{Title: "Summit mast", Audience: everyone, Stills: []apitypes.StillSchedule{demoDaylight}},
		},
		{
			camera: sim.Config{Name: "upper-station", Kind: sim.RTSP, Audio: sim.PCMU, Settings: upper},
			feed:   apitypes.FeedSettings{Title: "Upper station", Audience: everyone},
		},
		{
			camera: sim.Config{Name: "summit-360", Kind: sim.PushRTMP, Audio: sim.AAC, Settings: around},
			feed:   apitypes.FeedSettings{Title: "Summit, all around", Audience: everyone, Lens: apitypes.LensSettings{Projection: "equirectangular"}, Publish: apitypes.PublishSettings{Pushed: true}},
		},
		{
			camera: sim.Config{Name: "visitor-phone", Kind: sim.PushWHIP, Audio: sim.Opus, Settings: hand},
			feed:   apitypes.FeedSettings{Title: "A visitor's phone", Audience: signedIn, Publish: apitypes.PublishSettings{Pushed: true, TakeOver: true}},
		},
		{
			camera: sim.Config{Name: "valley-car", Kind: sim.PushTS, To: stream, Audio: sim.AAC, Settings: car},
			feed:   apitypes.FeedSettings{Title: "Valley car", Audience: everyone},
		},
	}
}

// add points the feed at the camera, or the camera at the feed; the demo's records may be
// there from last time.
func (d demoFeed) add(ctx context.Context, data string, camera *sim.Camera) error {
	local, err := service.ReadLocal(data)
	if err != nil {
		return err
	}
	cl := client.New(local.Address, local.Token)
	if _, err := cl.Feed(ctx, d.camera.Name); err != nil {
		if err := d.create(ctx, cl, camera); err != nil {
			return err
		}
	}
	if !d.feed.Publish.Pushed {
		_, err = cl.EditFeed(ctx, d.camera.Name, d.opens(camera))
		return err
	}
	if d.camera.Kind == sim.PushWHIP {
		pass, err := cl.AddPass(ctx, d.camera.Name, demoHours)
		camera.SendTo(pass.URL)
		return err
	}
	p, err := cl.RenewPublishKey(ctx, d.camera.Name)
	for _, to := range p.Destinations {
		if to.Protocol == "RTMP" {
			camera.SendTo(to.Address + "/" + p.Key)
		}
	}
	return err
}

// demoHours is how long the demo's phone may send.
const demoHours = 8760

// opens is the change by which the feed opens the camera where it is now.
func (d demoFeed) opens(camera *sim.Camera) client.Patch {
	change := client.Patch{}
	change.Set("camera.url", camera.URL())
	if !camera.Sends() {
		change.Set("camera.user", demoUser)
		change.Set("camera.password", demoPassword)
	}
	return change
}

// create adds the feed.
func (d demoFeed) create(ctx context.Context, cl *client.Client, camera *sim.Camera) error {
	off := false // the camera is not opened before its request is there
	in := apitypes.NewFeed{Name: d.camera.Name, Enabled: &off, FeedSettings: apitypes.Defaults("")}
	in.Title, in.Audience, in.Publish = d.feed.Title, d.feed.Audience, d.feed.Publish
	in.Recording, in.Stills, in.Lens = d.feed.Recording, d.feed.Stills, d.feed.Lens
	if in.Stills == nil {
		in.Stills = []apitypes.StillSchedule{}
	}
	if !in.Publish.Pushed {
		in.Camera.URL = camera.URL()
	}
	if !camera.Sends() {
		in.Camera.User, in.Camera.Password = demoUser, demoPassword
	}
	if _, err := cl.AddFeed(ctx, in); err != nil {
		return err
	}
	if d.request != nil {
		if _, err := cl.AddRequest(ctx, in.Name, *d.request); err != nil {
			return err
		}
	}
	_, err := cl.StartFeed(ctx, in.Name)
	return err
}
