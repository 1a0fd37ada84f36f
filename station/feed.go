package station

import (
	"context"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"webostrum/access"
	"webostrum/core/fault"
	"webostrum/core/hls"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/ingest/source"
	"webostrum/station/pipeline"
	"webostrum/store"
)

// defaultStale is how long what was made is kept when nothing new comes: a
// page opened later must not be shown the past.
const defaultStale = 15 * time.Second

// Feed is one feed, running or off.
type Feed struct {
	station *Station
	meter   meter
	packets packetWatch // of the station's tick alone
	device  device

	keepAlive source.KeepAlive

	publishers publishers
	demand     demand
	lastCoding atomic.Pointer[media.VideoConfig] // before it was idle
	turn       turn
	session    atomic.Pointer[source.Session]
	rules      atomic.Pointer[Rules]

	cancel context.CancelFunc // set while running; guarded by Station.mu
	done   chan struct{}      // closed when the runner has ended; guarded by Station.mu

	mu        sync.Mutex
	pipeline  *pipeline.Pipeline // of the present run; nil when off. Guarded by mu.
	runName   string             // guarded by mu
	told      State              // by events; guarded by mu
	record    store.Feed         // guarded by mu
	condition Condition          // guarded by mu
}

// present returns the pipeline of the run that goes on; the error says that the feed is
// off.
func (f *Feed) present() (*pipeline.Pipeline, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.pipeline == nil {
		return nil, fault.New(fault.FeedOff, nil, "")
	}
	return f.pipeline, nil
}

// stored returns the record, with its credentials.
func (f *Feed) stored() store.Feed {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.record
}

// Condition returns the state with its reason.
func (f *Feed) Condition() Condition {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.condition
}

// Rules say who may watch a feed, where, and by what. They do not change.
type Rules struct {
	ID       int64 // of the feed's record
	Name     string
	Audience access.Audience
	Named    []string          // accounts that may watch whatever the audience
	Sites    access.Sites      // that may show it
	Off      []access.Delivery // that it does not give
	Reports  bool              // whether viewers' players tell how it plays
	Tags     []string          // that it is grouped by
}

// Gives says whether the feed gives a delivery.
func (r *Rules) Gives(d access.Delivery) bool { return !slices.Contains(r.Off, d) }

// Rules returns who may watch, where, and by what.
func (f *Feed) Rules() *Rules { return f.rules.Load() }

// setLocked gives the feed its record.
func (f *Feed) setLocked(r store.Feed) {
	f.record = r
	f.condition.pushed = r.Pushed
	rules := &Rules{ID: r.ID, Name: r.Name, Audience: access.Audience(r.Audience), Named: r.Named, Reports: r.Reports, Tags: strings.Fields(r.Tags)}
	if rules.Audience == "" {
		rules.Audience = access.SignedIn
	}
	var err error
	if rules.Sites, err = access.ParseSites(strings.Fields(r.Sites)); err != nil { // the API refuses such records
		rules.Sites = access.Sites{{Host: "invalid.invalid"}}
	}
	for _, d := range strings.Fields(r.SwitchedOff) {
		rules.Off = append(rules.Off, access.Delivery(d))
	}
	f.rules.Store(rules)
}

// Recording says when the feed is recorded.
func (f *Feed) Recording() store.Recording { return f.stored().Recording }

// Stills are the schedules by which stills of the feed are taken.
func (f *Feed) Stills() []store.StillSchedule { return f.stored().Stills }

// Sources are the feeds that the feed is made of.
func (f *Feed) Sources() []string { return f.stored().Combined.Feeds() }

// Outlet is where HLS and stills of the feed are put, besides.
type Outlet struct {
	To, User, Password string
	Still              time.Duration // from one still to the next; 0 for none
}

// Outlet says where; with an empty To nowhere.
func (f *Feed) Outlet() Outlet {
	r := f.stored()
	return Outlet{r.OutletTo, r.OutletUser, r.OutletPassword, time.Duration(r.OutletStillMillis) * time.Millisecond}
}

// Title is the feed's name for people.
func (f *Feed) Title() string { return f.stored().Title }

func (f *Feed) live() bool { return f.Condition().State == StateLive }

// away says why there is no use in waiting for the camera.
func (f *Feed) away() error {
	c := f.Condition()
	if c.State != StateRetrying && c.State != StateRefused {
		return nil
	}
	return fault.New(fault.FeedNotReady, c.Fault, "%s", c.Reason())
}

// change moves the feed to another state and tells everybody.
func (f *Feed) change(to State, why *fault.Error, tries int, next time.Time) {
	now := time.Now()
	f.mu.Lock()
	before := f.condition
	after, legal := before.move(to, why, now)
	after.Tries, after.NextTry = tries, next
	f.condition = after
	name, reason := f.record.Name, after.Reason()
	// That a camera is connected and left as it is needed is how it is meant to be.
	usual := f.record.WhileNeeded && why == nil && (to == StateIdle || to == StateConnecting || to == StateLive && f.told == StateLive)
	if !usual {
		f.told = to
	}
	f.mu.Unlock()
	if !legal {
		f.station.log.Error("a feed went from one state to another that cannot follow it", "feed", name, "from", before.State, "to", to)
	}
	if usual || before.State == to && code(before.Fault) == code(why) { // one more try of the same kind is no news
		f.station.changed()
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

// note writes an event of the feed's.
func (f *Feed) note(kind, text string) {
	f.station.event(store.Event{At: time.Now(), Feed: f.stored().Name, Kind: kind, Text: text})
}

func (f *Feed) warn(code fault.Code, text string) {
	f.station.event(store.Event{At: time.Now(), Feed: f.stored().Name, Kind: EventWarning, Code: string(code), Text: text})
}

// Multivariant implements deliver/hls.Feed.
func (f *Feed) Multivariant(ctx context.Context, rendition string) (*hls.Text, time.Duration, error) {
	defer f.needLists()()
	p, err := f.present()
	if err != nil {
		return nil, 0, err
	}
	return p.Multivariant(ctx, rendition)
}

// DASH implements deliver/hls.Feed.
func (f *Feed) DASH(ctx context.Context, clock string) ([]byte, time.Duration, error) {
	defer f.needLists()()
	p, err := f.present()
	if err != nil {
		return nil, 0, err
	}
	return p.DASH(ctx, clock)
}

// Track implements deliver/hls.Feed.
func (f *Feed) Track(ctx context.Context, name string) (*hls.Track, error) {
	defer f.needLists()()
	p, err := f.present()
	if err != nil {
		return nil, err
	}
	return p.Track(ctx, name)
}

// Made implements deliver/hls.Feed.
func (f *Feed) Made(name string) *hls.Track {
	p, err := f.present()
	if err != nil {
		return nil
	}
	return p.Made(name)
}

// JPEG opens the feed's frames as JPEG, see pipeline.JPEG.
func (f *Feed) JPEG(ctx context.Context, q pipeline.JPEGRequest) (*pipeline.JPEG, error) {
	release := f.Need()
	p, err := f.present()
	if err != nil {
		release()
		return nil, err
	}
	j, err := p.JPEG(ctx, q)
	if err != nil {
		release()
		return nil, err
	}
	made := j.Release
	j.Release = func() { made(); release() }
	return j, nil
}

// Still returns the feed's latest frame as JPEG, see pipeline.Still.
func (f *Feed) Still(ctx context.Context, q pipeline.JPEGRequest, maxAge time.Duration) (*media.Sample, error) {
	defer f.needLists()()
	p, err := f.present()
	if err != nil {
		return nil, err
	}
	return p.Still(ctx, q, maxAge)
}

// Stream opens the feed's video and audio for a viewer, see pipeline.Stream.
func (f *Feed) Stream(ctx context.Context, q pipeline.Ask) (*pipeline.Stream, error) {
	release := f.Need()
	p, err := f.present()
	if err != nil {
		release()
		return nil, err
	}
	session := f.session.Load()
	q.Reordered = session != nil && (*session).Facts().B
	s, err := p.Stream(ctx, q)
	if err != nil {
		release()
		return nil, err
	}
	made := s.Release
	s.Release = func() { made(); release() }
	return s, nil
}

// Smaller lists the renditions that take clearly fewer bits than one, see
// pipeline.Smaller.
func (f *Feed) Smaller(rendition string) []string {
	p, err := f.present()
	if err != nil {
		return nil
	}
	bits, _, _ := f.meter.rates()
	return p.Smaller(rendition, bits)
}

// Waiting says in a sentence why there is nothing to play yet.
func (f *Feed) Waiting() string {
	p, err := f.present()
	c := f.Condition()
	switch {
	case c.State != StateLive || err != nil:
		return c.Reason()
	case p.Untranscodable():
		return "The camera sends " + plan.Name(p.Codec()) + ", which HLS cannot carry, and the codec worker that would transcode it is missing here."
	}
	return "The camera sends; the first segment is being made."
}

// Playable says whether there is a playlist for players, or one will be made when it
// is asked for.
func (f *Feed) Playable() bool {
	p, err := f.present()
	return err == nil && p.Playable()
}

// Path is what is known of the feed's way to viewers by a delivery.
func (f *Feed) Path(d plan.Delivery) plan.Path {
	s := f.Status()
	lengths := pipeline.Lengths(s.Record)
	p := plan.Path{
		Arrival: f.meter.arrival(), FrameRate: s.FrameRate, Segment: s.Target, Part: lengths.Part,
		Within: time.Duration(s.Record.WithinMillis) * time.Millisecond, Audio: s.Audio.Plans[d].Codec != "",
	}
	if p.Segment == 0 {
		p.Segment = lengths.Segment
	}
	if running, err := f.present(); err == nil {
		p.Transcode = running.Transcodes(d, s.Facts != nil && s.Facts.B)
	}
	return p
}

// History returns bit and frame rate of the last minutes, a point a second.
func (f *Feed) History() []Point { return f.meter.history() }

// Lead is the track that players by HLS begin with, once it is known: the camera's own, or
// what is made of it.
func (f *Feed) Lead(ctx context.Context) (string, error) {
	defer f.needLists()()
	p, err := f.present()
	if err != nil {
		return "", err
	}
	return p.Lead(ctx)
}
