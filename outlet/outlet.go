// Package outlet puts feeds' HLS and stills where a web server of somebody's own gives them
// out: into a folder, to a server that takes PUT, or into a bucket.
//
// What a list refers to is there before the list, and goes some segments after it has left
// the list; lists of an earlier run go before anything else is done. Limits: the newest list
// alone waits to be put, and a file is put within 15 s.
package outlet

import (
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"slices"
	"sync"
	"time"

	"webostrum/barrier"
	"webostrum/core/fault"
	"webostrum/station"
	"webostrum/tend"
	"webostrum/wait"
)

const (
	lookEvery   = time.Second
	pollEvery   = 300 * time.Millisecond
	retryEvery  = 3 * time.Second
	startWithin = 15 * time.Second
	lingers     = 3 // target durations that a file stays that has left the list
	goneAfter   = 20 * time.Second
	stillWithin = 10 * time.Second
	endWithin   = 3 * time.Second
	mostKnown   = 5000 // files
)

const (
	listKind    = "application/vnd.apple.mpegurl"
	segmentKind = "video/mp4"
	indexName   = "index.m3u8"
	stillName   = "still.jpg"
)

// Config says what an outlet works with.
type Config struct {
	Folder  string // that folders are made in; empty has none made
	Station *station.Station
	Page    fs.FS // files of the page that is put beside; nil for none
	Log     *slog.Logger
}

// Outlet puts all feeds that are to be. It is safe for concurrent use.
type Outlet struct {
	cfg Config

	mu    sync.Mutex
	state map[string]*State // by feed; guarded by mu
}

// State is how putting a feed goes.
type State struct {
	To      string
	Since   time.Time    // of the newest list that was put; zero for none
	Files   int          // that lie there
	Problem *fault.Error // why nothing is put; nil while it is
}

// New makes an outlet. Run keeps it.
func New(cfg Config) *Outlet { return &Outlet{cfg: cfg, state: make(map[string]*State)} }

// Folder is that folders are made in; empty for none.
func (o *Outlet) Folder() string { return o.cfg.Folder }

// State returns how putting a feed goes.
func (o *Outlet) State(feed string) State {
	o.mu.Lock()
	defer o.mu.Unlock()
	if s := o.state[feed]; s != nil {
		return *s
	}
	return State{}
}

// sending is a feed, and where it is put.
type sending struct {
	feed *station.Feed
	to   station.Outlet
}

// Run puts what is to be until ctx ends.
func (o *Outlet) Run(ctx context.Context) {
	set := tend.Set[string, sending]{
		Tend: func(ctx context.Context, _ string, s sending) { o.keep(ctx, s.feed, s.to) },
		Same: func(before, now sending) bool { return before == now },
	}
	defer set.Close()
	for {
		wanted := make(map[string]sending)
		for _, f := range o.cfg.Station.List() {
			if to := f.Outlet(); to.To != "" {
				wanted[f.Rules().Name] = sending{f, to}
			}
		}
		set.Want(ctx, wanted)
		if !wait.For(ctx, lookEvery) {
			return
		}
	}
}

// keep puts one feed until ctx ends; then nothing of it is left to be played.
func (o *Outlet) keep(ctx context.Context, f *station.Feed, to station.Outlet) {
	name := f.Rules().Name
	defer func() {
		o.mu.Lock()
		delete(o.state, name)
		o.mu.Unlock()
	}()
	paged := false // the page lies there, and stays
	for ctx.Err() == nil {
		var p *putter
		err := barrier.Do(func() (err error) {
			if p, err = o.open(ctx, f, to); err != nil {
				return err
			}
			if !paged {
				if err := p.page(ctx); err != nil {
					return err
				}
				paged = true
			}
			return p.run(ctx)
		})
		o.told(name, to, err)
		if p != nil {
			last, cancel := context.WithTimeout(context.WithoutCancel(ctx), endWithin)
			_ = barrier.Do(func() error { p.withdraw(last); return nil })
			cancel()
		}
		wait.For(ctx, retryEvery)
	}
}

// told notes how it goes; what goes on going wrong is told once.
func (o *Outlet) told(feed string, to station.Outlet, err error) {
	var f *fault.Error
	if err != nil && !errors.Is(err, context.Canceled) {
		if f = fault.As(err); f.Kind.Code == fault.Garbled {
			f = fault.New(fault.OutletFailed, err, "%v", err)
		}
	}
	o.mu.Lock()
	s := o.state[feed]
	if s == nil {
		s = &State{To: to.To}
		o.state[feed] = s
	}
	news, again := fault.Changed(s.Problem, f)
	news, again = news && !quiet(f), again && !quiet(s.Problem)
	s.Problem = f
	o.mu.Unlock()
	by := o.cfg.Station.By("", "")
	if news {
		by.Warn(feed, f.Kind.Code, "not put to "+to.To+": "+f.Error())
	} else if again {
		by.Note(feed, station.EventChange, "it is put to "+to.To+" again")
	}
}

// quiet are faults that the feed's own state tells.
func quiet(f *fault.Error) bool {
	return f.Kind.Camera() || slices.Contains([]fault.Code{fault.FeedOff, fault.FeedNotReady, fault.CameraAway}, f.Kind.Code)
}
