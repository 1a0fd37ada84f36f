package api

import (
	"context"
	"fmt"
	"reflect"
	"time"

	"webostrum/access"
	"webostrum/apitypes"
	"webostrum/ingest/inspect"
	"webostrum/ingest/source"
	"webostrum/station"
	"webostrum/store"
	"webostrum/transcode"
)

type feedOutput struct{ Body apitypes.Feed }

type feedPath struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
}

func (a *API) feedViews(who caller) []apitypes.Feed {
	counts := a.viewers.Counts(time.Now())
	links := a.linkCounts()
	views := []apitypes.Feed{}
	for _, f := range a.station.List() {
		if who.reader() || who.watches(f.Rules()) {
			views = append(views, feedView(f, counts, links, who))
		}
	}
	return views
}

func (a *API) output(ctx context.Context, f *station.Feed, err error) (*feedOutput, error) {
	if err != nil {
		return nil, answerFor(err)
	}
	return &feedOutput{feedView(f, a.viewers.Counts(time.Now()), a.linkCounts(), callerOf(ctx))}, nil
}

func (a *API) listFeeds(ctx context.Context, _ *struct{}) (*struct{ Body apitypes.FeedList }, error) {
	return &struct{ Body apitypes.FeedList }{apitypes.FeedList{Feeds: a.feedViews(callerOf(ctx))}}, nil
}

func (a *API) showFeed(ctx context.Context, in *feedPath) (*feedOutput, error) {
	f, err := a.seen(ctx, in.Name)
	return a.output(ctx, f, err)
}

func (a *API) addFeed(ctx context.Context, in *struct{ Body apitypes.NewFeed }) (*feedOutput, error) {
	b := in.Body
	r := store.Feed{Name: b.Name, Enabled: b.Enabled == nil || *b.Enabled}
	if b.Camera.User == "" && b.Camera.Password != "" {
		return nil, refused("camera.user", "a password without a user is of no use")
	}
	if b.Delivery.Off == nil {
		b.Delivery.Off = []string{string(access.RTSP)}
	}
	if err := apply(b.FeedSettings, &r, b.Camera.User != ""); err != nil {
		return nil, err
	}
	f, err := a.by(ctx).AddFitting(r, a.fits)
	if err == nil {
		a.tellLeft(ctx, r.Name)
	}
	return withKey(r.PublishKey, "")(a.output(ctx, f, err))
}

// tellLeft tells of what is left of an earlier feed of a new one's name, which is the new
// one's now, and seen by whoever may see the like of it.
func (a *API) tellLeft(ctx context.Context, name string) {
	if a.cfg.Recordings != nil {
		if files, err := a.cfg.Recordings.Files(name, time.Time{}, time.Time{}); err == nil && len(files) > 0 {
			a.by(ctx).Note(name, station.EventWarning, fmt.Sprintf("there are %d files of recordings of an earlier feed of this name, from %s on, and they are this one's now: remove them if its viewers are not to see them", len(files), files[0].Begins.Format(time.DateOnly)))
		}
	}
	if a.cfg.Stills != nil {
		if films, err := a.cfg.Stills.Films(name); err == nil && len(films) > 0 {
			a.by(ctx).Note(name, station.EventWarning, fmt.Sprintf("there are %d films of an earlier feed of this name, and they are this one's now: remove them if its viewers are not to see them", len(films)))
		}
	}
}

// withKey puts the key for publishers into an answer where it is another than before.
func withKey(key, before string) func(*feedOutput, error) (*feedOutput, error) {
	return func(out *feedOutput, err error) (*feedOutput, error) {
		if err == nil && key != before {
			out.Body.PublishKey = key
		}
		return out, err
	}
}

type editInput struct {
	Name    string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	RawBody []byte `contentType:"application/merge-patch+json"`
}

const mergePatchType = "application/merge-patch+json"

// settingsType is what a merge patch is checked against.
var settingsType = reflect.TypeFor[apitypes.FeedSettings]()

func (a *API) editFeed(ctx context.Context, in *editInput) (*feedOutput, error) {
	var key, before string // for publishers
	f, err := a.by(ctx).EditTelling(in.Name, tellChanges, func(r *store.Feed) error {
		before = r.PublishKey
		defer func() { key = r.PublishKey }()
		s, credentials, err := a.mergeSettings(settingsOf(*r), in.RawBody)
		if err != nil {
			return err
		}
		if credentials && s.Camera.Password == "" && s.Camera.User == r.User {
			s.Camera.Password = r.Password // the user was said again, and nothing else
		}
		if credentials && s.Camera.User == "" && s.Camera.Password != "" {
			s.Camera.User = r.User // another password of the same user
		}
		if err := apply(s, r, credentials); err != nil {
			return err
		}
		return a.fits(*r)
	})
	a.grants.changed()
	return withKey(key, before)(a.output(ctx, f, err))
}

func (a *API) removeFeed(ctx context.Context, in *feedPath) (*struct{}, error) {
	f, err := a.station.Get(in.Name)
	if err == nil {
		err = a.by(ctx).Remove(in.Name)
	}
	if err == nil {
		a.links.Drop(func(l *access.Link) bool { return l.Feed == f.Rules().ID })
	}
	a.grants.changed()
	return nil, answerFor(err)
}

func (a *API) startFeed(ctx context.Context, in *feedPath) (*feedOutput, error) {
	f, err := a.station.Get(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	switch f.Condition().State {
	case station.StateOff:
		f, err = a.by(ctx).Edit(in.Name, "the feed was switched on", func(r *store.Feed) error {
			r.Enabled = true
			return nil
		})
	case station.StateLive:
	default:
		f, err = a.station.Restart(in.Name) // do not wait for the next try
	}
	return a.output(ctx, f, err)
}

func (a *API) stopFeed(ctx context.Context, in *feedPath) (*feedOutput, error) {
	f, err := a.by(ctx).Edit(in.Name, "the feed was switched off", func(r *store.Feed) error {
		r.Enabled = false
		return nil
	})
	return a.output(ctx, f, err)
}

func (a *API) feedHistory(ctx context.Context, in *feedPath) (*struct{ Body apitypes.History }, error) {
	f, err := a.seen(ctx, in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	h := apitypes.History{Points: []apitypes.Point{}}
	for _, p := range f.History() {
		h.Points = append(h.Points, apitypes.Point{At: p.At.UTC(), BitRate: p.Bits, FrameRate: p.Frames})
	}
	return &struct{ Body apitypes.History }{h}, nil
}

// The picture of a report.
const (
	stillWait  = 3 * time.Second
	stillWidth = 640 // pixels
)

// mostInspections bounds how many cameras are looked into at once.
const mostInspections = 8

func (a *API) inspectCamera(ctx context.Context, in *struct{ Body apitypes.Inspection }) (*struct{ Body apitypes.Report }, error) {
	b := in.Body
	cfg := inspect.Config{
		URL: b.URL, User: b.User, Password: b.Password, Transport: source.Transport(b.Transport), Fetch: source.Fetch(b.Fetch), Fingerprint: b.Fingerprint,
		For: span(b.Seconds), Both: b.Transports, Save: b.Stream,
	}
	run := inspect.Run
	if b.Feed != "" {
		f, err := a.station.Get(b.Feed)
		if err != nil {
			return nil, answerFor(err)
		}
		cfg = inspect.Config{URL: f.Status().Record.Address, For: cfg.For, Save: cfg.Save, Play: f.Tap}
	} else if _, _, _, err := source.ParseURL(b.URL); err != nil {
		return nil, refused("url", err.Error())
	} else if b.TryPaths {
		run = inspect.RunTrying
	}
	select {
	case a.inspections <- struct{}{}:
		defer func() { <-a.inspections }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	report, err := run(ctx, cfg)
	if err != nil {
		return nil, answerFor(err)
	}
	report.Report.Stream = report.Stream
	still, cancel := context.WithTimeout(ctx, stillWait)
	defer cancel()
	if picture, err := transcode.Still(still, a.cfg.Worker, report.Keyframe, stillWidth); err == nil {
		report.Picture = picture // without one the report says all the rest
	}
	return &struct{ Body apitypes.Report }{report.Report}, nil
}
