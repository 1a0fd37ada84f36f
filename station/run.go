package station

import (
	"context"
	"errors"
	"math/rand/v2"
	"strconv"
	"time"

	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/trace"

	"webostrum/barrier"
	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/ingest"
	"webostrum/ingest/source"
	"webostrum/station/pipeline"
	"webostrum/store"
	"webostrum/wait"
)

// settled is how long a feed has to be live before pauses begin small again.
const settled = 10 * time.Second

// run supervises one run of a feed, from switched on to switched off: it opens the
// camera again and again, and puts what comes into the run's pipeline.
type run struct {
	feed     *Feed
	record   store.Feed
	pipeline *pipeline.Pipeline

	epoch     *media.Epoch          // of the newest frame
	size      [2]int                // of it
	next      uint64                // number of the next epoch
	liveSince time.Time             // zero when not live
	tries     int                   // failed ones since the feed was last settled
	last      *fault.Error          // why the last session ended; nil before the first
	failing   bool                  // the last session failed, and none has come since
	stale     *time.Timer           // drops what was made; runs while no frames come
	asked     map[string]fault.Code // how camera requests ended, by name
}

// begin prepares a run. From then on the feed counts as switched on, and what is
// asked of it waits for the first frame.
func (f *Feed) begin(record store.Feed) (*run, error) {
	if err := f.renewPipeline(); err != nil {
		return nil, err
	}
	r := &run{feed: f, record: record, asked: make(map[string]fault.Code)}
	r.follow()
	first := StateConnecting
	switch {
	case record.Pushed:
		first = StateWaiting
	case record.WhileNeeded:
		first = StateIdle
	}
	f.change(first, nil, 0, time.Time{})
	return r, nil
}

// renewPipeline gives the feed a pipeline in which there is nothing yet.
func (f *Feed) renewPipeline() error {
	cfg := f.station.cfg
	name := pipeline.NewRun()
	p, err := pipeline.New(pipeline.Config{
		Run: name, Worker: cfg.Codecs, DecodesAAC: cfg.AAC, Lease: f.station.lease, Stale: f.station.staleAfter,
		Record: f.stored, Live: f.live, Away: f.away, Note: f.note,
	})
	if err != nil {
		return err
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	f.pipeline, f.runName = p, name
	return nil
}

// follow goes over to the feed's pipeline, where that is another.
func (r *run) follow() {
	p, _ := r.feed.present() // there is one as long as the run goes on
	if p == r.pipeline {
		return
	}
	if r.pipeline != nil {
		r.stale.Stop()
		r.pipeline.Close()
	}
	r.pipeline = p
	r.stale = time.AfterFunc(r.feed.station.staleAfter, p.Forget)
}

// end lets a run's things go, after its loop.
func (f *Feed) end(r *run) {
	r.follow()
	f.mu.Lock()
	f.pipeline, f.runName = nil, ""
	f.mu.Unlock()
	r.stale.Stop()
	r.pipeline.Close()
	f.meter.reset()
	f.change(StateOff, nil, 0, time.Time{})
}

// loop plays until ctx ends. A panic in the run's own code ends one try of it.
func (r *run) loop(ctx context.Context) {
	for {
		// A camera that does not answer is tried until it does, whether it is needed or not: its
		// outage has an end then, and whoever comes finds it there.
		if !r.failing && !r.rest(ctx) {
			return
		}
		session, done := r.feed.demand.session(ctx)
		err := barrier.Do(func() error { return r.traced(session) })
		left := errors.Is(context.Cause(session), errNotNeeded)
		done()
		r.follow()
		switch {
		case ctx.Err() != nil:
			return
		case left:
			r.parted()
			continue
		}
		r.failing = true
		if !wait.For(ctx, r.failed(r.feed.station.fault(err))) {
			return
		}
	}
}

// fault turns the end of a try into a fault, and logs what is a mistake of ours.
func (st *Station) fault(err error) *fault.Error {
	var p *barrier.PanicError
	if errors.As(err, &p) {
		st.panics.Add(1)
		st.log.Error("a feed's run panicked", "error", p, "stack", string(p.Stack))
		return fault.New(fault.Failed, err, "%v", p)
	}
	return fault.As(err)
}

// traced plays one session, as a span where somebody wants them.
func (r *run) traced(ctx context.Context) error {
	tracer := r.feed.station.cfg.Tracer
	if tracer == nil {
		return r.play(ctx)
	}
	ctx, span := tracer.Start(ctx, "camera session", trace.WithSpanKind(trace.SpanKindClient), trace.WithAttributes(attribute.String("webostrum.feed", r.record.Name)))
	defer span.End()
	err := r.play(ctx)
	if err != nil && ctx.Err() == nil {
		span.SetStatus(codes.Error, string(fault.As(err).Kind.Code))
	}
	return err
}

// play opens the camera and takes in what it sends until that ends.
func (r *run) play(ctx context.Context) error {
	r.liveSince = time.Time{}
	defer func() {
		r.feed.session.Store(nil)
		r.pipeline.Interrupted()
		if !r.liveSince.IsZero() {
			r.stale.Reset(r.feed.station.staleAfter)
		}
	}()
	c := r.record
	millis := func(n int) time.Duration { return time.Duration(n) * time.Millisecond }
	cfg := source.Config{
		URL: c.URL, User: c.User, Password: c.Password, DigestOnly: c.DigestOnly, KeepAlive: &r.feed.keepAlive,
		Transport: source.Transport(c.Transport), Fingerprint: c.Fingerprint,
		Fetch: source.Fetch(c.Fetch), Poll: millis(c.PollMillis),
		AnswerTimeout: millis(c.AnswerMillis), FirstTimeout: millis(c.FirstMillis), StallAfter: millis(c.StallMillis),
		FirstEpoch: r.next, Publish: r.publish, Audio: r.pipeline.Audio, AudioTrack: r.audioTrack, Started: r.started, Waiting: r.waiting, Connecting: r.connecting,
	}
	play := ingest.Play
	switch {
	case c.Pushed:
		play = r.receive
	case c.Combined.Kind == KindTurns:
		play = r.takeTurns
	case c.Combined.Kind == KindMosaic:
		play = r.mosaic
	}
	next, err := play(ctx, cfg)
	r.next = next
	return err
}

// started is told when the first frame of a session was published. A camera that goes
// over to another way of sending begins another session without having stopped.
func (r *run) started(s source.Session) {
	r.stale.Stop()
	r.failing = false
	r.feed.session.Store(&s)
	if r.liveSince.IsZero() {
		r.liveSince = time.Now()
		r.feed.change(StateLive, nil, 0, time.Time{})
	}
}

// waiting is told when a port is open and nobody sends to it.
func (r *run) waiting() { r.feed.change(StateWaiting, r.last, r.tries, time.Time{}) }

func (r *run) audioTrack(t *media.Track) {
	r.pipeline.AudioTrack(t)
	r.feed.station.changed()
}

func (r *run) publish(s *media.Sample) {
	if s.Epoch != r.epoch {
		r.epoch = s.Epoch
		r.next = max(r.next, s.Epoch.Number+1) // even when the session ends in a panic
		r.epochBegan(s)
	}
	r.feed.meter.sample(s)
	r.pipeline.Video(s)
}

// epochBegan notes the size of what comes in from here on.
func (r *run) epochBegan(s *media.Sample) {
	before, size := r.size, [2]int{s.Track.Width, s.Track.Height}
	r.size = size
	if before != size && before != [2]int{} {
		r.feed.note(EventChange, "the picture is now "+sizeText(size)+", it was "+sizeText(before))
	}
}

func sizeText(s [2]int) string { return strconv.Itoa(s[0]) + "x" + strconv.Itoa(s[1]) }

// failed notes a failed try and returns how long to wait before the next.
// Pauses begin small again only after the feed has been live for a while: one
// that comes up and falls over at once is left more and more time.
func (r *run) failed(why *fault.Error) time.Duration {
	r.last = why
	if r.record.Pushed {
		return 0
	}
	wasLive := !r.liveSince.IsZero()
	if wasLive && time.Since(r.liveSince) >= settled {
		r.tries = 0
	}
	r.tries++
	to := after(why, wasLive)
	d := pause(to, why, r.tries, rand.Float64())
	if r.record.Combined.Kind != "" {
		d = min(d, longestCombined)
	}
	r.feed.findAgain(why)
	r.feed.follow(why)
	r.feed.change(to, why, r.tries, time.Now().Add(d))
	return d
}
