// Package station keeps feeds running: it starts, watches, reopens and stops
// them, counts what comes in, and tells whoever wants to know.
package station

import (
	"context"
	"errors"
	"log/slog"
	"reflect"
	"sort"
	"sync"
	"sync/atomic"
	"time"

	"go.opentelemetry.io/otel/trace"

	"webostrum/access"
	"webostrum/core/fault"
	"webostrum/station/pipeline"
	"webostrum/store"
)

// ErrClosed is returned after Close.
var ErrClosed = errors.New("the service is stopping")

// Config says what a station works with.
type Config struct {
	Store  *store.Store
	Log    *slog.Logger
	Codecs string // path of the codec worker; empty when there is none
	AAC    bool   // the worker can decode AAC

	// Tracer tells sessions with cameras as spans; nil tells none.
	Tracer trace.Tracer

	// Find searches for a device by what it calls itself, and returns its host and the
	// address of its device service; empty for nothing. Nil searches nowhere.
	Find func(ctx context.Context, id string) (host, device string)
}

// Station holds all feeds. It is safe for concurrent use.
type Station struct {
	cfg   Config
	store *store.Store
	log   *slog.Logger
	ctx   context.Context
	stop  context.CancelFunc
	wg    sync.WaitGroup

	staleAfter time.Duration // see defaultStale; tests shorten it
	lingers    time.Duration // see defaultLingers; tests shorten it
	lease      time.Duration // see pipeline.DefaultLease; tests shorten it

	editing sync.Mutex // one change of a record at a time

	mu    sync.Mutex
	feeds map[string]*Feed // guarded by mu

	watch      watchers
	events     *recorder
	ticked     atomic.Int64 // when the feeds were looked at last, nanoseconds of the monotonic clock
	complained time.Time    // of the history; of the tick alone
	history    *history
	noted      [3]atomic.Uint64 // events, by severity
	panics     atomic.Uint64
	keys       access.Throttle // slows down publishers with wrong keys
}

// Panics is how many runs of feeds have panicked so far.
func (st *Station) Panics() uint64 { return st.panics.Load() }

// Open starts all feeds that are switched on.
func Open(cfg Config) (*Station, error) {
	records, err := cfg.Store.Feeds()
	if err != nil {
		return nil, err
	}
	st := &Station{cfg: cfg, store: cfg.Store, log: cfg.Log, feeds: make(map[string]*Feed), staleAfter: defaultStale, lingers: defaultLingers, lease: pipeline.DefaultLease}
	st.ctx, st.stop = context.WithCancel(context.Background())
	st.events = newRecorder(st.writeEvent)
	st.history = newHistory(cfg.Store, func(kind, text string) { st.event(store.Event{At: time.Now(), Kind: kind, Text: text}) }, st.historyFailed)
	st.ticked.Store(int64(time.Since(begun)))
	st.wg.Go(st.tick)
	st.event(store.Event{At: time.Now(), Kind: EventService, Text: "the service started"})
	for _, r := range records {
		st.put(r)
	}
	return st, nil
}

// Close stops all feeds and waits for their end.
func (st *Station) Close() {
	st.mu.Lock() // no feed is launched after this
	st.stop()
	st.mu.Unlock()
	st.wg.Wait()
	st.history.write(time.Now())
	for _, f := range st.List() {
		f.device.close()
	}
	st.event(store.Event{At: time.Now(), Kind: EventService, Text: "the service stopped"})
	st.events.close()
	st.watch.close()
}

// begun is when the program began, for times that no clock's setting changes.
var begun = time.Now()

// Ticked is when the feeds were looked at last.
func (st *Station) Ticked() time.Time { return begun.Add(time.Duration(st.ticked.Load())) }

// tick measures rates every second.
func (st *Station) tick() {
	ticker := time.NewTicker(time.Second)
	defer ticker.Stop()
	last := time.Now()
	for {
		select {
		case <-st.ctx.Done():
			return
		case now := <-ticker.C:
			var sights []sight
			for _, f := range st.List() {
				if f.Condition().State != StateOff {
					f.meter.tick(now)
					f.checkPackets()
					f.checkDemand()
				}
				sights = append(sights, f.sightOf())
			}
			st.history.look(now, now.Sub(last), sights)
			last = now
			st.ticked.Store(int64(time.Since(begun)))
			st.changed()
		}
	}
}

// historyFailed logs that it could not be written how feeds have been, once a minute at most.
func (st *Station) historyFailed(err error) {
	if now := time.Now(); now.Sub(st.complained) >= time.Minute {
		st.complained = now
		st.log.Error("how feeds have been could not be written; it is tried again", "error", err)
	}
}

// put makes a feed of a record, or gives a feed its changed record, and runs
// it if it is switched on.
func (st *Station) put(r store.Feed) *Feed {
	st.mu.Lock()
	f := st.feeds[r.Name]
	if f == nil {
		f = &Feed{station: st, condition: Condition{State: StateOff, Since: time.Now()}, publishers: publishers{arrivals: make(chan *arrival)}, demand: demand{woken: make(chan struct{}, 1)}}
		f.setLocked(r) // nobody else has it yet
		st.feeds[r.Name] = f
	}
	st.mu.Unlock()
	st.halt(f)
	f.mu.Lock()
	f.setLocked(r)
	f.mu.Unlock()
	if r.Enabled {
		st.launch(f, r)
	}
	st.changed()
	return f
}

func (st *Station) launch(f *Feed, r store.Feed) {
	st.mu.Lock()
	defer st.mu.Unlock()
	if st.ctx.Err() != nil || f.cancel != nil {
		return
	}
	run, err := f.begin(r)
	if err != nil { // the API refuses such records; this one was written by other hands
		st.event(store.Event{At: time.Now(), Feed: r.Name, Kind: EventWarning, Text: "the feed cannot run: " + err.Error()})
		return
	}
	ctx, cancel := context.WithCancel(st.ctx)
	done := make(chan struct{})
	f.cancel, f.done = cancel, done
	st.wg.Go(func() {
		defer close(done)
		defer cancel()
		run.loop(ctx)
		f.end(run)
	})
}

// halt stops a feed's runner and waits for its end.
func (st *Station) halt(f *Feed) {
	st.mu.Lock()
	cancel, done := f.cancel, f.done
	f.cancel, f.done = nil, nil
	st.mu.Unlock()
	if cancel != nil {
		cancel()
		<-done
	}
}

// List returns all feeds by name.
func (st *Station) List() []*Feed {
	st.mu.Lock()
	defer st.mu.Unlock()
	names := make([]string, 0, len(st.feeds))
	for n := range st.feeds {
		names = append(names, n)
	}
	sort.Strings(names)
	feeds := make([]*Feed, len(names))
	for i, n := range names {
		feeds[i] = st.feeds[n]
	}
	return feeds
}

// Get returns a feed, or store.ErrNotFound.
func (st *Station) Get(name string) (*Feed, error) {
	st.mu.Lock()
	defer st.mu.Unlock()
	if f := st.feeds[name]; f != nil {
		return f, nil
	}
	return nil, store.ErrNotFound
}

// renew gives a running feed a changed record.
func (f *Feed) renew(before, r store.Feed) {
	f.mu.Lock()
	f.setLocked(r)
	p := f.pipeline
	f.mu.Unlock()
	if p != nil {
		p.Renew(before, r)
	}
	f.demand.wake() // whether it is connected only while needed may have changed
	if before.PublishOpen && !r.PublishOpen {
		f.endPublisher(true, fault.New(fault.PublishKeyMissing, nil, ""))
	}
}

// needsRestart says whether a change touches what a running feed was started
// with.
func needsRestart(a, b store.Feed) bool {
	return a.Pushed != b.Pushed || a.URL != b.URL || a.User != b.User || a.Password != b.Password || a.Transport != b.Transport ||
		a.Fetch != b.Fetch || a.PollMillis != b.PollMillis || a.AnswerMillis != b.AnswerMillis || a.FirstMillis != b.FirstMillis || a.StallMillis != b.StallMillis ||
		a.Fingerprint != b.Fingerprint || a.DigestOnly != b.DigestOnly || a.WithinMillis != b.WithinMillis || a.SegmentMillis != b.SegmentMillis || a.PartMillis != b.PartMillis || a.PlaylistLength != b.PlaylistLength || a.Enabled != b.Enabled ||
		!reflect.DeepEqual(a.Combined, b.Combined)
}

// Restart stops and starts a feed that is switched on, without waiting for the
// next try.
func (st *Station) Restart(name string) (*Feed, error) {
	st.editing.Lock()
	defer st.editing.Unlock()
	r, err := st.store.Feed(name)
	if err != nil {
		return nil, err
	}
	return st.putOpening(r), nil
}

// putOpening is put, and has a camera that is connected while needed be connected once.
func (st *Station) putOpening(r store.Feed) *Feed {
	f := st.put(r)
	f.touch()
	return f
}

func (st *Station) changed() { st.watch.changed() }

// Changed has watchers look again, at something that is beside the feeds.
func (st *Station) Changed() { st.changed() }
