// Package convert is what service and codec worker say to each other over
// pipes: what to make, pictures in, coded pictures out.
//
// Every message is a head of 8 bytes and a body:
//
//	| kind, 8 bits | zero, 24 bits | length of the body, 32 bits |
//
// Limits: a body is at most 64 MiB, which a raw 4096x2304 picture fits in.
package convert

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
)

// ErrMalformed is wrapped by every error about what the other side sent.
var ErrMalformed = errors.New("convert: malformed message")

// Kind says what a message is.
type Kind uint8

// The kinds of message.
const (
	KindUnknown Kind = iota
	KindEncode       // to the worker: EncodeOrder as JSON
	KindPicture      // to the worker: a raw picture
	KindCoded        // from the worker: a coded picture
	KindFailed       // from the worker: why it cannot go on, as text
)

const (
	headSize = 8
	maxBody  = 64 << 20

	stampSize = 17 // PTS, capture time, flags
)

// EncodeOrder asks for an encoder.
type EncodeOrder struct {
	Width     int     `json:"width"` // pixels, even
	Height    int     `json:"height"`
	FrameRate float64 `json:"frameRate"` // pictures a second
	BitRate   int     `json:"bitRate"`   // bits a second
	KeyEvery  int     `json:"keyEvery"`  // pictures from one keyframe to the next
}

// Limits of OpenH264, measured: smaller pictures fail, larger ones are refused.
const (
	minSide   = 16
	maxWidth  = 4096
	maxHeight = 2304
)

// Validate says what is wrong with an order.
func (o EncodeOrder) Validate() error {
	switch {
	case o.Width < minSide || o.Height < minSide || o.Width > maxWidth || o.Height > maxHeight:
		return fmt.Errorf("a picture of %dx%d cannot be encoded: %dx%d to %dx%d can", o.Width, o.Height, minSide, minSide, maxWidth, maxHeight)
	case o.Width%2 != 0 || o.Height%2 != 0:
		return fmt.Errorf("a picture of %dx%d cannot be encoded: both sides must be even; %dx%d can", o.Width, o.Height, o.Width&^1, o.Height&^1)
	case o.FrameRate < 0.1 || o.FrameRate > 120:
		return fmt.Errorf("%g pictures a second cannot be encoded: 0.1 to 120 can", o.FrameRate)
	case o.BitRate < 10_000 || o.BitRate > 100_000_000:
		return fmt.Errorf("%d bit/s cannot be had: 10,000 to 100,000,000 can", o.BitRate)
	case o.KeyEvery < 1 || o.KeyEvery > 100_000:
		return fmt.Errorf("a keyframe every %d pictures cannot be had: 1 to 100,000 can", o.KeyEvery)
	}
	return nil
}

// PictureSize is the bytes of a raw picture: I420, the planes one after the
// other without padding.
func (o EncodeOrder) PictureSize() int { return o.Width * o.Height * 3 / 2 }

// Stamp goes with a picture through the worker.
type Stamp struct {
	PTS      int64 // ticks; the worker only hands it on
	Captured int64 // nanoseconds since 1970
	Key      bool  // in: make a keyframe; out: it is one
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

// WriteOrder sends an EncodeOrder.
func (c *Conn) WriteOrder(o EncodeOrder) error {
	b, err := json.Marshal(o)
	if err != nil {
		return err
	}
	return c.Write(KindEncode, b)
}

// WriteStamped sends a picture, raw or coded.
func (c *Conn) WriteStamped(kind Kind, s Stamp, data []byte) error {
	head := make([]byte, 0, stampSize)
	head = binary.BigEndian.AppendUint64(head, uint64(s.PTS))
	head = binary.BigEndian.AppendUint64(head, uint64(s.Captured))
	flags := byte(0)
	if s.Key {
		flags = 1
	}
	return c.Write(kind, append(head, flags), data)
}

// ReadOrder reads the body of KindEncode.
func ReadOrder(body []byte) (o EncodeOrder, err error) {
	if err := json.Unmarshal(body, &o); err != nil {
		return o, fmt.Errorf("%w: %w", ErrMalformed, err)
	}
	return o, o.Validate()
}

// ReadStamped reads the body of KindPicture and KindCoded; data is a part of it.
func ReadStamped(body []byte) (s Stamp, data []byte, err error) {
	if len(body) < stampSize {
		return s, nil, fmt.Errorf("%w: picture of %d bytes", ErrMalformed, len(body))
	}
	s.PTS = int64(binary.BigEndian.Uint64(body))
	s.Captured = int64(binary.BigEndian.Uint64(body[8:]))
	s.Key = body[16] != 0
	return s, body[stampSize:], nil
}
