package rtmp

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"webostrum/core/aac"
	"webostrum/core/amf"
	"webostrum/core/fault"
	"webostrum/core/flv"
	"webostrum/core/h264"
	"webostrum/core/h265"
	"webostrum/core/media"
	"webostrum/core/opus"
	"webostrum/core/program"
	"webostrum/core/rtmp"
	"webostrum/core/timeline"
	"webostrum/ingest/push"
	"webostrum/ingest/source"
)

// Stamps are milliseconds; they go on as RTP's 90 kHz.
const (
	clockRate  = 90_000
	ticksMilli = clockRate / 1000
	lengthSize = 4 // of NAL units, until a configuration says otherwise
)

// player receives what a publisher sends.
type player struct {
	*session
	watched *push.Watched
	now     time.Time // arrival of the message at hand

	mu       sync.Mutex
	receiver *program.Receiver // guarded by mu

	length   int    // size of the lengths before NAL units
	started  bool   // a stamp has come
	last     uint32 // newest stamp
	millis   int64  // the same, unwrapped
	ticks    int64  // that a unit of audio lasts
	track    *media.Track
	messages uint64
	unusable error // why some audio is left out
}

// play implements push.Play.
func (s *session) play(ctx context.Context, cfg source.Config) (next uint64, err error) {
	cfg.Settle()
	p := &player{session: s, length: lengthSize, watched: push.Watch(ctx, s.conn, cfg)}
	p.receiver = program.New(program.Config{
		Rate: clockRate, Bits: 64, FirstEpoch: cfg.FirstEpoch, Publish: func(m *media.Sample) { p.watched.Picture(); cfg.Publish(m) },
		Audio: cfg.Audio, AudioTrack: cfg.AudioTrack, Started: func() { cfg.Started(p) },
	})
	_ = s.conn.SetDeadline(time.Time{})
	s.in.From(p.watched)
	for err == nil {
		err = p.message()
	}
	return p.receiver.NextEpoch(), p.watched.End(err)
}

// Facts implements source.Session.
func (p *player) Facts() source.Facts {
	p.mu.Lock()
	defer p.mu.Unlock()
	f := source.Of(p.receiver.Facts())
	f.Transport, f.From, f.Server = "rtmp", p.conn.RemoteAddr().String(), p.program
	if p.secure {
		f.Transport = "rtmps"
	}
	f.Stats.Packets = p.messages
	return f
}

func (p *player) message() error {
	m, err := p.in.Next()
	if errors.Is(err, rtmp.ErrMalformed) {
		return fault.New(fault.PublisherGarbled, err, "%v", err)
	} else if err != nil {
		return err
	}
	if err := p.acknowledge(); err != nil {
		return err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.now = time.Now()
	return p.take(m)
}

// acknowledge tells how much has come, each half window (5.4.3).
func (p *player) acknowledge() error {
	if p.in.Bytes()-p.acked < window/2 {
		return nil
	}
	p.acked = p.in.Bytes()
	return p.write(rtmp.Append(nil, rtmp.ControlChunks, rtmp.Number(rtmp.KindAcknowledge, uint32(p.acked)), chunkSize))
}

func (p *player) take(m *rtmp.Message) error {
	switch m.Kind {
	case rtmp.KindVideo:
		p.messages++
		return p.video(m)
	case rtmp.KindAudio:
		p.messages++
		return p.audio(m)
	case rtmp.KindData:
		p.metadata(m.Data)
	case rtmp.KindAggregate:
		return p.aggregate(m)
	case rtmp.KindCommand, rtmp.KindCommandAMF3:
		if c, ok := commandOf(m); ok && (c.name == "deleteStream" || c.name == "FCUnpublish" || c.name == "closeStream") {
			return fault.New(fault.PublisherLeft, nil, "")
		}
	}
	return nil
}

// metadata looks for the program's name, and for whether audio is to come. Most of what is in
// it is not true for long, and some publishers never send it.
func (p *player) metadata(data []byte) {
	values, _ := amf.Decode(data)
	for _, v := range values {
		o, ok := v.(amf.Object)
		if !ok {
			continue
		}
		if name := o.Text("encoder"); name != "" {
			p.program = name
		}
		if _, ok := o["audiocodecid"]; ok {
			p.receiver.ExpectAudio()
		}
	}
}

// stamp unwraps a message's time.
func (p *player) stamp(at uint32) int64 {
	if p.started {
		p.millis += int64(int32(at - p.last))
	} else {
		p.started, p.millis = true, int64(at)
	}
	p.last = at
	return p.millis
}

func (p *player) video(m *rtmp.Message) error {
	v, err := flv.ParseVideo(m.Data)
	if errors.Is(err, flv.ErrUnsupported) {
		return fault.New(fault.PublisherCodec, err, "%v", err)
	} else if err != nil {
		return fault.New(fault.PublisherGarbled, err, "%v", err)
	}
	at := p.stamp(m.Time)
	switch v.Kind {
	case flv.KindConfig:
		return p.configure(v)
	case flv.KindFrames:
		if p.receiver.Builder() == nil { // parameter sets may be in the stream
			if err := p.receiver.SetVideo(v.Codec, nil); err != nil {
				return fault.New(fault.PublisherCodec, err, "%v", err)
			}
		}
		p.receiver.Picture(v.Data, p.length, uint64((at+int64(v.Delay))*ticksMilli), p.now)
	}
	return nil
}

// configure takes a decoder configuration record.
func (p *player) configure(v flv.Video) error {
	parse := h264.ParseRecord
	if v.Codec == media.H265 {
		parse = h265.ParseRecord
	}
	sets, length, err := parse(v.Data)
	if err != nil {
		return fault.New(fault.PublisherGarbled, err, "%v", err)
	}
	p.length = length
	if err := p.receiver.SetVideo(v.Codec, sets); err != nil {
		return fault.New(fault.PublisherCodec, err, "%v", err)
	}
	return nil
}

// audio takes a message of audio; what cannot be used is left out, and the picture goes on.
func (p *player) audio(m *rtmp.Message) error {
	a, err := flv.ParseAudio(m.Data)
	at := p.stamp(m.Time)
	if err != nil {
		p.unusable = err
		p.receiver.SetAudio(nil)
		return nil
	}
	if a.Kind == flv.KindConfig && a.Codec == media.AAC {
		p.track, p.ticks, p.unusable = aac.Track(a.Data)
		p.receiver.SetAudio(p.track)
		return nil
	}
	if a.Kind != flv.KindFrames || len(a.Data) == 0 {
		return nil
	}
	if err := p.plainTrack(a); err != nil || p.track == nil {
		return nil
	}
	ticks := p.ticks
	switch a.Codec {
	case media.Opus:
		if ticks = int64(opus.Duration(a.Data)); ticks == 0 {
			return nil
		}
	case media.PCMU, media.PCMA:
		ticks = int64(len(a.Data) / p.track.Channels)
	}
	p.receiver.AudioUnits([]timeline.AudioUnit{{Data: bytes.Clone(a.Data), Ticks: ticks}}, uint64(at*ticksMilli), p.now)
	return nil
}

// plainTrack makes the track of audio that comes without a configuration.
func (p *player) plainTrack(a flv.Audio) error {
	if a.Codec == media.AAC {
		if p.track != nil && p.track.Codec != media.AAC {
			return fmt.Errorf("AAC without its configuration")
		}
		return nil
	}
	t := &media.Track{ID: 2, Kind: media.KindAudio, Codec: a.Codec, ClockRate: 8000, Channels: a.Channels}
	if a.Codec == media.Opus {
		t.ClockRate, t.Channels = opus.ClockRate, 2
	}
	if p.track == nil || !media.SameAudio(p.track, t) {
		p.track = t
		p.receiver.SetAudio(t)
	}
	return nil
}

// aggregate takes messages within a message (7.1.6), whose times are beside the first one's.
//
//	| type 8 | size 24 | time 24, then its upper 8 | stream 24 | data | size of it all 32 |
func (p *player) aggregate(m *rtmp.Message) error {
	const head, tail = 11, 4
	rest, base := m.Data, uint32(0)
	for i := 0; len(rest) >= head; i++ {
		size := int(rest[1])<<16 | int(rest[2])<<8 | int(rest[3])
		at := uint32(rest[7])<<24 | uint32(rest[4])<<16 | uint32(rest[5])<<8 | uint32(rest[6])
		if i == 0 {
			base = at
		}
		if size > len(rest)-head {
			return fault.New(fault.PublisherGarbled, nil, "a message of %d bytes within one that has %d left", size, len(rest))
		}
		inner := &rtmp.Message{Kind: rtmp.Kind(rest[0]), Stream: m.Stream, Time: m.Time + at - base, Data: rest[head : head+size]}
		if inner.Kind != rtmp.KindAggregate {
			if err := p.take(inner); err != nil {
				return err
			}
		}
		rest = rest[min(head+size+tail, len(rest)):]
	}
	return nil
}
