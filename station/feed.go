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
	"webostrum/core/plan"
	"webostrum/ingest"
	"webostrum/ingest/source"
	"webostrum/store"
	"webostrum/transcode"
	"webostrum/wait"
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
	run       *run       // the present one; nil when off. Guarded by mu.
	record    store.Feed // guarded by mu
	condition Condition  // guarded by mu
	size      [2]int     // of the newest epoch; guarded by mu
}

// Status is a feed's present state, without credentials.
type Status struct {
	Record    store.Feed
	Condition Condition
	Run       string
	Width     int
	Height    int
	BitRate   float64 // bits a second
	FrameRate float64 // frames a second
	KeyEvery  time.Duration
	Facts     *source.Facts // nil when there is no session
	Target    time.Duration
	Codec     media.Codec     // of what comes in; empty as long as it is not known
	Costs     transcode.Costs // of what is transcoded
	Missing   string          // what is missing here for any transcoding; empty when nothing is
	Audio     AudioStatus
}

// Status returns the present state.
func (f *Feed) Status() Status {
	f.mu.Lock()
	s := Status{Record: f.record, Condition: f.condition, Width: f.size[0], Height: f.size[1]}
	r := f.run
	f.mu.Unlock()
	s.Record.User, s.Record.Password = mask(s.Record.User), ""
	s.Record.UserSealed, s.Record.PasswordSealed = nil, nil
	s.BitRate, s.FrameRate, s.KeyEvery = f.meter.rates()
	if r != nil {
		s.Run, s.Target = r.name, r.target()
		s.Codec, s.Costs = r.known(), r.transcoder.Costs()
	}
	s.Audio = f.audioStatus(r)
	if f.station.cfg.Codecs == "" {
		s.Missing = transcode.ErrNoWorker.Error()
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

// Path is what is known of the feed's way to viewers.
func (f *Feed) Path() plan.Path {
	s := f.Status()
	p := plan.Path{Arrival: f.meter.arrival(), FrameRate: s.FrameRate, Segment: s.Target}
	if p.Segment == 0 {
		p.Segment = time.Duration(s.Record.SegmentMillis) * time.Millisecond
	}
	return p
}

// History returns bit and frame rate of the last minutes, a point a second.
func (f *Feed) History() []Point { return f.meter.history() }

// present returns the run that goes on, or nil.
func (f *Feed) present() *run {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.run
}

// stored returns the record, with its credentials.
func (f *Feed) stored() store.Feed {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.record
}

func (f *Feed) pictureSize() [2]int {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.size
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
	r := &run{
		feed: f, name: newRun(), record: record, hub: hub.New(hub.Config{}), audioHub: hub.New(hub.Config{Keep: audioKept}), begun: make(chan struct{}),
		asked: make(map[string]fault.Code), outlets: make(map[string]*outlet), stills: make(map[Wanted]*media.Sample),
	}
	if err := r.cutting(r.name, hls.Original).Validate(); err != nil {
		r.close()
		return nil, err
	}
	r.stale = time.AfterFunc(f.station.staleAfter, r.forget)
	r.transcoder = transcode.NewVideo(transcode.Config{
		Program: f.station.cfg.Codecs, Source: r.hub,
		Live: func() bool { return f.Condition().State == StateLive },
		Note: func(text string) { f.tell(EventWarning, text) },
	})
	r.heard = transcode.NewAudio(transcode.Config{
		Program: f.station.cfg.Codecs, Source: r.audioHub, Note: func(text string) { f.tell(EventWarning, text) },
	})
	f.mu.Lock()
	f.run = r
	f.mu.Unlock()
	f.change(StateConnecting, nil, 0, time.Time{})
	return r, nil
}

// end lets a run's things go, after its loop.
func (f *Feed) end(r *run) {
	f.mu.Lock()
	f.run, f.size = nil, [2]int{}
	f.mu.Unlock()
	r.stale.Stop()
	r.mu.Lock()
	r.ended = true
	r.mu.Unlock()
	r.drop(func(string) bool { return true })
	r.parts.Wait()
	r.transcoder.Close()
	r.heard.Close()
	r.close()
	f.meter.reset()
	f.change(StateOff, nil, 0, time.Time{})
}

// run is one run of a feed: from switched on to switched off.
type run struct {
	feed       *Feed
	name       string
	record     store.Feed
	hub        *hub.Hub // what the camera sends to see
	audioHub   *hub.Hub // and what it sends to hear
	transcoder *transcode.Video
	heard      *transcode.Audio
	audioTrack atomic.Pointer[media.Track] // nil when there is none, or it is not known
	epoch      *media.Epoch
	next       uint64                // number of the next epoch
	liveSince  time.Time             // zero when not live
	tries      int                   // failed ones since the feed was last settled
	stale      *time.Timer           // drops what was made; runs while no pictures come
	asked      map[string]fault.Code // how camera requests ended, by name
	begun      chan struct{}         // closed at the first picture
	first      sync.Once
	parts      sync.WaitGroup // of outlets

	mu      sync.Mutex
	ended   bool                     // guarded by mu
	outlets map[string]*outlet       // by name of the rendition; guarded by mu
	opened  int                      // outlets so far; guarded by mu
	stills  map[Wanted]*media.Sample // the newest that were asked for; guarded by mu
}

// codec waits for the first picture and returns how the camera codes.
func (r *run) codec(ctx context.Context) (media.Codec, error) {
	select {
	case <-r.begun:
		return r.known(), nil
	case <-ctx.Done():
		return "", ctx.Err()
	}
}

// close lets the hubs go.
func (r *run) close() {
	r.hub.Close()
	r.audioHub.Close()
}

// target returns the target duration of the list that players get; zero as long as
// there is none.
func (r *run) target() time.Duration {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, name := range []string{hls.Original, Automatic} {
		if o := r.outlets[name]; o != nil {
			return o.segmenter.Target()
		}
	}
	return 0
}

// known returns how the camera codes, or nothing as long as no picture has come.
func (r *run) known() media.Codec {
	if s := r.hub.Latest(); s != nil {
		return s.Track.Codec
	}
	return ""
}

func (r *run) loop(ctx context.Context) {
	for {
		err := r.play(ctx)
		if ctx.Err() != nil {
			return
		}
		if !wait.For(ctx, r.failed(fault.As(err))) {
			return
		}
	}
}

// play opens the camera and takes in what it sends until that ends.
func (r *run) play(ctx context.Context) error {
	r.liveSince = time.Time{}
	next, err := ingest.Play(ctx, source.Config{
		URL: r.record.URL, User: r.record.User, Password: r.record.Password,
		Transport: source.Transport(r.record.Transport), Fingerprint: r.record.Fingerprint,
		Fetch: source.Fetch(r.record.Fetch), Poll: time.Duration(r.record.PollMillis) * time.Millisecond,
		FirstEpoch: r.next, Publish: r.publish, Audio: r.audioHub.Publish, AudioTrack: r.audioIs, Started: r.started, Connecting: r.connecting,
	})
	r.next = next
	r.feed.session.Store(nil)
	r.interrupted()
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
	r.first.Do(func() {
		close(r.begun)
		r.arrangeOriginal()
	})
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

// epochBegan notes the size of what comes in from here on.
func (f *Feed) epochBegan(s *media.Sample) {
	size := [2]int{s.Track.Width, s.Track.Height}
	f.mu.Lock()
	before := f.size
	f.size = size
	f.mu.Unlock()
	if before != size && before != [2]int{} {
		f.tell(EventChange, "the picture is now "+sizeText(size)+", it was "+sizeText(before))
	}
}

func sizeText(s [2]int) string { return strconv.Itoa(s[0]) + "x" + strconv.Itoa(s[1]) }

// tell writes an event of the feed's.
func (f *Feed) tell(kind, text string) {
	f.station.event(store.Event{At: time.Now(), Feed: f.stored().Name, Kind: kind, Text: text})
}

func (f *Feed) warn(code fault.Code, text string) {
	f.station.event(store.Event{At: time.Now(), Feed: f.stored().Name, Kind: EventWarning, Code: string(code), Text: text})
}

// Waiting says in a sentence why there is nothing to play yet.
func (f *Feed) Waiting() string {
	c := f.Condition()
	switch {
	case c.State != StateLive:
		return c.Reason()
	case f.untranscodable():
		return "The camera sends JPEG, which HLS cannot carry, and the codec worker that would transcode it is missing here."
	}
	return "The camera sends; the first segment is being made."
}

// untranscodable says whether HLS needs a transcoding that cannot be had here.
func (f *Feed) untranscodable() bool {
	r := f.present()
	return r != nil && r.known() == media.JPEG && f.station.cfg.Codecs == ""
}

// Playable says whether there is a list for players, or one will be made when it
// is asked for.
func (f *Feed) Playable() bool {
	r := f.present()
	if r == nil {
		return false
	}
	live := f.Condition().State == StateLive
	if r.known() == media.JPEG {
		return f.station.cfg.Codecs != "" && live
	}
	if g := f.Segments(hls.Original); g != nil {
		_, ok := g.Media()
		return ok
	}
	return live
}
