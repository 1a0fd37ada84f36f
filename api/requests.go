package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"

	"webostrum/core/fault"
	"webostrum/ingest/camhttp"
	"webostrum/ingest/source"
	"webostrum/store"
)



func requestViews(list []store.CameraRequest) []CameraRequest {
	views := []CameraRequest{}
	for _, q := range list {
		views = append(views, CameraRequest{Name: q.Name, Method: q.Method, Target: q.Target, Body: q.Body, AtConnection: q.AtConnection})
	}
	return views
}

type requestPath struct {
	Name    string `path:"name" maxLength:"63" doc:"Name of the feed"`
	Request string `path:"request" maxLength:"40" doc:"Name of the request"`
}

const mostRequests = 16

var errNoRequest = newProblem(http.StatusNotFound, "camera-request-unknown", "The feed has no camera request of that name.", "Show the feed to see which there are.")

func (a *API) addRequest(_ context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed"`
	Body CameraRequest
}) (*struct{ Body CameraRequest }, error) {
	q := store.CameraRequest{Name: in.Body.Name, Method: in.Body.Method, Target: in.Body.Target, Body: in.Body.Body, AtConnection: in.Body.AtConnection}
	_, err := a.station.Edit(in.Name, "camera request "+q.Name+" was added", func(f *store.Feed) error {
		switch {
		case slices.ContainsFunc(f.Requests, func(x store.CameraRequest) bool { return x.Name == q.Name }):
			return conflict("The feed has a camera request of that name already.")
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
	return &struct{ Body CameraRequest }{in.Body}, nil
}

func (a *API) removeRequest(_ context.Context, in *requestPath) (*struct{}, error) {
	_, err := a.station.Edit(in.Name, "camera request "+in.Request+" was removed", func(f *store.Feed) error {
		before := len(f.Requests)
		f.Requests = slices.DeleteFunc(f.Requests, func(x store.CameraRequest) bool { return x.Name == in.Request })
		if len(f.Requests) == before {
			return errNoRequest
		}
		return nil
	})
	return nil, answerFor(err)
}

func (a *API) runRequest(ctx context.Context, in *requestPath) (*struct{ Body CameraAnswer }, error) {
	if _, err := a.station.Get(in.Name); err != nil {
		return nil, answerFor(err)
	}
	answer, err := a.station.RunRequest(ctx, in.Name, in.Request)
	var f *fault.Error
	switch {
	case errors.Is(err, store.ErrNotFound):
		return nil, errNoRequest
	case errors.Is(err, camhttp.ErrElsewhere):
		return nil, newProblem(http.StatusUnprocessableEntity, codeInput, err.Error(), "Remove the request and add it with a path.")
	case errors.As(err, &f), err != nil:
		return nil, answerFor(err)
	}
	const perMilli = 1e6
	return &struct{ Body CameraAnswer }{CameraAnswer{answer.Status, answer.Text, float64(answer.Took) / perMilli}}, nil
}
