package pipe

import (
	"bytes"
	"errors"
	"io"
	"sync"

	"webostrum/core/accessunit"
	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/core/program"
	"webostrum/ingest/push"
	"webostrum/ingest/source"
)

const (
	clockRate = 90_000
	readSize  = 64 << 10
)

// session is a stream of pictures without a container's own tables.
type session struct {
	cfg  source.Config
	from From

	mu       sync.Mutex
	receiver *program.Receiver // guarded by mu
	frames   uint64            // guarded by mu
}

func newSession(cfg source.Config, from From) *session {
	s := &session{cfg: cfg, from: from}
	s.receiver = program.New(program.Config{
		Rate: clockRate, Bits: 64, FirstEpoch: cfg.FirstEpoch, Publish: cfg.Publish, Audio: cfg.Audio, AudioTrack: cfg.AudioTrack,
		Started: func() { cfg.Started(s) },
	})
	return s
}

// Facts implements source.Session.
func (s *session) Facts() source.Facts {
	s.mu.Lock()
	defer s.mu.Unlock()
	f := source.Of(s.receiver.Facts())
	f.Transport, f.From, f.Server, f.Stats.Packets = "pipe", s.from.Address, s.from.Agent, s.frames
	return f
}

// locked does something under the lock, which a panic does not keep.
func (s *session) locked(do func()) {
	s.mu.Lock()
	defer s.mu.Unlock()
	do()
}

func (s *session) next() uint64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.receiver.NextEpoch()
}

// byteStream makes pictures of NAL units behind start codes. They have no stamps: a picture is
// of when its first bytes come.
type byteStream struct {
	*session
	buf  []byte // from the start code of a unit whose end has not come
	open bool   // a picture is in the making
	sync bool   // buf begins with a start code
}

func playBytes(r io.Reader, codec media.Codec, cfg source.Config, from From) (uint64, error) {
	s := &byteStream{session: newSession(cfg, from)}
	if err := s.receiver.SetVideo(codec, nil); err != nil {
		return cfg.FirstEpoch, fault.New(fault.PublisherCodec, err, "%v", err)
	}
	chunk := make([]byte, readSize)
	for {
		n, err := r.Read(chunk)
		s.locked(func() {
			s.take(chunk[:n])
			if errors.Is(err, io.EOF) && s.sync {
				s.unit(s.buf)
				s.finish()
			}
		})
		if err != nil {
			return s.next(), push.Fault(ended(err))
		}
	}
}

// take takes the next bytes, and every unit that they end.
func (s *byteStream) take(b []byte) {
	s.buf = append(s.buf, b...)
	if !s.sync {
		at := bytes.Index(s.buf, []byte{0, 0, 1})
		s.sync = at >= 0
		if at < 0 {
			at = max(0, len(s.buf)-2) // what may be a start code's beginning
		}
		s.buf = s.buf[:copy(s.buf, s.buf[at:])]
	}
	if !s.sync {
		return
	}
	from := 0
	for {
		const code = 3
		at := bytes.Index(s.buf[min(from+code, len(s.buf)):], []byte{0, 0, 1})
		if at < 0 {
			break
		}
		end := from + code + at
		s.unit(s.buf[from:end])
		from = end
	}
	s.buf = s.buf[:copy(s.buf, s.buf[from:])]
	if len(s.buf) > accessunit.MaxPicture {
		s.buf, s.sync = s.buf[:0], false
		s.receiver.Lost()
	}
}

// unit takes a unit with the start code before it.
func (s *byteStream) unit(b []byte) {
	b = bytes.TrimRight(bytes.TrimPrefix(bytes.TrimLeft(b, "\x00"), []byte{1}), "\x00")
	builder := s.receiver.Builder()
	if len(b) == 0 {
		return
	}
	about, err := builder.Look(b)
	if s.open && err == nil && (about.Leads || about.Opens) && !builder.Empty() {
		s.finish()
	}
	if !s.open {
		at := now()
		s.open = true
		s.frames++
		builder.Begin(uint64(at.UnixMicro())*clockRate/1_000_000, at)
	}
	if builder.NAL(b) != nil {
		builder.Spoil(accessunit.DropMalformed)
	}
}

func (s *byteStream) finish() {
	if s.open {
		s.receiver.Builder().Finish()
	}
	s.open = false
}

// jpegFacts are those of Motion JPEG by a pipe.
func jpegFacts(f *source.Facts, from From) {
	f.From, f.Server, f.Codec = from.Address, from.Agent, media.JPEG
}
