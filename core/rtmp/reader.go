package rtmp

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"slices"
)

const (
	firstChunkSize = 128
	bufferSize     = 64 << 10
)

// Reader reads messages. It is not safe for concurrent use.
type Reader struct {
	r       *bufio.Reader
	read    uint64
	size    int // of chunks
	streams map[uint32]*chunkStream
	making  int // bytes of messages that are not whole
}

// chunkStream is what a chunk stream's next header may leave out.
type chunkStream struct {
	message  Message
	length   int
	delta    uint32
	extended bool
	stamp    uint32 // the extended timestamp
	begun    bool   // a message is in the making
	spare    []byte // of the message before
}

// NewReader makes a reader of what comes after the handshake.
func NewReader(r io.Reader) *Reader {
	return &Reader{r: bufio.NewReaderSize(r, bufferSize), size: firstChunkSize, streams: make(map[uint32]*chunkStream)}
}

// From has what comes next be read from another reader of the same stream, behind what was
// read already.
func (r *Reader) From(other io.Reader) {
	rest, _ := r.r.Peek(r.r.Buffered())
	r.r = bufio.NewReaderSize(io.MultiReader(bytes.NewReader(append([]byte(nil), rest...)), other), bufferSize)
}

// Bytes is how much was read so far, for acknowledgements (5.4.3).
func (r *Reader) Bytes() uint64 { return r.read }

// Next returns the next message, whose data is good until the next call. Chunk sizes and aborted messages are taken care of, and not
// returned. Errors are the reader's own, or wrap ErrMalformed.
func (r *Reader) Next() (*Message, error) {
	for {
		m, err := r.chunk()
		if err != nil {
			return nil, err
		}
		if m == nil {
			continue
		}
		switch m.Kind {
		case KindChunkSize:
			n, ok := m.Uint32()
			if !ok || n == 0 || n > 1<<31-1 {
				return nil, fmt.Errorf("%w: chunks of %d bytes", ErrMalformed, n)
			}
			r.size = int(n)
		case KindAbort:
			if id, ok := m.Uint32(); ok {
				r.abort(id)
			}
		default:
			return m, nil
		}
	}
}

func (r *Reader) abort(id uint32) {
	if s := r.streams[id]; s != nil && s.begun {
		r.making -= len(s.message.Data)
		s.begun, s.message.Data = false, nil
	}
}

// take reads n bytes, at most a header's.
func (r *Reader) take(n int) ([]byte, error) {
	var b [16]byte
	_, err := io.ReadFull(r.r, b[:n])
	r.read += uint64(n)
	return b[:n], err
}

// chunk reads one chunk and returns the message that it ends, if any.
func (r *Reader) chunk() (*Message, error) {
	format, id, err := r.basicHeader()
	if err != nil {
		return nil, err
	}
	s := r.streams[id]
	if s == nil {
		if format == 3 || len(r.streams) >= maxStreams {
			return nil, fmt.Errorf("%w: chunk of format %d on the new chunk stream %d", ErrMalformed, format, id)
		}
		s = &chunkStream{}
		r.streams[id] = s
	}
	if format < 3 && s.begun {
		return nil, fmt.Errorf("%w: a message begins on chunk stream %d before the one before has ended", ErrMalformed, id)
	}
	if err := r.messageHeader(s, format); err != nil {
		return nil, err
	}
	return r.body(s)
}

// basicHeader reads the format and the number of a chunk stream (5.3.1.1).
func (r *Reader) basicHeader() (format byte, id uint32, err error) {
	const first = 64
	b, err := r.take(1)
	if err != nil {
		return 0, 0, err
	}
	format, id = b[0]>>6, uint32(b[0]&0x3f)
	switch id {
	case 0:
		b, err = r.take(1)
		id = first + uint32(b[0])
	case 1:
		b, err = r.take(2)
		id = first + uint32(b[0]) + uint32(b[1])<<8
	}
	return format, id, err
}

// messageHeader reads what a header of a format tells (5.3.1.2).
func (r *Reader) messageHeader(s *chunkStream, format byte) error {
	sizes := [...]int{11, 7, 3, 0}
	b, err := r.take(sizes[format])
	if err != nil {
		return err
	}
	if format == 3 {
		if err := r.repeated(s); err != nil || s.begun {
			return err
		}
		s.message.Time += s.delta
		return nil
	}
	const all = 0xffffff
	at := uint32(b[0])<<16 | uint32(b[1])<<8 | uint32(b[2])
	if format < 2 {
		s.length = int(b[3])<<16 | int(b[4])<<8 | int(b[5])
		s.message.Kind = Kind(b[6])
	}
	if format == 0 {
		s.message.Stream = binary.LittleEndian.Uint32(b[7:])
	}
	if s.extended = at == all; s.extended {
		if b, err = r.take(4); err != nil {
			return err
		}
		at = binary.BigEndian.Uint32(b)
		s.stamp = at
	}
	if s.delta = at; format == 0 {
		s.message.Time = at
	} else {
		s.message.Time += at
	}
	return nil
}

// repeated reads over the extended timestamp that chunks without a header repeat. Some
// senders leave it out; then what stands there is another number, save by rare chance.
func (r *Reader) repeated(s *chunkStream) error {
	if !s.extended {
		return nil
	}
	b, err := r.r.Peek(4)
	if err != nil {
		return err
	}
	if binary.BigEndian.Uint32(b) == s.stamp {
		_, err = r.take(4)
	}
	return err
}

// body reads a chunk's part of a message.
func (r *Reader) body(s *chunkStream) (*Message, error) {
	if s.length > maxMessage {
		return nil, fmt.Errorf("%w: message of %d bytes, at most %d", ErrMalformed, s.length, maxMessage)
	}
	if !s.begun {
		s.begun, s.message.Data = true, s.spare[:0]
	}
	n := min(s.length-len(s.message.Data), r.size)
	if r.making += n; r.making > maxMaking {
		return nil, fmt.Errorf("%w: %d bytes of messages that are not whole", ErrMalformed, r.making)
	}
	if err := r.grow(s, n); err != nil {
		return nil, err
	}
	if len(s.message.Data) < s.length {
		return nil, nil
	}
	m := s.message
	r.making -= len(m.Data)
	s.begun, s.message.Data, s.spare = false, nil, m.Data
	return &m, nil
}

// grow reads n bytes more; memory grows with what has come, not with what was announced.
func (r *Reader) grow(s *chunkStream, n int) error {
	for n > 0 {
		part := min(n, bufferSize)
		at := len(s.message.Data)
		s.message.Data = slices.Grow(s.message.Data, part)[:at+part]
		if _, err := io.ReadFull(r.r, s.message.Data[at:]); err != nil {
			return err
		}
		r.read += uint64(part)
		n -= part
	}
	return nil
}
