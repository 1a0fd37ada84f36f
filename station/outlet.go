package station

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"sync/atomic"
	"time"

	"webostrum/core/hls"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/core/rendition"
	"webostrum/deliver/memfile"
	"webostrum/deliver/problem"
	"webostrum/store"
	"webostrum/transcode"
)

// Automatic is the name of the rendition that is made for HLS of a camera whose
// pictures HLS cannot carry.
const Automatic = "automatic"

// defaultLease is how long segments are made after the last request for their
// list.
const defaultLease = 30 * time.Second

// idle is how long an outlet waits for a picture before it looks whether there is
// something else to do.
const idle = 100 * time.Millisecond

// outlet is a rendition on its way to HLS players.
type outlet struct {
	name      string
	segmenter *hls.Segmenter
	output    *transcode.Output // nil for the camera's own video
	lease     *time.Timer       // ends it
	always    bool              // it has no lease; guarded by the run's mu
	cancel    context.CancelFunc
	epoch     *media.Epoch // of the newest picture; for serve alone

	gap  atomic.Bool // the camera has stopped sending: end the segment in the making
	past atomic.Bool // it did so long ago: drop what was made
}

var errOff = problem.Problem{
	Status: http.StatusServiceUnavailable, Code: "feed-off", Detail: "The feed is switched off.", Remedy: "Switch it on, or ask again later.",
}

func unknownRendition(name string) error {
	return problem.Problem{
		Status: http.StatusNotFound, Code: "rendition-unknown", Detail: fmt.Sprintf("The feed has no rendition %q.", name),
		Remedy: "List the feed's renditions to see which there are.",
	}
}

// cannotTranscode turns the transcoder's refusals into answers.
func cannotTranscode(err error) error {
	if errors.Is(err, transcode.ErrNoWorker) {
		return problem.Problem{
			Status: http.StatusServiceUnavailable, Code: "transcoder-missing", Detail: "This needs a transcoding, and the codec worker is missing here.",
			Remedy: "Put webostrum-codecs beside webostrum, or say where it is with --codecs, and start the service again.",
		}
	}
	return problem.Problem{Status: http.StatusServiceUnavailable, Code: "transcoding-refused", Detail: err.Error()}
}

// Open implements hls.Feed.
func (f *Feed) Open(ctx context.Context, rendition string) (*hls.Segmenter, error) {
	r := f.present()
	if r == nil {
		return nil, errOff
	}
	if rendition == "" || rendition == hls.Original {
		codec, err := r.codec(ctx)
		switch {
		case err != nil:
			return nil, err
		case codec == media.H264:
			return r.outlet(hls.Original, nil)
		case rendition == hls.Original:
			return nil, problem.Problem{
				Status: http.StatusNotFound, Code: "rendition-not-for-hls", Detail: "The camera sends JPEG, which HLS cannot carry.",
				Remedy: "Ask for index.m3u8, which has it transcoded, or for ../mjpeg, which gives it as it is.",
			}
		}
		rendition = Automatic
	}
	request, err := f.videoRequest(rendition, plan.HLS)
	if err != nil {
		return nil, err
	}
	return r.outlet(rendition, &request)
}

// Segments implements hls.Feed.
func (f *Feed) Segments(rendition string) *hls.Segmenter {
	r := f.present()
	if r == nil {
		return nil
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if o := r.outlets[rendition]; o != nil {
		return o.segmenter
	}
	return nil
}

// request says what a rendition's name stands for.
func (f *Feed) request(name string) (transcode.Request, error) {
	record := f.stored()
	if name == Automatic {
		return RenditionRequest(store.Rendition{Codec: string(media.H264)}, record)
	}
	for _, r := range record.Renditions {
		if r.Name == name {
			return RenditionRequest(r, record)
		}
	}
	return transcode.Request{}, unknownRendition(name)
}

// videoRequest is request for a delivery that carries H.264 alone.
func (f *Feed) videoRequest(name string, d plan.Delivery) (transcode.Request, error) {
	request, err := f.request(name)
	if err == nil && request.Codec != media.H264 {
		err = problem.Problem{
			Status: http.StatusNotFound, Code: "rendition-not-for-" + string(d), Detail: "That rendition is Motion JPEG, which " + d.Name() + " does not carry.",
			Remedy: "Ask for ../mjpeg?rendition=" + name + ".",
		}
	}
	return request, err
}

// RenditionRequest is what a feed's rendition asks for; the error says what is wrong with it.
// Keyframes come as often as segments are to begin, unless something else is asked
// for, and {place} in its text is the feed's title.
func RenditionRequest(r store.Rendition, feed store.Feed) (transcode.Request, error) {
	size, err := rendition.ParseSize(r.Size)
	if err != nil {
		return transcode.Request{}, err
	}
	w := transcode.Request{Rendition: rendition.Rendition{
		Codec: media.Codec(r.Codec), Size: size, FrameRate: r.FrameRate, BitRate: r.BitRate, KeySeconds: r.KeySeconds,
		Profile: rendition.Profile(r.Profile), Quality: r.Quality,
	}}
	if w.KeySeconds == 0 && w.Codec == media.H264 {
		w.KeySeconds = (time.Duration(feed.SegmentMillis) * time.Millisecond).Seconds()
	}
	if r.Text != "" {
		w.Text = &rendition.Text{Template: r.Text, Place: feed.Title, Corner: rendition.Corner(r.TextCorner), Size: r.TextSize}
	}
	return w, w.Validate()
}

// outlet returns what makes a rendition's segments, and begins it if need be; without
// a request it is the camera's own video.
func (r *run) outlet(name string, w *transcode.Request) (*hls.Segmenter, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.outletLocked(name, w, false)
}

func (r *run) outletLocked(name string, w *transcode.Request, always bool) (*hls.Segmenter, error) {
	if r.ended {
		return nil, errOff
	}
	if o := r.outlets[name]; o != nil {
		if !o.always {
			o.lease.Reset(r.feed.station.lease)
		}
		return o.segmenter, nil
	}
	var output *transcode.Output
	release := func() {}
	if w != nil {
		var err error
		if output, err = r.transcoder.Use(*w); err != nil {
			return nil, cannotTranscode(err)
		}
		release = output.Release
	}
	id := r.name
	if r.opened++; r.opened > 1 {
		id = newRun()
	}
	segmenter, err := hls.New(r.cutting(id, name))
	if err != nil {
		release()
		return nil, err
	}
	ctx, cancel := context.WithCancel(context.Background())
	o := &outlet{name: name, segmenter: segmenter, output: output, always: always, cancel: cancel, lease: time.AfterFunc(r.feed.station.lease, cancel)}
	if always {
		o.lease.Stop()
	}
	r.outlets[name] = o
	r.parts.Go(func() { r.serve(ctx, o) })
	return segmenter, nil
}

// cutting says how a rendition is cut.
func (r *run) cutting(id, name string) hls.Config {
	return hls.Config{
		Run: id, Name: name, Start: time.Now(), Wanted: time.Duration(r.record.SegmentMillis) * time.Millisecond, Listed: r.record.PlaylistLength, Keep: memfile.Keep,
	}
}

// arrangeOriginal has the camera's own video cut all the time, where it is H.264 and
// nothing has to be transcoded for that which is transcoded only while somebody
// listens.
func (r *run) arrangeOriginal() {
	if r.known() != media.H264 {
		return
	}
	p := r.feed.audioPlan(plan.HLS, r.audioTrack.Load())
	always := !p.Transcode || p.Always
	r.mu.Lock()
	defer r.mu.Unlock()
	if o := r.outlets[hls.Original]; o != nil {
		if o.always = always; always {
			o.lease.Stop()
		} else {
			o.lease.Reset(r.feed.station.lease)
		}
		return
	}
	if always {
		_, _ = r.outletLocked(hls.Original, nil, true) // what may be wrong was looked at when the run began
	}
}

// serve makes segments until nobody asks for them any more.
func (r *run) serve(ctx context.Context, o *outlet) {
	r.note(o, "transcoding began: "+o.what())
	source := r.hub
	if o.output != nil {
		source = o.output.Hub()
	}
	reader := source.NewReader()
	side := &audioSide{run: r, segmenter: o.segmenter}
	for ctx.Err() == nil {
		s, err := o.next(ctx, reader)
		if err != nil {
			break
		}
		if s == nil {
			continue
		}
		if s.Epoch != o.epoch {
			o.epoch = s.Epoch // the camera is back: there is nothing to end or to forget any more
			o.gap.Store(false)
			o.past.Store(false)
		}
		side.arrange(s)
		if err := o.segmenter.Write(s); err != nil {
			r.feed.tell(EventWarning, err.Error())
		}
		side.pour()
	}
	reader.Close()
	side.close()
	r.mu.Lock()
	if r.outlets[o.name] == o {
		delete(r.outlets, o.name)
	}
	r.mu.Unlock()
	o.lease.Stop()
	o.cancel()
	if o.output != nil {
		share := r.share(o.output)
		o.output.Release()
		r.note(o, "nobody watches "+o.name+" any more"+share)
	}
	o.segmenter.Forget()
}

// next returns the next picture; none when there was none for a while.
func (o *outlet) next(ctx context.Context, reader *hub.Reader) (*media.Sample, error) {
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

// note writes an event about a transcoding; the camera's own video is none.
func (r *run) note(o *outlet, text string) {
	if o.output != nil {
		r.feed.tell(EventTranscode, text)
	}
}

func (o *outlet) what() string {
	if o.name == Automatic {
		return "the camera sends JPEG, which HLS cannot carry, so it is made into H.264 while somebody watches"
	}
	return "rendition " + o.name + ", while somebody watches"
}

// share says what an output takes, once it is known.
func (r *run) share(output *transcode.Output) string {
	costs := r.transcoder.Costs()
	for _, o := range costs.Outputs {
		if e, _, known := output.Encoding(); known && o.Encoding == e && o.Share > 0 {
			return fmt.Sprintf("; transcoding took %.0f %% of a core, %.0f %% of it for decoding", 100*costs.Processor, 100*costs.Decoding)
		}
	}
	return ""
}

// drop ends the outlets that are chosen, so that the next request has them made
// as they are recorded then.
func (r *run) drop(which func(name string) bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for name, o := range r.outlets {
		if which(name) {
			delete(r.outlets, name)
			o.cancel()
		}
	}
}

// forget drops what was made: it is the past.
func (r *run) forget() {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, o := range r.outlets {
		o.past.Store(true)
		o.segmenter.Forget()
	}
}

// interrupted says that the camera has stopped sending.
func (r *run) interrupted() {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, o := range r.outlets {
		o.gap.Store(true)
	}
}
