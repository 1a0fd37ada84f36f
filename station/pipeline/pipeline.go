// Package pipeline is what one run of a feed does with what its camera sends: it
// passes video and audio through or has them transcoded, and makes the segments, JPEG
// frames and streams that deliveries give to viewers.
//
// Limits: hubs and segmenters bound what they keep; 12 transcoded outputs of video, 2
// of audio, 16 kept stills.
package pipeline

import (
	"context"
	"errors"
	"sync/atomic"
	"time"

	"webostrum/access"
	"webostrum/core/fault"
	"webostrum/core/hls"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/store"
	"webostrum/transcode"
)

// Config says what a pipeline works with. Its functions are called from any goroutine
// and must not block.
type Config struct {
	Run        string // names the run, in names of segments
	Worker     string // path of the codec worker; empty when there is none
	DecodesAAC bool   // the worker does
	Lease      time.Duration
	Stale      time.Duration // how old a still may be of a camera that is away

	Record func() store.Feed // the feed's present record
	Live   func() bool       // frames come in at present
	Away   func() error      // why there is no use in waiting for the camera; nil while there is
	Note   func(kind, text string)
}

// The kinds of note.
const (
	NoteWarning   = "warning"
	NoteTranscode = "transcode"
)

// audioKept is how many units of a camera's audio are kept: the audio of the longest
// usual group of pictures.
const audioKept = 2048

// Pipeline is one run's. It is safe for concurrent use; Video and Audio are each for
// one goroutine.
type Pipeline struct {
	cfg    Config
	input  input
	video  *transcode.Video
	audio  *transcode.Audio
	hls    hlsOutputs
	stills stills

	presentation *hls.Presentation
}

// input is what the camera sends.
type input struct {
	video *hub.Hub
	audio *hub.Hub
	track atomic.Pointer[media.Track] // of audio; nil when there is none, or it is not known
	size  atomic.Pointer[[2]int]
	begun chan struct{} // closed at the first frame
}

// New makes a pipeline. Close it.
func New(cfg Config) (*Pipeline, error) {
	p := &Pipeline{cfg: cfg, input: input{begun: make(chan struct{})}}
	var err error
	if p.presentation, err = hls.New(p.cutting()); err != nil {
		return nil, err
	}
	p.input.video, p.input.audio = hub.New(hub.Config{}), hub.New(hub.Config{Keep: audioKept})
	p.hls.init()
	note := func(text string) { cfg.Note(NoteWarning, text) }
	p.video = transcode.NewVideo(transcode.Config{Program: cfg.Worker, Source: p.input.video, Live: cfg.Live, Note: note, Cuts: p.presentation.Cuts()})
	p.audio = transcode.NewAudio(transcode.Config{Program: cfg.Worker, Source: p.input.audio, Note: note})
	return p, nil
}

// Close ends all that is made. Nothing is published after it.
func (p *Pipeline) Close() {
	p.hls.close()
	p.video.Close()
	p.audio.Close()
	p.input.video.Close()
	p.input.audio.Close()
}

// Video takes the camera's next frame.
func (p *Pipeline) Video(s *media.Sample) {
	if size := [2]int{s.Track.Width, s.Track.Height}; p.Size() != size {
		p.input.size.Store(&size)
	}
	p.presentation.Cuts().Observe(s)
	first := p.Codec() == ""
	if first {
		p.keep(s)
	}
	p.input.video.Publish(s)
	if first {
		close(p.input.begun)
		p.arrange()
	}
}

// keep has as many frames kept as the segment in the making and the one before may have,
// so that a rendition that somebody asks for begins with a whole segment.
func (p *Pipeline) keep(s *media.Sample) {
	const (
		fps      = 30
		segments = 4
		most     = 600
	)
	if !s.Track.Codec.Intra() {
		p.input.video.SetKeep(min(most, int(segments*fps*p.presentation.Config().Wanted.Seconds())))
	}
}

// Audio takes the camera's next unit of audio.
func (p *Pipeline) Audio(s *media.Sample) { p.input.audio.Publish(s) }

// Input returns what comes in: video, and audio.
func (p *Pipeline) Input() (video, audio *hub.Hub) { return p.input.video, p.input.audio }

// AudioTrack notes how the camera's audio is coded from here on; nil for none.
func (p *Pipeline) AudioTrack(t *media.Track) {
	if before := p.input.track.Swap(t); !media.SameAudio(before, t) {
		p.arrange()
	}
}

// Codec returns how the camera codes, or nothing as long as no frame has come.
func (p *Pipeline) Codec() media.Codec {
	if s := p.input.video.Latest(); s != nil {
		return s.Track.Codec
	}
	return ""
}

// Coding returns the configuration of the camera's video, or nil as long as no frame has
// come.
func (p *Pipeline) Coding() *media.VideoConfig {
	if s := p.input.video.Latest(); s != nil {
		return s.Track.Video
	}
	return nil
}

// Size returns the camera's width and height in pixels; zero as long as no frame has
// come.
func (p *Pipeline) Size() [2]int {
	if s := p.input.size.Load(); s != nil {
		return *s
	}
	return [2]int{}
}

// Costs returns what transcoding video takes, and AudioCosts the same of audio.
func (p *Pipeline) Costs() transcode.Costs { return p.video.Costs() }

// AudioCosts is like Costs.
func (p *Pipeline) AudioCosts() transcode.Costs { return p.audio.Costs() }

// awayEvery is how often it is looked whether the camera is worth waiting for.
const awayEvery = 100 * time.Millisecond

// wait waits until ready is closed, and no longer than the camera is worth waiting
// for.
func (p *Pipeline) wait(ctx context.Context, ready <-chan struct{}) error {
	ticker := time.NewTicker(awayEvery)
	defer ticker.Stop()
	for {
		select {
		case <-ready:
			return nil
		default:
		}
		if err := p.cfg.Away(); err != nil {
			return err
		}
		select {
		case <-ready:
			return nil
		case <-ctx.Done():
			return p.late(ctx.Err())
		case <-ticker.C:
		}
	}
}

// late says why there was nothing in time.
func (p *Pipeline) late(err error) error {
	switch {
	case !errors.Is(err, context.DeadlineExceeded):
		return err
	case !p.cfg.Live():
		return fault.New(fault.FeedNotReady, err, "The camera is being opened.")
	case p.Untranscodable():
		return fault.New(fault.TranscoderMissing, err, "The camera sends %s, which HLS cannot carry.", plan.Name(p.Codec()))
	}
	return fault.New(fault.FeedNotReady, err, "The camera sends; the first segment is being made.")
}

// codec waits for the first frame and returns how the camera codes.
func (p *Pipeline) codec(ctx context.Context) (media.Codec, error) {
	if err := p.wait(ctx, p.input.begun); err != nil {
		return "", err
	}
	return p.Codec(), nil
}

// hlsVideo is what becomes of the camera's video in HLS; codec is not empty.
func (p *Pipeline) hlsVideo(codec media.Codec) plan.Video {
	return plan.VideoFor(plan.HLS, codec, false, nil, p.transcoder())
}

// Untranscodable says whether HLS needs transcoding that cannot be had here.
func (p *Pipeline) Untranscodable() bool {
	codec := p.Codec()
	return codec != "" && !p.hlsVideo(codec).Possible
}

// Playable says whether there is a playlist, or one will be made when it is asked for.
func (p *Pipeline) Playable() bool {
	if p.off(access.HLS) {
		return p.Codec() != "" && p.cfg.Live()
	}
	if codec := p.Codec(); codec != "" && p.hlsVideo(codec).Transcode {
		return !p.Untranscodable() && p.cfg.Live()
	}
	if t := p.Made(hls.Original); t != nil {
		_, ok := t.Media(false)
		return ok
	}
	return p.cfg.Live()
}

// Interrupted says that the camera has stopped sending.
func (p *Pipeline) Interrupted() {
	p.presentation.Cuts().Break()
	p.hls.interrupted()
}

// Forget drops what was made: it is the past.
func (p *Pipeline) Forget() { p.hls.forget() }

// Renew takes a changed record that does not need another run.
func (p *Pipeline) Renew(before, after store.Feed) {
	p.arrange()
	p.stills.forget() // they may be of another size from now on
	p.hls.drop(func(o *hlsOutput) bool {
		return o.video != nil && o.name != Automatic && (before.Title != after.Title || before.Projection != after.Projection || before.FieldOfView != after.FieldOfView || renditionOf(before, o.name) != renditionOf(after, o.name))
	})
}

// transcodingFault turns the transcoder's refusals into faults.
func transcodingFault(err error) error {
	if errors.Is(err, transcode.ErrNoWorker) {
		return fault.New(fault.TranscoderMissing, err, "")
	}
	return fault.New(fault.TranscodingRefused, err, "%v", err)
}
