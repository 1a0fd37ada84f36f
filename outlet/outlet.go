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
	"io"
	"io/fs"
	"log/slog"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"webostrum/barrier"
	"webostrum/core/fault"
	"webostrum/core/hls"
	"webostrum/station"
	"webostrum/station/pipeline"
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

type sender struct {
	to     station.Outlet
	cancel context.CancelFunc
	ended  chan struct{}
}

// Run puts what is to be until ctx ends.
func (o *Outlet) Run(ctx context.Context) {
	all := make(map[string]*sender)
	ticker := time.NewTicker(lookEvery)
	defer ticker.Stop()
	for {
		wanted := make(map[string]*station.Feed)
		for _, f := range o.cfg.Station.List() {
			if f.Outlet().To != "" {
				wanted[f.Rules().Name] = f
			}
		}
		for name, s := range all {
			if f := wanted[name]; f == nil || f.Outlet() != s.to {
				s.cancel()
				<-s.ended
				delete(all, name)
			}
		}
		for name, f := range wanted {
			if all[name] == nil {
				all[name] = o.start(ctx, f)
			}
		}
		select {
		case <-ctx.Done():
			for _, s := range all {
				<-s.ended
			}
			return
		case <-ticker.C:
		}
	}
}

func (o *Outlet) start(ctx context.Context, f *station.Feed) *sender {
	ctx, cancel := context.WithCancel(ctx)
	s := &sender{to: f.Outlet(), cancel: cancel, ended: make(chan struct{})}
	go func() { // Run waits for it
		defer close(s.ended)
		o.keep(ctx, f, s.to)
	}()
	return s
}

// keep puts one feed until ctx ends; then nothing of it is left to be played.
func (o *Outlet) keep(ctx context.Context, f *station.Feed, to station.Outlet) {
	name := f.Rules().Name
	defer func() {
		o.mu.Lock()
		delete(o.state, name)
		o.mu.Unlock()
	}()
	for ctx.Err() == nil {
		var p *putter
		err := barrier.Do(func() (err error) {
			if p, err = o.open(ctx, f, to); err != nil {
				return err
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
	news := f != nil && (s.Problem == nil || s.Problem.Kind.Code != f.Kind.Code) && !quiet(f)
	again := f == nil && s.Problem != nil && !quiet(s.Problem)
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

// putter puts one run of a feed.
type putter struct {
	outlet *Outlet
	feed   *station.Feed
	to     station.Outlet
	place  place
	lead   string

	lists map[string]string    // by track: as they were put
	known map[string]bool      // files that lie there
	left  map[string]time.Time // files that no list refers to any more, since when
	multi string
	still time.Time
	live  time.Time // when something new came last
}

func (o *Outlet) open(ctx context.Context, f *station.Feed, to station.Outlet) (*putter, error) {
	at, err := placeOf(to.To, to.User, to.Password, o.cfg.Folder)
	if err != nil {
		return nil, fault.New(fault.OutletFailed, err, "%v", err)
	}
	there, err := at.claim(ctx)
	if err != nil {
		return nil, err
	}
	p := &putter{outlet: o, feed: f, to: to, place: at, lists: make(map[string]string), known: make(map[string]bool), left: make(map[string]time.Time)}
	// Lists of an earlier run go first, so that nobody begins to play it.
	slices.SortFunc(there, func(a, b string) int { return strings.Compare(order(a), order(b)) })
	for _, name := range append([]string{indexName}, there...) {
		if ours(name) {
			if err := at.remove(ctx, name); err != nil {
				return nil, err
			}
		}
	}
	return p, p.page(ctx)
}

func order(name string) string {
	if strings.HasSuffix(name, ".m3u8") {
		return "0" + name
	}
	return "1" + name
}

// ours says whether a file is of a kind that is put here, and goes with its run.
func ours(name string) bool {
	return slices.Contains([]string{".m3u8", ".m4s", ".mp4", ".making"}, path.Ext(name)) || name == stillName
}

// page puts the page beside.
func (p *putter) page(ctx context.Context) error {
	if p.outlet.cfg.Page == nil {
		return nil
	}
	return fs.WalkDir(p.outlet.cfg.Page, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		body, err := fs.ReadFile(p.outlet.cfg.Page, name)
		if err != nil {
			return err
		}
		kind := map[string]string{".html": "text/html; charset=utf-8", ".js": "text/javascript; charset=utf-8"}[path.Ext(name)]
		return p.place.put(ctx, name, kind, body)
	})
}

// run puts what is new until ctx ends, or the feed is away for long.
func (p *putter) run(ctx context.Context) error {
	if err := p.begin(ctx); err != nil {
		return err
	}
	p.live = time.Now()
	for ctx.Err() == nil {
		fresh, err := p.step(ctx)
		if err != nil {
			return err
		}
		if fresh {
			p.live = time.Now()
			p.outlet.put(p.feed.Rules().Name, p.to.To, len(p.known))
		}
		if time.Since(p.live) > goneAfter {
			return fault.New(fault.FeedNotReady, nil, "")
		}
		if err := p.takeStill(ctx); err != nil {
			return err
		}
		wait.For(ctx, pollEvery)
	}
	return ctx.Err()
}

func (o *Outlet) put(feed, to string, files int) {
	o.told(feed, station.Outlet{To: to}, nil)
	o.mu.Lock()
	defer o.mu.Unlock()
	if s := o.state[feed]; s != nil {
		s.Since, s.Files = time.Now(), files
	}
}

// begin waits for something to play.
func (p *putter) begin(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, startWithin)
	defer cancel()
	var err error
	if p.lead, err = p.feed.Lead(ctx); err != nil {
		return err
	}
	text, _, err := p.feed.Multivariant(ctx, p.lead)
	if err != nil {
		return err
	}
	p.multi = string(text.Plain)
	return nil
}

// step puts what is new of each track, then the lists.
func (p *putter) step(ctx context.Context) (fresh bool, err error) {
	asked, cancel := context.WithTimeout(ctx, startWithin)
	defer cancel()
	text, _, err := p.feed.Multivariant(asked, p.lead)
	if err != nil {
		return false, nil // it is away; what is there ends by itself
	}
	used := make(map[string]bool)
	for _, track := range hls.Files(string(text.Plain)) {
		p.track(ctx, path.Dir(track), used, &fresh, &err)
		if err != nil {
			return fresh, err
		}
	}
	for _, track := range audioOf(string(text.Plain)) {
		p.track(ctx, path.Dir(track), used, &fresh, &err)
		if err != nil {
			return fresh, err
		}
	}
	if multi := string(text.Plain); multi != p.multi || p.lists[indexName] == "" {
		if err := p.place.put(ctx, indexName, listKind, text.Plain); err != nil {
			return fresh, err
		}
		p.multi, p.lists[indexName] = multi, "put"
	}
	return fresh, p.sweep(ctx, used)
}

// audioOf are the lists that a multivariant playlist names in tags.
func audioOf(text string) (list []string) {
	for line := range strings.Lines(text) {
		if _, rest, ok := strings.Cut(line, `URI="`); ok && strings.HasPrefix(line, "#EXT-X-MEDIA:") {
			name, _, _ := strings.Cut(rest, `"`)
			list = append(list, name)
		}
	}
	return list
}

// track puts the files of a track that are new, and its list behind them.
func (p *putter) track(ctx context.Context, name string, used map[string]bool, fresh *bool, failed *error) {
	asked, cancel := context.WithTimeout(ctx, startWithin)
	defer cancel()
	t, err := p.feed.Track(asked, name)
	if err != nil {
		return
	}
	text, ok := t.Media(false)
	if !ok {
		return
	}
	list := hls.PlainList(string(text.Plain))
	for _, file := range hls.Files(list) {
		full := name + "/" + file
		used[full] = true
		if p.known[full] {
			continue
		}
		data, ok := bytesOf(ctx, t, file)
		if !ok {
			return // it has left the list meanwhile; the next one is put
		}
		if *failed = p.place.put(ctx, full, segmentKind, data); *failed != nil {
			return
		}
		p.known[full] = true
	}
	if p.lists[name] == list {
		return
	}
	if *failed = p.place.put(ctx, name+"/"+hls.MediaName, listKind, []byte(list)); *failed == nil {
		p.lists[name], *fresh = list, true
	}
}

func bytesOf(ctx context.Context, t *hls.Track, file string) ([]byte, bool) {
	piece, ok := t.Find(ctx, file)
	if !ok || piece.Body == nil {
		return nil, false
	}
	r, err := piece.Body.Open()
	if err != nil {
		return nil, false
	}
	defer func() { _ = r.Close() }()
	if _, err := r.Seek(piece.Offset, io.SeekStart); err != nil {
		return nil, false
	}
	data, err := io.ReadAll(io.LimitReader(r, piece.Size))
	return data, err == nil
}

// sweep removes files that have left the lists for a while.
func (p *putter) sweep(ctx context.Context, used map[string]bool) error {
	after := lingers * max(p.feed.Status().Target, time.Second)
	for name := range p.known {
		if used[name] && len(p.known) < mostKnown {
			delete(p.left, name)
			continue
		}
		since, left := p.left[name]
		if !left {
			p.left[name] = time.Now()
			continue
		}
		if time.Since(since) < after {
			continue
		}
		if err := p.place.remove(ctx, name); err != nil {
			return err
		}
		delete(p.known, name)
		delete(p.left, name)
	}
	return nil
}

// takeStill puts a still when it is time to.
func (p *putter) takeStill(ctx context.Context) error {
	if p.to.Still == 0 || time.Since(p.still) < p.to.Still {
		return nil
	}
	p.still = time.Now()
	ctx, cancel := context.WithTimeout(ctx, stillWithin)
	defer cancel()
	s, err := p.feed.Still(ctx, pipeline.JPEGRequest{}, time.Second)
	if err != nil {
		return nil // the feed's own state tells
	}
	return p.place.put(ctx, stillName, "image/jpeg", s.Data)
}

// withdraw removes the lists, and then what they refer to.
func (p *putter) withdraw(ctx context.Context) {
	_ = p.place.remove(ctx, indexName)
	for track := range p.lists {
		if track != indexName {
			_ = p.place.remove(ctx, track+"/"+hls.MediaName)
		}
	}
	for name := range p.known {
		if ctx.Err() != nil {
			return
		}
		_ = p.place.remove(ctx, name)
	}
}
