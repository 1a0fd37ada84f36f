package station

import (
	"context"
	"math/rand/v2"
	"strconv"
	"sync"
	"sync/atomic"
	"time"

	"webostrum/core/fault"
	"webostrum/core/hls"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/deliver/memfile"
	"webostrum/ingest/source"
	"webostrum/store"
)

const (
	// settled is how long a feed has to be live before pauses begin small again.
	settled = 10 * time.Second

	// defaultStale is how long what was made is kept when nothing new comes: a
	// page opened later must not be shown the past.
	defaultStale = 15 * time.Second
)

// Feed is one feed, running or off.
type Feed struct {
	station *Station
	meter   meter

	cancel context.CancelFunc // set while running; guarded by Station.mu
	done   chan struct{}      // closed when the runner has ended; guarded by Station.mu

	session atomic.Pointer[source.Session]

	mu        sync.Mutex
	run       string         // name of the present run; guarded by mu
	record    store.Feed     // guarded by mu
	condition Condition      // guarded by mu
	segmenter *hls.Segmenter // guarded by mu; nil when off
	size      [2]int         // of the newest epoch; guarded by mu
}

// Status is a feed's present state, without credentials.
type Status struct {
	Record    store.Feed
	Condition Condition
	Run       string
	Width     int
	Height    int
	BitRate   float64 // bits a second
	FrameRate float64 // pictures a second
	KeyEvery  time.Duration
	Facts     *source.Facts // nil when there is no session
	Target    time.Duration
}

// Status returns the present state.
func (f *Feed) Status() Status {
	f.mu.Lock()
	s := Status{Record: f.record, Condition: f.condition, Run: f.run, Width: f.size[0], Height: f.size[1]}
	segmenter := f.segmenter
	f.mu.Unlock()
	s.Record.User, s.Record.Password = mask(s.Record.User), ""
	s.Record.UserSealed, s.Record.PasswordSealed = nil, nil
	s.BitRate, s.FrameRate, s.KeyEvery = f.meter.rates()
	if segmenter != nil {
		s.Target = segmenter.Target()
	}
	if session := f.session.Load(); session != nil {
		facts := (*session).Facts()
		s.Facts = &facts
	}
	return s
}

// mask says that there is a user without telling who.
func mask(user string) string {
	if user == "" {
		return ""
	}
	return "set"
}

// History returns bit and frame rate of the last minutes, a point a second.
func (f *Feed) History() []Point { return f.meter.history() }

// Segmenter returns what makes the feed's HLS; nil when the feed is off.
func (f *Feed) Segmenter() *hls.Segmenter {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.segmenter
}

// Condition returns the state with its reason.
func (f *Feed) Condition() Condition {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.condition
}

// Public says whether everybody may watch.
func (f *Feed) Public() bool {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.record.Public
}

// change moves the feed to another state and tells everybody.
func (f *Feed) change(to State, why *fault.Error, tries int, next time.Time) {
	now := time.Now()
	f.mu.Lock()
	before := f.condition
	f.condition = before.move(to, why, now)
	f.condition.Tries, f.condition.NextTry = tries, next
	name, reason := f.record.Name, f.condition.Reason()
	f.mu.Unlock()
	if before.State == to && code(before.Fault) == code(why) {
		f.station.changed() // one more try of the same kind is no news
		return
	}
	f.station.event(store.Event{At: now, Feed: name, Kind: EventState, Code: string(code(why)), Text: string(to) + ": " + reason})
}

func code(f *fault.Error) fault.Code {
	if f == nil {
		return ""
	}
	return f.Kind.Code
}

// begin prepares a run. From then on the feed counts as switched on, and what is
// asked of it waits for the first pictures.
func (f *Feed) begin(record store.Feed) (*run, error) {
	name := newRun()
	segmenter, err := hls.New(hls.Config{
		Run: name, Start: time.Now(), Wanted: time.Duration(record.SegmentMillis) * time.Millisecond, Listed: record.ListSize, Keep: memfile.Keep,
	})
	if err != nil {
		return nil, err
	}
	f.mu.Lock()
	f.run, f.segmenter = name, segmenter
	f.mu.Unlock()
	f.change(StateConnecting, nil, 0, time.Time{})
	return &run{
		feed: f, record: record, segmenter: segmenter, hub: hub.New(hub.Config{}),
		stale: time.AfterFunc(f.station.staleAfter, segmenter.Forget),
	}, nil
}

// end lets a run's things go, after its loop.
func (f *Feed) end(r *run) {
	r.stale.Stop()
	r.hub.Close()
	f.mu.Lock()
	f.segmenter, f.size = nil, [2]int{}
	f.mu.Unlock()
	f.meter.reset()
	f.change(StateOff, nil, 0, time.Time{})
}

// run is one run of a feed: from switched on to switched off.
type run struct {
	feed      *Feed
	record    store.Feed
	segmenter *hls.Segmenter
	hub       *hub.Hub
	epoch     *media.Epoch
	next      uint64      // number of the next epoch
	liveSince time.Time   // zero when not live
	tries     int         // failed ones since the feed was last settled
	stale     *time.Timer // drops what was made; runs while no pictures come
}

func (r *run) loop(ctx context.Context) {
	for {
		err := r.play(ctx)
		if ctx.Err() != nil {
			return
		}
		if !wait(ctx, r.failed(fault.As(err))) {
			return
		}
	}
}

// play opens the camera and takes in what it sends until that ends.
func (r *run) play(ctx context.Context) error {
	r.liveSince = time.Time{}
	next, err := rtsp.Play(ctx, rtsp.Config{
		URL: r.record.URL, User: r.record.User, Password: r.record.Password,
		Transport: rtsp.Transport(r.record.Transport), Fingerprint: r.record.Fingerprint,
		FirstEpoch: r.next, Publish: r.publish, Started: r.started,
	})
	r.next = next
	r.feed.session.Store(nil)
	r.segmenter.Break()
	if !r.liveSince.IsZero() {
		r.stale.Reset(r.feed.station.staleAfter)
	}
	return err
}

func (r *run) started(s source.Session) {
	r.liveSince = time.Now()
	r.stale.Stop()
	r.feed.session.Store(&s)
	r.feed.change(StateLive, nil, 0, time.Time{})
}

func (r *run) publish(s *media.Sample) {
	if s.Epoch != r.epoch {
		r.epoch = s.Epoch
		r.feed.epochBegan(s)
	}
	r.feed.meter.sample(s)
	r.hub.Publish(s)
	if err := r.segmenter.Write(s); err != nil {
		r.feed.warn(err.Error())
	}
}

// failed notes a failed try and returns how long to wait before the next.
// Pauses begin small again only after the feed has been live for a while: one
// that comes up and falls over at once is left more and more time.
func (r *run) failed(why *fault.Error) time.Duration {
	wasLive := !r.liveSince.IsZero()
	if wasLive && time.Since(r.liveSince) >= settled {
		r.tries = 0
	}
	r.tries++
	to := after(why, wasLive)
	d := pause(to, why, r.tries, rand.Float64())
	r.feed.change(to, why, r.tries, time.Now().Add(d))
	return d
}

// wait waits before the next try; false means that ctx ended.
func wait(ctx context.Context, d time.Duration) bool {
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-ctx.Done():
		return false
	case <-timer.C:
		return true
	}
}

// epochBegan notes the size of what comes in from here on.
func (f *Feed) epochBegan(s *media.Sample) {
	size := [2]int{s.Track.Width, s.Track.Height}
	f.mu.Lock()
	before, name := f.size, f.record.Name
	f.size = size
	f.mu.Unlock()
	if before != size && before != [2]int{} {
		f.station.event(store.Event{
			At: time.Now(), Feed: name, Kind: EventChange,
			Text: "the picture is now " + sizeText(size) + ", it was " + sizeText(before),
		})
	}
}

func sizeText(s [2]int) string { return strconv.Itoa(s[0]) + "x" + strconv.Itoa(s[1]) }

func (f *Feed) warn(text string) {
	f.mu.Lock()
	name := f.record.Name
	f.mu.Unlock()
	f.station.event(store.Event{At: time.Now(), Feed: name, Kind: EventWarning, Text: text})
}

// Waiting says in a sentence why there is nothing to play yet.
func (f *Feed) Waiting() string {
	c := f.Condition()
	if c.State == StateLive {
		return "The camera sends; the first segment is being made."
	}
	return c.Reason()
}
