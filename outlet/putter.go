package outlet

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"
	"time"

	"webostrum/core/fault"
	"webostrum/core/hls"
	"webostrum/station"
	"webostrum/station/pipeline"
	"webostrum/wait"
)

// putter puts one run of a feed.
type putter struct {
	outlet *Outlet
	feed   *station.Feed
	to     station.Outlet
	place  place
	lead   string

	lists map[string]string    // by track, and the multivariant one by its name: as they were put
	known map[string]bool      // files that lie there
	left  map[string]time.Time // files that no list refers to any more, since when
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
	return p, nil
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

// run puts what is new until ctx ends, the feed is away for long, or the place takes nothing
// for long.
func (p *putter) run(ctx context.Context) error {
	if err := p.begin(ctx); err != nil {
		return err
	}
	p.live = time.Now()
	failing := time.Time{} // since when
	for ctx.Err() == nil {
		err := p.once(ctx)
		switch {
		case err == nil:
			failing = time.Time{}
		case failing.IsZero():
			failing = time.Now()
		}
		if err != nil && (refused(err) || time.Since(failing) > goneAfter) {
			return err // what fails once in a while is put again, and players see nothing of it
		}
		if err == nil && time.Since(p.live) > goneAfter {
			return fault.New(fault.FeedNotReady, nil, "")
		}
		wait.For(ctx, pollEvery)
	}
	return ctx.Err()
}

// once puts what is new.
func (p *putter) once(ctx context.Context) error {
	fresh, err := p.step(ctx)
	if err != nil {
		return err
	}
	if fresh {
		p.live = time.Now()
		p.outlet.put(p.feed.Rules().Name, p.to.To, len(p.known))
	}
	return p.takeStill(ctx)
}

// refused says whether there is no use in trying again.
func refused(err error) bool {
	var f *fault.Error
	return errors.As(err, &f) && f.Kind.Class == fault.ClassRefused
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
	_, _, err = p.feed.Multivariant(ctx, p.lead)
	return err
}

// step puts what is new of each track, then the lists.
func (p *putter) step(ctx context.Context) (fresh bool, err error) {
	asked, cancel := context.WithTimeout(ctx, startWithin)
	defer cancel()
	text, _, err := p.feed.Multivariant(asked, p.lead)
	if err != nil {
		return false, nil // it is away; what is there ends by itself
	}
	multi, used := string(text.Plain), make(map[string]bool)
	for _, list := range hls.Files(multi) {
		put, err := p.track(ctx, path.Dir(list), used)
		if err != nil {
			return fresh, err
		}
		fresh = fresh || put
	}
	if p.lists[indexName] != multi {
		if err := p.place.put(ctx, indexName, listKind, text.Plain); err != nil {
			return fresh, err
		}
		p.lists[indexName] = multi
	}
	return fresh, p.sweep(ctx, used)
}

// track puts the files of a track that are new, and its list behind them; it says whether that
// is new. Files that the list refers to are noted as used.
func (p *putter) track(ctx context.Context, name string, used map[string]bool) (fresh bool, err error) {
	asked, cancel := context.WithTimeout(ctx, startWithin)
	defer cancel()
	t, err := p.feed.Track(asked, name)
	if err != nil {
		return false, nil // it is away; what is there ends by itself
	}
	text, ok := t.Media(false)
	if !ok {
		return false, nil
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
			return false, nil // it has left the list meanwhile; the next one is put
		}
		if err := p.place.put(ctx, full, segmentKind, data); err != nil {
			return false, err
		}
		p.known[full] = true
	}
	if p.lists[name] == list {
		return false, nil
	}
	if err := p.place.put(ctx, name+"/"+hls.MediaName, listKind, []byte(list)); err != nil {
		return false, err
	}
	p.lists[name] = list
	return true, nil
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
