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
	"webostrum/transcode"
)

// DefaultLease is how long segments are made after the last request for their
// playlist.
const DefaultLease = 30 * time.Second

// idle is how long an output waits for a frame before it looks whether there is
// something else to do.
const idle = 100 * time.Millisecond

// hlsOutputs are the renditions that segments are made of at present.
type hlsOutputs struct {
	going sync.WaitGroup

	mu     sync.Mutex
	ended  bool                  // guarded by mu
	byName map[string]*hlsOutput // guarded by mu
	opened int                   // so far; guarded by mu
}

func (h *hlsOutputs) init() { h.byName = make(map[string]*hlsOutput) }

// hlsOutput makes the segments of one rendition.
type hlsOutput struct {
	name      string
	segmenter *hls.Segmenter
	output    *transcode.Output // nil for the camera's own video
	lease     *time.Timer       // ends it
	always    bool              // it has no lease; guarded by hlsOutputs.mu
	cancel    context.CancelFunc
	epoch     *media.Epoch // of the newest frame; for serve alone

	gap  atomic.Bool // the camera has stopped sending: end the segment in the making
	past atomic.Bool // it did so long ago: drop what was made
}

// Playlist returns what makes a rendition's segments once there is a playlist; the
// empty name is the rendition that suits the feed. It begins what is not made yet, and
// waits until ctx ends. Errors are *fault.Error or the context's.
func (p *Pipeline) Playlist(ctx context.Context, name string) (*hls.Segmenter, error) {
	g, err := p.open(ctx, name)
	if err != nil {
		return nil, err
	}
	return g, p.wait(ctx, g.Ready())
}

func (p *Pipeline) open(ctx context.Context, name string) (*hls.Segmenter, error) {
	if p.off(access.HLS) {
		return nil, fault.New(fault.DeliveryOff, nil, "This feed does not give HLS.")
	}
	if name == "" || name == hls.Original {
		codec, err := p.codec(ctx)
		switch {
		case err != nil:
			return nil, err
		case codec == media.H264:
			return p.hlsOutput(hls.Original, nil)
		case name == hls.Original:
			return nil, fault.New(fault.RenditionUnfit, nil, "the camera sends JPEG, which HLS cannot carry; index.m3u8 has it transcoded")
		}
		name = Automatic
	}
	r, err := p.videoRequest(name, plan.HLS)
	if err != nil {
		return nil, err
	}
	return p.hlsOutput(name, &r)
}

// Segments returns what makes a rendition's segments at present, or nil.
func (p *Pipeline) Segments(name string) *hls.Segmenter {
	p.hls.mu.Lock()
	defer p.hls.mu.Unlock()
	if o := p.hls.byName[name]; o != nil {
		return o.segmenter
	}
	return nil
}

// Target returns the target duration of the playlist that players get; zero as long as
// there is none.
func (p *Pipeline) Target() time.Duration {
	for _, name := range []string{hls.Original, Automatic} {
		if g := p.Segments(name); g != nil {
			return g.Target()
		}
	}
	return 0
}

// hlsOutput returns what makes a rendition's segments, and begins it if need be;
// without a request it is the camera's own video.
func (p *Pipeline) hlsOutput(name string, r *transcode.Request) (*hls.Segmenter, error) {
	p.hls.mu.Lock()
	defer p.hls.mu.Unlock()
	return p.hlsOutputLocked(name, r, false)
}

func (p *Pipeline) hlsOutputLocked(name string, r *transcode.Request, always bool) (*hls.Segmenter, error) {
	h := &p.hls
	if h.ended {
		return nil, fault.New(fault.FeedOff, nil, "")
	}
	if o := h.byName[name]; o != nil {
		if !o.always {
			o.lease.Reset(p.cfg.Lease)
		}
		return o.segmenter, nil
	}
	var output *transcode.Output
	release := func() {}
	if r != nil {
		var err error
		if output, err = p.use(*r); err != nil {
			return nil, err
		}
		release = output.Release
	}
	id := p.cfg.Run
	if h.opened++; h.opened > 1 {
		id = NewRun()
	}
	segmenter, err := hls.New(p.cutting(id, name))
	if err != nil {
		release()
		return nil, err
	}
	ctx, cancel := context.WithCancel(context.Background())
	o := &hlsOutput{name: name, segmenter: segmenter, output: output, always: always, cancel: cancel, lease: time.AfterFunc(p.cfg.Lease, cancel)}
	if always {
		o.lease.Stop()
	}
	h.byName[name] = o
	h.going.Go(func() { p.serve(ctx, o) })
	return segmenter, nil
}

// cutting says how a rendition is cut.
func (p *Pipeline) cutting(id, name string) hls.Config {
	r := p.cfg.Record()
	return hls.Config{
		Run: id, Name: name, Start: time.Now(), Wanted: time.Duration(r.SegmentMillis) * time.Millisecond, Listed: r.PlaylistLength, Keep: memfile.Keep,
	}
}

// off says whether the feed does not give a delivery.
func (p *Pipeline) off(d access.Delivery) bool {
	return slices.Contains(strings.Fields(p.cfg.Record().SwitchedOff), string(d))
}

// arrangeOriginal has the camera's own video cut all the time, where it is H.264 and
// nothing has to be transcoded for that which is transcoded only while somebody
// listens.
func (p *Pipeline) arrangeOriginal() {
	if p.Codec() != media.H264 {
		return
	}
	if p.off(access.HLS) {
		p.hls.drop(func(string) bool { return true })
		return
	}
	a := p.AudioPlan(plan.HLS)
	always := !a.Transcode || a.Always
	p.hls.mu.Lock()
	defer p.hls.mu.Unlock()
	if o := p.hls.byName[hls.Original]; o != nil {
		if o.always = always; always {
			o.lease.Stop()
		} else {
			o.lease.Reset(p.cfg.Lease)
		}
		return
	}
	if always {
		_, _ = p.hlsOutputLocked(hls.Original, nil, true) // what may be wrong was looked at when the run began
	}
}

// serve makes segments until nobody asks for them any more.
func (p *Pipeline) serve(ctx context.Context, o *hlsOutput) {
	p.noteOutput(o, "transcoding began: "+o.why())
	if err := barrier.Do(func() error { return p.cut(ctx, o) }); err != nil {
		p.cfg.Note(NoteWarning, "Making segments of "+o.name+" broke off: "+err.Error()+".")
	}
	p.hls.mu.Lock()
	if p.hls.byName[o.name] == o {
		delete(p.hls.byName, o.name)
	}
	p.hls.mu.Unlock()
	o.lease.Stop()
	o.cancel()
	if o.output != nil {
		share := p.share(o.output)
		o.output.Release()
		p.noteOutput(o, "nobody watches "+o.name+" any more"+share)
	}
	o.segmenter.Forget()
}

func (p *Pipeline) cut(ctx context.Context, o *hlsOutput) error {
	source := p.input.video
	if o.output != nil {
		source = o.output.Hub()
	}
	reader := source.NewReader()
	defer reader.Close()
	audio := &hlsAudio{pipeline: p, segmenter: o.segmenter}
	defer audio.close()
	for ctx.Err() == nil {
		s, err := o.next(ctx, reader)
		if err != nil {
			return nil // the output or the run has ended
		}
		if s == nil {
			continue
		}
		if s.Epoch != o.epoch {
			o.epoch = s.Epoch // the camera is back: there is nothing to end or to forget any more
			o.gap.Store(false)
			o.past.Store(false)
		}
		audio.arrange(s)
		if err := o.segmenter.Write(s); err != nil {
			p.cfg.Note(NoteWarning, err.Error())
		}
		audio.pour()
	}
	return nil
}

// next returns the next frame; none when there was none for a while.
func (o *hlsOutput) next(ctx context.Context, reader *hub.Reader) (*media.Sample, error) {
	if s := reader.Try(); s != nil {
		return s, nil
	}
	wait, cancel := context.WithTimeout(ctx, idle)
	defer cancel()
	s, _, err := reader.Next(wait)
	if err == nil || ctx.Err() != nil || !errors.Is(err, context.DeadlineExceeded) {
		return s, err
	}
	if o.gap.Swap(false) {
		o.segmenter.Break()
	}
	if o.past.Swap(false) {
		o.segmenter.Forget()
	}
	return nil, nil
}

// noteOutput notes something about transcoding; the camera's own video is none.
func (p *Pipeline) noteOutput(o *hlsOutput, text string) {
	if o.output != nil {
		p.cfg.Note(NoteTranscode, text)
	}
}

func (o *hlsOutput) why() string {
	if o.name == Automatic {
		return "the camera sends JPEG, which HLS cannot carry, so it is transcoded to H.264 while somebody watches"
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

// drop ends the outputs that are chosen, so that the next request has them made as
// they are recorded then.
func (h *hlsOutputs) drop(which func(name string) bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for name, o := range h.byName {
		if which(name) {
			delete(h.byName, name)
			o.cancel()
		}
	}
}

func (h *hlsOutputs) forget() {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, o := range h.byName {
		o.past.Store(true)
		o.segmenter.Forget()
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
	h.drop(func(string) bool { return true })
	h.going.Wait()
}

// NewRun names a run.
func NewRun() string { return strings.ToLower(rand.Text()[:8]) }
