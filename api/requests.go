package api

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/deliver/problem"
	"webostrum/ingest/camhttp"
	"webostrum/ingest/source"
	"webostrum/store"
)

// requestViews are requests without what may be a password: values in their targets, and
// their bodies.
func requestViews(list []store.CameraRequest) []apitypes.CameraRequest {
	views := []apitypes.CameraRequest{}
	for _, q := range list {
		views = append(views, requestView(q))
	}
	return views
}

func requestView(q store.CameraRequest) apitypes.CameraRequest {
	v := apitypes.CameraRequest{Name: q.Name, Method: q.Method, Target: hideQuery(q.Target), AtConnection: q.AtConnection}
	if q.Body != "" {
		v.Body = hidden
	}
	return v
}

type requestPath struct {
	Name    string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	Request string `path:"request" maxLength:"40" doc:"Name of the request"`
}

const mostRequests = 16

var errNoRequest = problem.Of(fault.New(fault.RequestUnknown, nil, ""))

func (a *API) addRequest(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	Body apitypes.CameraRequest
}) (*struct{ Body apitypes.CameraRequest }, error) {
	q := store.CameraRequest{Name: in.Body.Name, Method: in.Body.Method, Target: in.Body.Target, Body: in.Body.Body, AtConnection: in.Body.AtConnection}
	_, err := a.by(ctx).Edit(in.Name, "camera request "+q.Name+" was added", func(f *store.Feed) error {
		switch {
		case slices.ContainsFunc(f.Requests, func(x store.CameraRequest) bool { return x.Name == q.Name }):
			return taken("the feed has a camera request of that name")
		case len(f.Requests) >= mostRequests:
			return refused("name", fmt.Sprintf("a feed can have %d camera requests; remove one first", mostRequests))
		}
		u, _, _, err := source.ParseURL(f.URL)
		if err != nil {
			return refused("target", err.Error())
		}
		if _, err := camhttp.Resolve(u, q.Target); err != nil {
			return refused("target", err.Error())
		}
		f.Requests = append(f.Requests, q)
		return nil
	})
	if err != nil {
		return nil, answerFor(err)
	}
	return &struct{ Body apitypes.CameraRequest }{requestView(q)}, nil
}

func (a *API) removeRequest(ctx context.Context, in *requestPath) (*struct{}, error) {
	_, err := a.by(ctx).Edit(in.Name, "camera request "+in.Request+" was removed", func(f *store.Feed) error {
		before := len(f.Requests)
		f.Requests = slices.DeleteFunc(f.Requests, func(x store.CameraRequest) bool { return x.Name == in.Request })
		if len(f.Requests) == before {
			return errNoRequest
		}
		return nil
	})
	return nil, answerFor(err)
}

func (a *API) runRequest(ctx context.Context, in *requestPath) (*struct{ Body apitypes.CameraAnswer }, error) {
	if _, err := a.station.Get(in.Name); err != nil {
		return nil, answerFor(err)
	}
	answer, err := a.station.RunRequest(ctx, in.Name, in.Request)
	var f *fault.Error
	switch {
	case errors.Is(err, store.ErrNotFound):
		return nil, errNoRequest
	case errors.Is(err, camhttp.ErrElsewhere):
		return nil, refused("target", err.Error())
	case errors.As(err, &f), err != nil:
		return nil, answerFor(err)
	}
	const perMilli = 1e6
	return &struct{ Body apitypes.CameraAnswer }{apitypes.CameraAnswer{Status: answer.Status, Text: answer.Text, Millis: float64(answer.Took) / perMilli}}, nil
}
