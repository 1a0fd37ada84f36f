package api

import (
	"context"
	"math"
	"time"

	"webostrum/core/rendition"
	"webostrum/ingest/inspect"
	"webostrum/ingest/source"
	"webostrum/station"
	"webostrum/store"
)



const (
	defaultSegmentMillis  = 2000
	defaultPlaylistLength = 6
	defaultPollMillis     = 2000
)

type feedOutput struct{ Body Feed }

type feedsOutput struct {
	Body struct {
		Feeds []Feed `json:"feeds"`
	}
}

type feedPath struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed"`
}

func (a *API) feedViews() []Feed {
	counts := a.viewers.Counts(time.Now())
	views := []Feed{}
	for _, f := range a.station.List() {
		views = append(views, a.feedView(f, counts))
	}
	return views
}

func (a *API) output(f *station.Feed, err error) (*feedOutput, error) {
	if err != nil {
		return nil, answerFor(err)
	}
	return &feedOutput{a.feedView(f, a.viewers.Counts(time.Now()))}, nil
}

func (a *API) listFeeds(context.Context, *struct{}) (*feedsOutput, error) {
	out := &feedsOutput{}
	out.Body.Feeds = a.feedViews()
	return out, nil
}

func (a *API) showFeed(_ context.Context, in *feedPath) (*feedOutput, error) {
	return a.output(a.station.Get(in.Name))
}

func (a *API) addFeed(_ context.Context, in *struct{ Body NewFeed }) (*feedOutput, error) {
	b := in.Body
	r := store.Feed{
		Name: b.Name, Title: b.Title, Transport: b.Transport, Fingerprint: b.Fingerprint,
		Fetch: b.Fetch, PollMillis: defaultPollMillis,
		Audio: b.Audio, AudioHLS: b.AudioHLS, AudioWebRTC: b.AudioWebRTC,
		SegmentMillis: defaultSegmentMillis, PlaylistLength: defaultPlaylistLength, Public: b.Public, Enabled: b.Enabled == nil || *b.Enabled,
	}
	if r.Title == "" {
		r.Title = r.Name
	}
	if b.SegmentSeconds != nil {
		r.SegmentMillis = millis(*b.SegmentSeconds)
	}
	if b.PollSeconds != nil {
		r.PollMillis = millis(*b.PollSeconds)
	}
	set(&r.PlaylistLength, b.PlaylistLength)
	if err := setAddress(&r, b.URL); err != nil {
		return nil, err
	}
	if b.User != "" {
		r.User, r.Password = b.User, b.Password
	} else if b.Password != "" {
		return nil, refused("user", "a password without a user is of no use")
	}
	return a.output(a.station.Add(r))
}

func millis(seconds float64) int { return int(math.Round(seconds * 1000)) }

// setAddress takes the URL, and the credentials out of it.
func setAddress(r *store.Feed, raw string) error {
	u, user, password, err := source.ParseURL(raw)
	if err != nil {
		return refused("url", err.Error())
	}
	r.URL = u.String()
	if user != "" {
		r.User, r.Password = user, password
	}
	return nil
}

type editInput struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed"`
	Body FeedChange
}

func (a *API) editFeed(_ context.Context, in *editInput) (*feedOutput, error) {
	return a.output(a.station.Edit(in.Name, "the feed was edited", in.Body.apply))
}

func (c FeedChange) apply(r *store.Feed) error {
	if c.URL != nil {
		if err := setAddress(r, *c.URL); err != nil {
			return err
		}
	}
	set(&r.Title, c.Title)
	set(&r.User, c.User)
	set(&r.Password, c.Password)
	set(&r.Transport, c.Transport)
	set(&r.Fingerprint, c.Fingerprint)
	set(&r.Fetch, c.Fetch)
	set(&r.PlaylistLength, c.PlaylistLength)
	set(&r.Public, c.Public)
	set(&r.Audio, c.Audio)
	set(&r.AudioHLS, c.AudioHLS)
	set(&r.AudioWebRTC, c.AudioWebRTC)
	if err := c.applyPictures(r); err != nil {
		return err
	}
	if c.PollSeconds != nil {
		r.PollMillis = millis(*c.PollSeconds)
	}
	if c.SegmentSeconds != nil {
		r.SegmentMillis = millis(*c.SegmentSeconds)
	}
	if r.User == "" {
		if c.Password != nil && *c.Password != "" {
			return refused("user", "a password without a user is of no use")
		}
		r.Password = ""
	}
	if r.Title == "" {
		r.Title = r.Name
	}
	return nil
}

func (c FeedChange) applyPictures(r *store.Feed) error {
	if c.PictureSize != nil {
		if _, err := rendition.ParseSize(*c.PictureSize); err != nil {
			return refused("pictureSize", err.Error())
		}
	}
	set(&r.PictureSize, c.PictureSize)
	set(&r.PictureRate, c.PictureRate)
	set(&r.PictureQuality, c.PictureQuality)
	return nil
}

func set[T any](field *T, value *T) {
	if value != nil {
		*field = *value
	}
}

func (a *API) removeFeed(_ context.Context, in *feedPath) (*struct{}, error) {
	return nil, answerFor(a.station.Remove(in.Name))
}

func (a *API) startFeed(_ context.Context, in *feedPath) (*feedOutput, error) {
	f, err := a.station.Get(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	if f.Condition().State == station.StateOff {
		return a.output(a.station.Edit(in.Name, "the feed was switched on", func(r *store.Feed) error {
			r.Enabled = true
			return nil
		}))
	}
	if f.Condition().State == station.StateLive {
		return a.output(f, nil)
	}
	return a.output(a.station.Restart(in.Name)) // do not wait for the next try
}

func (a *API) stopFeed(_ context.Context, in *feedPath) (*feedOutput, error) {
	return a.output(a.station.Edit(in.Name, "the feed was switched off", func(r *store.Feed) error {
		r.Enabled = false
		return nil
	}))
}

type historyOutput struct {
	Body struct {
		Points []Point `json:"points" doc:"A point a second, oldest first"`
	}
}

func (a *API) feedHistory(_ context.Context, in *feedPath) (*historyOutput, error) {
	f, err := a.station.Get(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	out := &historyOutput{}
	out.Body.Points = []Point{}
	for _, p := range f.History() {
		out.Body.Points = append(out.Body.Points, Point{p.At.UTC(), p.Bits, p.Frames})
	}
	return out, nil
}


type inspectOutput struct{ Body inspect.Report }

// mostInspections bounds how many cameras are looked into at once.
const mostInspections = 8

func (a *API) inspectCamera(ctx context.Context, in *struct{ Body InspectBody }) (*inspectOutput, error) {
	b := in.Body
	if _, _, _, err := source.ParseURL(b.URL); err != nil {
		return nil, refused("url", err.Error())
	}
	select {
	case a.inspections <- struct{}{}:
		defer func() { <-a.inspections }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	report, err := inspect.Run(ctx, inspect.Config{
		URL: b.URL, User: b.User, Password: b.Password, Transport: source.Transport(b.Transport), Fetch: source.Fetch(b.Fetch), Fingerprint: b.Fingerprint,
		For: time.Duration(b.Seconds * float64(time.Second)),
	})
	if err != nil {
		return nil, answerFor(err)
	}
	return &inspectOutput{*report}, nil
}

type eventsInput struct {
	Feed   string `query:"feed" maxLength:"63" doc:"Only this feed's events"`
	Before int64  `query:"before" minimum:"0" doc:"Only events older than this number"`
	After  int64  `query:"after" minimum:"0" doc:"Only events newer than this number"`
	Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"100"`
}

type eventsOutput struct {
	Body struct {
		Events []Event `json:"events" doc:"Newest first"`
	}
}

func (a *API) listEvents(_ context.Context, in *eventsInput) (*eventsOutput, error) {
	events, err := a.store.Events(store.EventQuery{Feed: in.Feed, Before: in.Before, After: in.After, Limit: in.Limit})
	if err != nil {
		return nil, answerFor(err)
	}
	out := &eventsOutput{}
	out.Body.Events = []Event{}
	for _, e := range events {
		out.Body.Events = append(out.Body.Events, eventView(e))
	}
	return out, nil
}
