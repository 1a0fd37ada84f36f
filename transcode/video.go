package transcode

import (
	"context"
	"slices"
	"time"

	"webostrum/core/h264"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
)

// MostOutputs is how many outputs of video a feed may have at a time; the worker's own
// limit is higher.
const MostOutputs = 12

const (
	repeatAfter = 500 * time.Millisecond // video goes on with the last frame when no new one comes
	mayWait     = 2                      // frames that may wait before the ones in front are only decoded
)

// Video transcodes one feed's video.
type Video struct{ transcoder }

// NewVideo makes a transcoder of video. Close it.
func NewVideo(cfg Config) *Video {
	v := &Video{}
	v.start(cfg, func(s *session) medium { return &video{session: s, keysOnly: true} })
	return v
}

// Use has something made, or joins those who use it already. Nothing is begun when there
// are as many outputs as most says, so that some can be kept for others. Release the
// output when it is no longer needed.
func (v *Video) Use(r Request, most int) (*Output, error) {
	if err := r.Validate(); err != nil && v.cfg.Program != "" {
		return nil, err
	}
	return v.use(r, min(most, MostOutputs), hub.Config{})
}

// video is a session's medium.
type video struct {
	*session
	keysOnly bool          // the worker gets keyframes alone
	again    bool          // frames may come that were handed over before
	last     *media.Sample // handed over
	arrived  time.Time     // when it was
	lastAt   time.Time     // when it, or its repetition, was
	back     bool          // segments are made of what was added
	catching bool          // frames are read that are not new any more, to make segments whole
	cut      uint64        // media sequence number of the newest segment
}

// wanted decides whether keyframes are enough. When they no longer are, reading
// begins anew at the newest one.
func (v *video) wanted(list []*Output) {
	only := true
	for _, o := range list {
		only = only && o.request.KeyframesOnly
	}
	if only == v.keysOnly {
		return
	}
	v.keysOnly = only
	v.reader.Close()
	v.reader = v.t.cfg.Source.NewReader()
	v.again = true
	if v.whole(list) {
		v.goBack()
	}
}

// whole says whether segments are made of any output.
func (v *video) whole(list []*Output) bool {
	v.t.mu.Lock()
	defer v.t.mu.Unlock()
	return slices.ContainsFunc(list, func(o *Output) bool { return o.request.Whole })
}

// read passes over a frame that can be decoded by itself when a newer one is there.
func (v *video) read(ctx context.Context) (*media.Sample, uint64, error) {
	if v.keysOnly || v.first != nil && v.first.Track.Codec.Intra() {
		sample, missed, err := v.reader.Newest(ctx)
		if v.keysOnly {
			missed = 0
		}
		return sample, missed, err
	}
	return v.reader.Next(ctx)
}

func (v *video) same(a, b *media.Sample) bool { return a.Epoch == b.Epoch }

func (v *video) begin(s *media.Sample) error {
	v.last, v.again = nil, true
	return v.worker.Input(workerproto.InputOf(s.Track))
}

func (v *video) bind(o *Output, number uint32) (*binding, error) {
	source := v.first
	v.t.mu.Lock()
	v.back = v.back || o.request.Whole
	v.t.mu.Unlock()
	encoding, note := o.request.Resolve(source.Track.Width, source.Track.Height)
	v.t.mu.Lock()
	o.encoding, o.note = encoding, note
	v.t.mu.Unlock()
	b := &binding{output: o, source: source.Epoch}
	maker := frames{output: o, source: source, encoding: encoding}
	b.sample = maker.sample
	return b, v.worker.Output(workerproto.Output{Number: number, Encoding: encoding})
}

// bound gives what was added the last frame at once where the next one may be long
// in coming. Of H.264 it goes back some segments.
func (v *video) bound() error {
	switch {
	case v.last == nil:
		v.back = false // it has only begun to read
		return nil
	case v.last.Track.Codec.Intra():
		return v.send(v.last, false)
	}
	if v.back {
		v.goBack()
	}
	return nil
}

// goBack has frames read again from some segments before the newest on: what was added is
// to have whole segments at once.
func (v *video) goBack() {
	cuts := v.t.cfg.Cuts
	if cuts == nil || v.keysOnly {
		return
	}
	from, ok := cuts.Beginning()
	if !ok || from.Epoch.Video().Codec.Intra() {
		return
	}
	v.reader.Close()
	v.reader = v.t.cfg.Source.NewReaderAt(from.With)
	v.again, v.catching, v.cut, v.back = true, true, 0, false
}

// frames makes samples of the coded frames of one binding.
type frames struct {
	output   *Output
	source   *media.Sample
	encoding rendition.Encoding
	params   h264.ParamKeeper
	jpeg     media.VideoConfig
	track    *media.Track
}

func (f *frames) sample(stamp workerproto.Stamp, data []byte) *media.Sample {
	jpeg := f.encoding.Codec == media.JPEG
	if jpeg && f.output.source == f.source.Epoch && stamp.PTS <= f.output.last {
		return nil // it was made before
	}
	config := &f.jpeg
	if jpeg {
		f.jpeg = media.VideoConfig{Codec: media.JPEG, Width: f.encoding.Width, Height: f.encoding.Height}
	} else {
		data = f.params.TakeOut(data)
		if config = f.params.Current(); config == nil || data == nil {
			return nil
		}
	}
	if f.track == nil || !f.track.Video.Equal(config) {
		f.track = media.VideoTrack(1, f.source.Track.ClockRate, config)
	}
	return &media.Sample{
		Track: f.track, DTS: stamp.PTS, PTS: stamp.PTS, Captured: time.Unix(0, stamp.Captured), Key: stamp.Key || jpeg, Data: data,
	}
}

// hand gives the worker a frame. One that others wait behind is only decoded: whole
// frames are left out, and nothing falls behind without end. So is one of which
// everything was made by the worker before.
func (v *video) hand(s *media.Sample) error {
	if v.again = v.again && v.past(s); v.again {
		return v.send(s, true)
	}
	late := !v.keysOnly && !s.Track.Codec.Intra() && v.reader.Behind() > mayWait
	if v.catching = v.catching && late; v.catching {
		late = false
	}
	switch {
	case !late:
		v.last, v.arrived = s, time.Now()
	case v.last != nil: // else it is catching up from the last keyframe
		v.t.dropped(1)
	}
	return v.send(s, late)
}

func (v *video) send(s *media.Sample, late bool) error {
	v.lastAt = time.Now()
	cut := v.begins(s.Epoch, s.PTS)
	return v.worker.Frame(workerproto.Stamp{PTS: s.PTS, Captured: s.Captured.UnixNano(), Key: s.Key, Late: late && !cut, Cut: cut}, s.Data)
}

// begins says whether a segment begins with a frame.
func (v *video) begins(e *media.Epoch, pts int64) bool {
	if v.t.cfg.Cuts == nil {
		return false
	}
	cut, ok := v.t.cfg.Cuts.At(e, pts)
	if !ok || cut.Sequence <= v.cut {
		return false
	}
	v.cut = cut.Sequence
	return true
}

// idle keeps video going when no new frame comes, as from a camera that sends stills.
func (v *video) idle(now time.Time) error {
	if v.last == nil || !v.last.Track.Codec.Intra() || now.Sub(v.lastAt) < repeatAfter || !v.t.cfg.Live() {
		return nil
	}
	v.lastAt = now
	passed := now.Sub(v.arrived)
	pts := v.last.PTS + v.last.Track.Ticks(passed)
	return v.worker.Repeat(workerproto.Stamp{PTS: pts, Captured: v.last.Captured.Add(passed).UnixNano(), Cut: v.begins(v.last.Epoch, pts)})
}
