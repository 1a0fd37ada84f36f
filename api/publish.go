package api

import (
	"context"
	"net"
	"strconv"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/station"
)

type publishInput struct {
	ownBase
	Name string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
}

type publishOutput struct{ Body apitypes.Publishing }

func (a *API) showPublishing(_ context.Context, in *publishInput) (*publishOutput, error) {
	f, err := a.station.Get(in.Name)
	if err == nil && !f.Status().Record.Pushed {
		err = fault.New(fault.NotPushed, nil, "")
	}
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
	add("RTMP", a.cfg.Ports.RTMPS, "rtmps", "The key is the stream's name, which publishers call the stream key.")
	return p
}
