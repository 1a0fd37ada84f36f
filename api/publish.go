package api

import (
	"context"
	"net"
	"strconv"
	"strings"
	"time"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/ingest/whip"
	"webostrum/station"
)

type publishInput struct {
	ownBase
	Name string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
}

type publishOutput struct{ Body apitypes.Publishing }

func (a *API) showPublishing(_ context.Context, in *publishInput) (*publishOutput, error) {
	f, err := a.pushed(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	return &publishOutput{a.publishing(f, in)}, nil
}

func (a *API) renewPublishKey(ctx context.Context, in *publishInput) (*publishOutput, error) {
	key, err := a.by(ctx).RenewKey(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	f, err := a.station.Get(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	out := &publishOutput{a.publishing(f, in)}
	out.Body.Key = key
	return out, nil
}

// Passes are made for a day when nothing else is said.
const usualHours = 24

func (a *API) addPass(ctx context.Context, in *struct {
	ownBase
	Name string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	Body apitypes.NewPass
}) (*struct{ Body apitypes.Pass }, error) {
	f, err := a.pushed(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	hours := in.Body.Hours
	if hours == 0 {
		hours = usualHours
	}
	ends := time.Now().Add(time.Duration(hours * float64(time.Hour))).Truncate(time.Second)
	pass, err := f.NewPass(ends)
	if err != nil {
		return nil, answerFor(err)
	}
	base := a.baseOf(in.request)
	out := apitypes.Pass{URL: base + "/publish/" + in.Name + "#" + pass, Pass: pass, Ends: ends.UTC()}
	if strings.HasPrefix(base, "http://") && reachOf(hostOnly(in.request.Host)) != reachMachine {
		out.Note = "Browsers give cameras to pages over HTTPS alone. By this address it works on this machine only."
	}
	a.by(ctx).Note(in.Name, station.EventChange, "a pass was made that lets somebody send until "+ends.UTC().Format(time.RFC3339))
	return &struct{ Body apitypes.Pass }{out}, nil
}

// pushed returns a feed that somebody sends to.
func (a *API) pushed(name string) (*station.Feed, error) {
	f, err := a.station.Get(name)
	if err == nil && !f.Status().Record.Pushed {
		err = fault.New(fault.NotPushed, nil, "")
	}
	return f, err
}

func (a *API) showPublisher(_ context.Context, in *feedPath) (*struct{ Body apitypes.Publisher }, error) {
	f, err := a.pushed(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	p, ok := f.Publisher()
	if !ok {
		return nil, answerFor(fault.New(fault.PublisherNobody, nil, ""))
	}
	out := apitypes.Publisher{Protocol: string(p.Protocol), Address: p.Address, Since: p.Since.UTC()}
	if a.cfg.Publishers != nil {
		if session, err := a.cfg.Publishers.Of(in.Name); err == nil {
			out.Camera = cameraView(session)
		}
	}
	return &struct{ Body apitypes.Publisher }{out}, nil
}

// cameraView is what a camera page says of its camera; nil where it is no such page.
func cameraView(session *whip.Session) *apitypes.PublisherCamera {
	c, err := session.Camera()
	if err != nil {
		return nil
	}
	v := &apitypes.PublisherCamera{
		Cameras: append([]string{}, c.Cameras...), Camera: c.Camera, Torch: c.Torch, Zoom: c.Zoom, Focus: append([]string{}, c.Focus...), Focused: c.Focused,
		Width: c.Width, Height: c.Height,
	}
	if c.Zooms != nil {
		z := apitypes.ZoomRange(*c.Zooms)
		v.Zooms = &z
	}
	return v
}

func (a *API) askCamera(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	Body apitypes.CameraWish
}) (*struct{}, error) {
	if _, err := a.pushed(in.Name); err != nil {
		return nil, answerFor(err)
	}
	err := error(fault.New(fault.CameraPageGone, nil, ""))
	if a.cfg.Publishers != nil {
		if session, sessionErr := a.cfg.Publishers.Of(in.Name); sessionErr == nil && session.Ask(whip.Wish(in.Body)) == nil {
			err = nil
			a.by(ctx).Note(in.Name, station.EventRequest, "the camera page was asked to change its camera")
		}
	}
	return nil, answerFor(err)
}

func (a *API) endPublisher(ctx context.Context, in *feedPath) (*struct{}, error) {
	f, err := a.pushed(in.Name)
	if err == nil && !a.by(ctx).EndPublisher(f) {
		err = fault.New(fault.PublisherNobody, nil, "")
	}
	return nil, answerFor(err)
}

// publishing says where to send to a feed, by the host that the request came to.
func (a *API) publishing(f *station.Feed, in *publishInput) apitypes.Publishing {
	r := f.Status().Record
	p := apitypes.Publishing{Needed: !r.PublishOpen, Means: "Whoever knows the feed's key may send to it.", Destinations: []apitypes.Destination{}}
	if r.PublishOpen {
		p.Means = "Everybody who reaches these ports may send to the feed, and viewers see what they send. That is for closed networks only."
	}
	host := hostOnly(in.request.Host)
	add := func(protocol string, port int, scheme, key string) {
		if port > 0 {
			p.Destinations = append(p.Destinations, apitypes.Destination{Protocol: protocol, Address: scheme + "://" + net.JoinHostPort(host, strconv.Itoa(port)) + "/" + r.Name, Key: key})
		}
	}
	add("RTSP", a.cfg.Ports.RTSP, "rtsp", "The key is the password, of whatever user; or put ?key= behind the address.")
	add("RTMP", a.cfg.Ports.RTMP, "rtmp", "The key is the stream's name, which publishers call the stream key.")
	p.Destinations = append(p.Destinations, apitypes.Destination{Protocol: "HTTP", Address: a.baseOf(in.request) + "/publish/" + r.Name + "/stream", Key: "The key is the bearer token; \"webostrum pipe " + r.Name + "\" sends what a program writes."})
	if a.cfg.Publishers != nil {
		p.Destinations = append(p.Destinations, apitypes.Destination{Protocol: "WHIP", Address: a.baseOf(in.request) + "/publish/" + r.Name + "/whip", Key: "The key is the bearer token. Phones and laptops open the camera page, by a pass."})
	}
	add("RTMP", a.cfg.Ports.RTMPS, "rtmps", "The key is the stream's name, which publishers call the stream key.")
	return p
}
