package pipeline

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"webostrum/access"
	"webostrum/barrier"
	"webostrum/core/fault"
	"webostrum/core/hls"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/deliver/memfile"
	"webostrum/store"
	"webostrum/transcode"
)

// DefaultLease is how long segments are made after the last request for their
// playlist.
const DefaultLease = 30 * time.Second

// idle is how long an output waits for a frame before it looks whether there is
// something else to do.
const idle = 100 * time.Millisecond

// hlsOutputs are the tracks that are made at present.
type hlsOutputs struct {
	going sync.WaitGroup

	mu     sync.Mutex
	ended  bool                  // guarded by mu
	byName map[string]*hlsOutput // guarded by mu
}

func (h *hlsOutputs) init() { h.byName = make(map[string]*hlsOutput) }

// hlsOutput makes one track.
type hlsOutput struct {
	name   string
	track  *hls.Track
	video  *transcode.Output // nil for the camera's own video, and for audio
	audio  *Audio            // nil for video
	source *media.Track      // the camera's audio that it is made of
	lease  *time.Timer       // ends it
	always bool              // it has no lease; guarded by hlsOutputs.mu
	cancel context.CancelFunc
	epoch  *media.Epoch // of the newest frame; for serve alone

	gap  atomic.Bool // the camera has stopped sending: end the segment in the making
	past atomic.Bool // it did so long ago: drop what was made
}

// Track returns a track once there is a playlist of it: a rendition's, or hls.Audio. It
// begins what is not made yet, and waits until ctx ends. Errors are *fault.Error or the
// context's.
func (p *Pipeline) Track(ctx context.Context, name string) (*hls.Track, error) {
	if p.off(access.HLS) {
		return nil, fault.New(fault.DeliveryOff, nil, "This feed does not give HLS.")
	}
	codec, err := p.codec(ctx)
	if err != nil {
		return nil, err
	}
	for { // whoever waits keeps it from ending
		t, err := p.open(name, codec)
		if err != nil {
			return nil, err
		}
		wait, cancel := context.WithTimeout(ctx, p.cfg.Lease/2)
		err = p.wait(wait, t.Ready())
		cancel()
		if err == nil || ctx.Err() != nil || !errors.Is(err, context.DeadlineExceeded) {
			return t, err
		}
	}
}

func (p *Pipeline) open(name string, codec media.Codec) (*hls.Track, error) {
	h := &p.hls
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.ended {
		return nil, fault.New(fault.FeedOff, nil, "")
	}
	if o := h.byName[name]; o != nil {
		if !o.always {
			o.lease.Reset(p.cfg.Lease)
		}
		return o.track, nil
	}
	o := &hlsOutput{name: name}
	switch {
	case name == hls.Audio:
		o.source = p.input.track.Load()
		if o.audio = p.openAudio(p.AudioPlan(plan.HLS), o.source); o.audio == nil {
			return nil, fault.New(fault.RenditionUnknown, nil, "this feed has no sound by HLS")
		}
	case name != hls.Original:
		r, err := p.videoRequest(name, plan.HLS)
		if err != nil {
			return nil, err
		}
		r.Whole = true
		if o.video, err = p.use(r); err != nil {
			return nil, err
		}
	case p.hlsVideo(codec).Transcode:
		return nil, fault.New(fault.RenditionUnfit, nil, "%s; index.m3u8 has it transcoded", p.hlsVideo(codec).Why)
	}
	p.beginLocked(o)
	return o.track, nil
}

// beginLocked begins to make a track.
func (p *Pipeline) beginLocked(o *hlsOutput) {
	h := &p.hls
	var ctx context.Context
	ctx, o.cancel = context.WithCancel(context.Background())
	o.track = p.presentation.Open(o.name)
	o.lease = time.AfterFunc(p.cfg.Lease, o.cancel)
	h.byName[o.name] = o
	h.going.Go(func() { p.serve(ctx, o) })
}

// Made returns a track if it is being made at present, or nil.
func (p *Pipeline) Made(name string) *hls.Track {
	p.hls.mu.Lock()
	defer p.hls.mu.Unlock()
	if o := p.hls.byName[name]; o != nil {
		return o.track
	}
	return nil
}

// Target returns the target duration of the playlist that players get; zero as long as
// there is none.
func (p *Pipeline) Target() time.Duration {
	for _, name := range []string{hls.Original, Automatic} {
		if t := p.Made(name); t != nil {
			return t.Target()
		}
	}
	return 0
}

// cutting says how a run is cut.
func (p *Pipeline) cutting() hls.Config {
	l := Lengths(p.cfg.Record())
	return hls.Config{Run: p.cfg.Run, Start: time.Now(), Keep: memfile.Keep, Wanted: l.Segment, Part: l.Part, Listed: l.Listed}
}

// Lengths says how a feed is cut.
func Lengths(r store.Feed) plan.Lengths { return Wish(r).Lengths() }

// Wish is how far behind a feed's picture may be, and what is set by hand.
func Wish(r store.Feed) plan.Wish {
	millis := func(n int) time.Duration { return time.Duration(n) * time.Millisecond }
	return plan.Wish{Within: millis(r.WithinMillis), Segment: millis(r.SegmentMillis), Part: millis(r.PartMillis), Listed: r.PlaylistLength}
}

// off says whether the feed does not give a delivery.
func (p *Pipeline) off(d access.Delivery) bool {
	return slices.Contains(strings.Fields(p.cfg.Record().SwitchedOff), string(d))
}

// arrange has all made that costs nothing, or is to be made whether somebody watches or
// not: the camera's own video where it is H.264, and audio that is not transcoded only
// while somebody listens.
func (p *Pipeline) arrange() {
	if p.off(access.HLS) {
		p.hls.drop(func(*hlsOutput) bool { return true })
		return
	}
	codec := p.Codec()
	if codec == "" {
		return
	}
	a, source := p.AudioPlan(plan.HLS), p.input.track.Load()
	changed := func(o *hlsOutput) bool {
		return o.audio != nil && (a.Codec == "" || !media.SameAudio(o.source, source) || (o.audio.Hub == p.input.audio) == a.Transcode)
	}
	if p.hls.drop(changed) {
		p.presentation.Cuts().Discontinue()
	}
	if !p.hlsVideo(codec).Transcode {
		p.always(hls.Original, codec, true)
	}
	p.always(hls.Audio, codec, a.Codec != "" && source != nil && (!a.Transcode || a.Always))
}

// always has a track made whether somebody watches or not, or no longer so.
func (p *Pipeline) always(name string, codec media.Codec, on bool) {
	if on {
		_, _ = p.open(name, codec) // what may be wrong with it was looked at before
	}
	p.hls.mu.Lock()
	defer p.hls.mu.Unlock()
	o := p.hls.byName[name]
	if o == nil || o.always == on {
		return
	}
	if o.always = on; on {
		o.lease.Stop()
	} else {
		o.lease.Reset(p.cfg.Lease)
	}
}

// serve makes a track until nobody asks for it any more.
func (p *Pipeline) serve(ctx context.Context, o *hlsOutput) {
	p.noteOutput(o, "transcoding began: "+p.why(o))
	make := p.cutVideo
	if o.audio != nil {
		make = p.cutAudio
	}
	if err := barrier.Do(func() error { return make(ctx, o) }); err != nil {
		p.cfg.Note(NoteWarning, "Making segments of "+o.name+" broke off: "+err.Error()+".")
	}
	p.hls.mu.Lock()
	if p.hls.byName[o.name] == o {
		delete(p.hls.byName, o.name)
	}
	p.hls.mu.Unlock()
	o.lease.Stop()
	o.cancel()
	if o.video != nil {
		share := p.share(o.video)
		o.video.Release()
		p.noteOutput(o, "nobody watches "+o.name+" any more"+share)
	}
	if o.audio != nil {
		o.audio.Release()
	}
	o.track.End()
}

func (p *Pipeline) cutVideo(ctx context.Context, o *hlsOutput) error {
	source := p.input.video
	if o.video != nil {
		source = o.video.Hub()
	}
	reader := source.NewReader()
	defer reader.Close()
	for ctx.Err() == nil {
		s, err := o.next(ctx, reader, o.track.Break)
		if err != nil {
			return nil // the output or the run has ended
		}
		if s == nil {
			continue
		}
		if err := o.track.WriteVideo(s); err != nil {
			p.cfg.Note(NoteWarning, err.Error())
		}
	}
	return nil
}

// cutAudio lays audio beside the camera's frames. It begins some segments before the one
// in the making, so that there is something to play at once.
func (p *Pipeline) cutAudio(ctx context.Context, o *hlsOutput) error {
	w, err := hls.NewAudioWriter(o.track, o.audio.Track)
	if err != nil {
		return err
	}
	from := time.Now()
	cut, ok := p.presentation.Cuts().Beginning()
	if ok {
		from = cut.Begins
	}
	frames := p.input.video.NewReaderAt(cut.With)
	defer frames.Close()
	const earlier = 200 * time.Millisecond // the unit that the frame falls into
	audio := o.audio.Hub.NewReaderFrom(from.Add(-earlier))
	defer audio.Close()
	broken := func() { _ = w.Break() }
	for ctx.Err() == nil {
		s, err := o.next(ctx, frames, broken)
		if err != nil {
			return nil
		}
		if s != nil {
			if err := w.Frame(s); err != nil {
				return err
			}
		}
		for unit := audio.Try(); unit != nil; unit = audio.Try() {
			if err := w.Audio(unit); err != nil {
				return err
			}
		}
	}
	return nil
}

// next returns the next frame; none when there was none for a while.
func (o *hlsOutput) next(ctx context.Context, reader *hub.Reader, broken func()) (*media.Sample, error) {
	s := reader.Try()
	if s == nil {
		var err error
		if s, err = o.waitNext(ctx, reader, broken); err != nil || s == nil {
			return nil, err
		}
	}
	if s.Epoch != o.epoch {
		o.epoch = s.Epoch // the camera is back: there is nothing to end or to forget any more
		o.gap.Store(false)
		o.past.Store(false)
	}
	return s, nil
}

func (o *hlsOutput) waitNext(ctx context.Context, reader *hub.Reader, broken func()) (*media.Sample, error) {
	wait, cancel := context.WithTimeout(ctx, idle)
	defer cancel()
	s, _, err := reader.Next(wait)
	if err == nil || ctx.Err() != nil || !errors.Is(err, context.DeadlineExceeded) {
		return s, err
	}
	if o.gap.Swap(false) {
		broken()
	}
	if o.past.Swap(false) {
		o.track.Forget()
	}
	return nil, nil
}

// noteOutput notes something about transcoding; the camera's own video is none.
func (p *Pipeline) noteOutput(o *hlsOutput, text string) {
	if o.video != nil {
		p.cfg.Note(NoteTranscode, text)
	}
}

func (p *Pipeline) why(o *hlsOutput) string {
	if o.name == Automatic {
		return p.hlsVideo(p.Codec()).Why + ", so it is transcoded to H.264 while somebody watches"
	}
	return "rendition " + o.name + ", while somebody watches"
}

// share says what an output takes, once it is known.
func (p *Pipeline) share(output *transcode.Output) string {
	costs := p.video.Costs()
	for _, o := range costs.Outputs {
		if e, _, known := output.Encoding(); known && o.Encoding == e && o.Share > 0 {
			return fmt.Sprintf("; transcoding took %.0f %% of a core, %.0f %% of it for decoding", 100*costs.Processor, 100*costs.Decoding)
		}
	}
	return ""
}

// drop ends the outputs that are chosen, so that the next request has them made as they
// are recorded then. It says whether there were any.
func (h *hlsOutputs) drop(which func(*hlsOutput) bool) (dropped bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for name, o := range h.byName {
		if which(o) {
			delete(h.byName, name)
			o.cancel()
			dropped = true
		}
	}
	return dropped
}

func (h *hlsOutputs) forget() {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, o := range h.byName {
		o.past.Store(true)
		o.track.Forget()
	}
}

func (h *hlsOutputs) interrupted() {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, o := range h.byName {
		o.gap.Store(true)
	}
}

// close ends all outputs and waits for that.
func (h *hlsOutputs) close() {
	h.mu.Lock()
	h.ended = true
	h.mu.Unlock()
	h.drop(func(*hlsOutput) bool { return true })
	h.going.Wait()
}

// NewRun names a run.
func NewRun() string { return strings.ToLower(rand.Text()[:8]) }
