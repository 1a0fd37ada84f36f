// Package workerproto is what service and codec worker say to each other over
// pipes: what to make, pictures in, coded pictures out.
//
// Every message is a head of 8 bytes and a body:
//
//	| kind, 8 bits | zero, 24 bits | length of the body, 32 bits |
//
// Limits: a body is at most 64 MiB, which a raw 4096x2304 picture fits in.
package workerproto

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
)

// ErrMalformed is wrapped by every error about what the other side sent.
var ErrMalformed = errors.New("workerproto: malformed message")

// Kind says what a message is.
type Kind uint8

// The kinds of message. "To" and "from" are the worker's.
const (
	KindUnknown   Kind = iota
	KindInput          // to: Input as JSON; the frames that follow
	KindOutput         // to: Output as JSON; one more to make, or a changed one
	KindEndOutput      // to: Output as JSON, of which the number counts; no longer to be made
	KindFrame          // to: a frame in the input's codec
	KindRepeat         // to: the frame before, once more, under a new stamp
	KindAsk            // to: send the tally now
	KindCoded          // from: a coded frame of an output
	KindTally          // from: Tally as JSON, once a second while frames come
	KindFailed         // from: why it cannot go on, as text

	KindAudioInput  // to: AudioInput as JSON; the audio that follows
	KindAudioOutput // to: AudioOutput as JSON; one more to make, or a changed one
	KindAudio       // to: a unit of audio in the input's coding; coded audio comes back as KindCoded
)

const (
	headSize = 8
	maxBody  = 64 << 20

	stampSize = 21 // output, PTS, capture time, flags

	flagKey  = 1
	flagLate = 2
	flagCut  = 4
)

// Stamp goes with a frame through the worker.
type Stamp struct {
	Output   uint32 // from the worker: which output's frame it is
	PTS      int64  // ticks; the worker only hands it on
	Captured int64  // nanoseconds since 1970
	Key      bool   // decoding can start here
	Late     bool   // to the worker: newer ones wait already, so only decode it
	Cut      bool   // to the worker: a segment begins here, so outputs of video have a keyframe here
}

// Conn reads and writes messages. It is not safe for concurrent use, but one
// goroutine may read while another writes.
type Conn struct {
	r    io.Reader
	w    io.Writer
	body []byte
	out  []byte
}

// NewConn makes a connection of two pipes.
func NewConn(r io.Reader, w io.Writer) *Conn { return &Conn{r: r, w: w} }

// Read returns the next message; body is valid until the next call.
func (c *Conn) Read() (kind Kind, body []byte, err error) {
	var head [headSize]byte
	if _, err := io.ReadFull(c.r, head[:]); err != nil {
		return 0, nil, err
	}
	n := int(binary.BigEndian.Uint32(head[4:]))
	if n > maxBody {
		return 0, nil, fmt.Errorf("%w: body of %d bytes, at most %d", ErrMalformed, n, maxBody)
	}
	if cap(c.body) < n {
		c.body = make([]byte, n)
	}
	body = c.body[:n]
	if _, err := io.ReadFull(c.r, body); err != nil {
		return 0, nil, io.ErrUnexpectedEOF
	}
	return Kind(head[0]), body, nil
}

// Write sends a message whose body is the parts, one after the other.
func (c *Conn) Write(kind Kind, parts ...[]byte) error {
	n := 0
	for _, p := range parts {
		n += len(p)
	}
	c.out = append(c.out[:0], byte(kind), 0, 0, 0)
	c.out = binary.BigEndian.AppendUint32(c.out, uint32(n))
	for _, p := range parts {
		c.out = append(c.out, p...)
	}
	_, err := c.w.Write(c.out)
	return err
}

// WriteJSON sends a message whose body is JSON.
func (c *Conn) WriteJSON(kind Kind, body any) error {
	b, err := json.Marshal(body)
	if err != nil {
		return err
	}
	return c.Write(kind, b)
}

// WriteStamped sends a frame, raw or coded.
func (c *Conn) WriteStamped(kind Kind, s Stamp, data []byte) error {
	head := make([]byte, 0, stampSize)
	head = binary.BigEndian.AppendUint32(head, s.Output)
	head = binary.BigEndian.AppendUint64(head, uint64(s.PTS))
	head = binary.BigEndian.AppendUint64(head, uint64(s.Captured))
	flags := byte(0)
	if s.Key {
		flags |= flagKey
	}
	if s.Late {
		flags |= flagLate
	}
	if s.Cut {
		flags |= flagCut
	}
	return c.Write(kind, append(head, flags), data)
}

// ReadJSON reads the body of a message that is JSON.
func ReadJSON(body []byte, into any) error {
	if err := json.Unmarshal(body, into); err != nil {
		return fmt.Errorf("%w: %w", ErrMalformed, err)
	}
	return nil
}

// ReadStamped reads the body of KindFrame, KindRepeat and KindCoded; data is a
// part of it.
func ReadStamped(body []byte) (s Stamp, data []byte, err error) {
	if len(body) < stampSize {
		return s, nil, fmt.Errorf("%w: frame of %d bytes", ErrMalformed, len(body))
	}
	s.Output = binary.BigEndian.Uint32(body)
	s.PTS = int64(binary.BigEndian.Uint64(body[4:]))
	s.Captured = int64(binary.BigEndian.Uint64(body[12:]))
	s.Key, s.Late, s.Cut = body[20]&flagKey != 0, body[20]&flagLate != 0, body[20]&flagCut != 0
	return s, body[stampSize:], nil
}
