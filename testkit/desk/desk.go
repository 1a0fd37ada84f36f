// Package desk stands in for a station: it lets publishers in and keeps what they send.
package desk

import (
	"context"
	"sync"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/ingest/push"
	"webostrum/ingest/source"
)

// Desk lets in whoever knows Key.
type Desk struct {
	Key    string
	Config source.Config // of sessions; what is published is kept besides

	mu      sync.Mutex
	video   []*media.Sample // guarded by mu
	audio   []*media.Sample // guarded by mu
	tracks  []*media.Track  // guarded by mu
	session source.Session  // guarded by mu
	ended   []error         // guarded by mu
	end     context.CancelCauseFunc
	asked   []push.Request // guarded by mu
}

// Admit implements push.Desk.
func (d *Desk) Admit(_ context.Context, q push.Request) (push.Place, error) {
	d.mu.Lock()
	d.asked = append(d.asked, q)
	d.mu.Unlock()
	switch {
	case q.Knows == nil:
		return nil, fault.New(fault.PublishKeyMissing, nil, "")
	case !q.Knows(d.Key):
		return nil, fault.New(fault.PublishKeyWrong, nil, "")
	}
	return place{d}, nil
}

type place struct{ *Desk }

// Leave implements push.Place.
func (place) Leave() {}

// Run implements push.Place.
func (p place) Run(ctx context.Context, play push.Play) error {
	cfg := p.Config
	cfg.Publish = func(s *media.Sample) { p.keep(func() { p.video = append(p.video, s) }) }
	cfg.Audio = func(s *media.Sample) { p.keep(func() { p.audio = append(p.audio, s) }) }
	cfg.AudioTrack = func(t *media.Track) { p.keep(func() { p.tracks = append(p.tracks, t) }) }
	cfg.Started = func(s source.Session) { p.keep(func() { p.session = s }) }
	ctx, end := context.WithCancelCause(ctx)
	p.keep(func() { p.end = end })
	_, err := play(ctx, cfg)
	p.keep(func() { p.ended = append(p.ended, err) })
	return err
}

func (d *Desk) keep(what func()) {
	d.mu.Lock()
	defer d.mu.Unlock()
	what()
}

// End ends the newest session.
func (d *Desk) End(why error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.end(why)
}

// Kept is what came so far.
type Kept struct {
	Video, Audio []*media.Sample
	Tracks       []*media.Track
	Session      source.Session
	Ended        []error
	Asked        []push.Request
}

// Kept returns what came so far.
func (d *Desk) Kept() Kept {
	d.mu.Lock()
	defer d.mu.Unlock()
	return Kept{
		append([]*media.Sample(nil), d.video...), append([]*media.Sample(nil), d.audio...), append([]*media.Track(nil), d.tracks...), d.session,
		append([]error(nil), d.ended...), append([]push.Request(nil), d.asked...),
	}
}
