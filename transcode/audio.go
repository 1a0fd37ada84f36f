package transcode

import (
	"context"
	"fmt"
	"time"

	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
)

const (
	audioKept        = 1024 // units that are kept: some 20 s
	mostAudioOutputs = 2    // AAC and Opus
)

// Audio transcodes one feed's audio, in a process of its own: it must not wait for
// frames, nor can it hurt them.
type Audio struct{ transcoder }

// NewAudio makes a transcoder of audio. Close it.
func NewAudio(cfg Config) *Audio {
	a := &Audio{}
	a.start(cfg, func(s *session) medium { return &audio{s} })
	return a
}

// Use has the audio transcoded to a codec, AAC or Opus. Release the output when it is
// no longer needed.
func (a *Audio) Use(codec media.Codec) (*Output, error) {
	if codec != media.AAC && codec != media.Opus {
		return nil, fmt.Errorf("audio cannot be transcoded to %s", codec)
	}
	return a.use(Request{Rendition: rendition.Rendition{Codec: codec}}, mostAudioOutputs, hub.Config{Keep: audioKept})
}

// audio is a session's medium.
type audio struct{ *session }

func (a *audio) wanted([]*Output) {}

func (a *audio) read(ctx context.Context) (*media.Sample, uint64, error) {
	s, _, err := a.reader.Next(ctx)
	return s, 0, err // gaps are filled by the worker
}

func (a *audio) same(x, y *media.Sample) bool { return media.SameAudio(x.Track, y.Track) }

func (a *audio) begin(s *media.Sample) error {
	return a.worker.AudioInput(workerproto.AudioInputOf(s.Track))
}

func (a *audio) bind(o *Output, number uint32) (*binding, error) {
	encoding, track := rendition.AudioFor(a.first.Track, o.request.Codec)
	b := &binding{output: o, source: a.first.Epoch}
	b.sample = func(stamp workerproto.Stamp, data []byte) *media.Sample {
		pts := stamp.PTS * int64(track.ClockRate) / int64(encoding.SampleRate)
		return &media.Sample{
			Track: track, DTS: pts, PTS: pts, Length: encoding.Ticks(track), Captured: time.Unix(0, stamp.Captured), Key: true, Data: data,
		}
	}
	return b, a.worker.AudioOutput(workerproto.AudioOutput{Number: number, AudioEncoding: encoding})
}

func (a *audio) bound() error { return nil }

func (a *audio) hand(s *media.Sample) error {
	return a.worker.Audio(workerproto.Stamp{PTS: s.PTS, Captured: s.Captured.UnixNano()}, s.Data)
}

func (a *audio) idle(time.Time) error { return nil }
