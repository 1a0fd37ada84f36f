// Package program makes samples of the elementary streams of one program: video in NAL units
// and audio whose stamps tell the same time, as RTMP, transport streams and files bring them.
//
// Limits: while it is not known yet how audio is coded that was announced, video is held
// back, by a second and a half, 96 pictures or 8 MiB at most.
package program

import (
	"time"

	"webostrum/core/accessunit"
	"webostrum/core/media"
	"webostrum/core/nalu"
	"webostrum/core/timeline"
)

// Config says how to receive a program.
type Config struct {
	Rate       uint32 // ticks a second of stamps; 90,000 where RTP is to carry the samples on
	Bits       uint   // width of a stamp, see timeline.Clock
	FirstEpoch uint64 // number of the first epoch

	Publish    func(*media.Sample)
	Audio      func(*media.Sample) // nil leaves audio alone
	AudioTrack func(*media.Track)  // see source.Config
	Started    func()              // at the first picture
}

// Receiver receives one program. It is not safe for concurrent use.
type Receiver struct {
	cfg     Config
	codec   media.Codec
	builder *accessunit.Builder
	line    accessunit.Line
	audio   timeline.Audio
	held    held
	begun   bool // a picture was published
	told    bool // AudioTrack was called
}

// held is video that waits for it to be known how audio is coded.
type held struct {
	expects bool // audio was announced
	units   []*accessunit.Unit
	bytes   int
}

const (
	heldFor   = 1500 * time.Millisecond
	heldUnits = 96
	heldBytes = 8 << 20
)

// New makes a receiver.
func New(cfg Config) *Receiver {
	r := &Receiver{cfg: cfg}
	r.line.Clock = timeline.Clock{Rate: cfg.Rate, Bits: cfg.Bits}
	r.line.Publish = r.publish
	r.line.Begin(cfg.FirstEpoch)
	r.audio.Video, r.audio.Publish = &r.line.Clock, cfg.Audio
	r.audio.Begin(cfg.FirstEpoch)
	return r
}

func (r *Receiver) publish(s *media.Sample) {
	if !r.begun {
		r.begun = true
		if !r.told {
			r.cfg.AudioTrack(nil)
		}
		r.cfg.Publish(s)
		r.cfg.Started()
		return
	}
	r.cfg.Publish(s)
}

// SetVideo says how video is coded from here on, with the parameter sets that are known.
// The error says that the codec is not handled.
func (r *Receiver) SetVideo(codec media.Codec, sets [][]byte) error {
	if r.builder != nil && codec == r.codec {
		for _, set := range sets {
			_ = r.builder.Add(set) // the sets before it stay in force
		}
		return nil
	}
	syntax, err := accessunit.SyntaxOf(codec)
	if err != nil {
		return err
	}
	sink := r.line.Sink()
	through := sink.Unit
	sink.Unit = func(u *accessunit.Unit) { r.hold(u, through) }
	r.codec, r.builder = codec, accessunit.NewBuilder(syntax, sets, sink)
	return nil
}

// hold holds a picture back while audio is awaited.
func (r *Receiver) hold(u *accessunit.Unit, pass func(*accessunit.Unit)) {
	h := &r.held
	if !h.expects {
		pass(u)
		return
	}
	h.units, h.bytes = append(h.units, u), h.bytes+len(u.Data)
	if u.Arrived.Sub(h.units[0].Arrived) < heldFor && len(h.units) < heldUnits && h.bytes < heldBytes {
		return
	}
	r.release()
}

// release passes on what was held back.
func (r *Receiver) release() {
	units := r.held.units
	r.held = held{}
	pass := r.line.Sink().Unit
	for _, u := range units {
		pass(u)
	}
}

// ExpectAudio says that audio was announced: the first pictures wait for its coding.
func (r *Receiver) ExpectAudio() {
	if !r.begun && r.audio.Track() == nil && r.cfg.Audio != nil {
		r.held.expects = true
	}
}

// Picture takes an access unit: NAL units behind lengths of a number of bytes.
func (r *Receiver) Picture(data []byte, lengthSize int, stamp uint64, arrived time.Time) {
	if r.builder == nil {
		return
	}
	r.builder.BeginSized(stamp, arrived, len(data))
	whole, err := nalu.Sized(data, lengthSize, r.builder.NAL)
	if !whole || err != nil {
		r.builder.Spoil(accessunit.DropMalformed)
	}
	r.builder.Finish()
}

// Builder puts pictures together, for those who have NAL units one by one; nil before
// SetVideo.
func (r *Receiver) Builder() *accessunit.Builder { return r.builder }

// SetAudio says how audio is coded from here on; nil for none that can be used.
func (r *Receiver) SetAudio(t *media.Track) {
	if r.cfg.Audio == nil || r.told && media.SameAudio(t, r.audio.Track()) {
		return
	}
	r.audio.SetTrack(t)
	r.told = true
	r.cfg.AudioTrack(t)
	r.release()
}

// AudioUnits takes units of audio that follow each other; stamp is of the first.
func (r *Receiver) AudioUnits(units []timeline.AudioUnit, stamp uint64, arrived time.Time) {
	if r.cfg.Audio != nil && r.audio.Track() != nil {
		r.audio.Take(units, stamp, arrived)
	}
}

// Break says that what comes next has nothing to do with what came before.
func (r *Receiver) Break() {
	r.line.Break()
	r.audio.Break()
	r.Lost()
}

// Lost says that something is missing, so that no picture can be decoded until the next
// keyframe.
func (r *Receiver) Lost() {
	if r.builder != nil {
		r.builder.Lost()
	}
}

// Facts is what is known of a program.
type Facts struct {
	Codec     media.Codec
	Config    *media.VideoConfig // nil before the first keyframe
	B         bool
	Slices    int
	Counts    accessunit.Counts
	Audio     *media.Track
	AudioLost uint64 // units that were left out
}

// Facts returns what is known so far.
func (r *Receiver) Facts() Facts {
	_, lost := r.audio.Counts()
	return Facts{
		Codec: r.codec, Config: r.line.Config(), B: r.line.HasB(), Slices: r.line.SlicesPerPicture(), Counts: r.line.Counts(),
		Audio: r.audio.Track(), AudioLost: lost,
	}
}

// NextEpoch is the number to give to the receiver that comes after this one.
func (r *Receiver) NextEpoch() uint64 { return max(r.line.NextEpoch(), r.audio.NextEpoch()) }
