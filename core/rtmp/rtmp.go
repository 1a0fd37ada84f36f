// Package rtmp reads and writes the chunk stream of RTMP (Adobe's Real-Time Messaging
// Protocol specification, version 1.0), and its handshake. What messages mean is for those
// who use it.
//
// Limits: a message over 9 MiB is refused; 32 chunk streams; 16 MiB of messages in the
// making.
package rtmp

import (
	"encoding/binary"
	"errors"
)

// ErrMalformed is wrapped for what does not make sense, and for what is over the limits.
var ErrMalformed = errors.New("rtmp: malformed")

const (
	maxMessage = 9 << 20
	maxMaking  = 16 << 20
	maxStreams = 32
)

// Kind is a message's type (5.4, 6, 7).
type Kind uint8

// The kinds of message.
const (
	KindChunkSize   Kind = 1
	KindAbort       Kind = 2
	KindAcknowledge Kind = 3
	KindUserControl Kind = 4
	KindWindow      Kind = 5 // window acknowledgement size
	KindBandwidth   Kind = 6
	KindAudio       Kind = 8
	KindVideo       Kind = 9
	KindDataAMF3    Kind = 15
	KindCommandAMF3 Kind = 17
	KindData        Kind = 18
	KindCommand     Kind = 20
	KindAggregate   Kind = 22
)

// Message is one message.
type Message struct {
	Kind   Kind
	Stream uint32 // message stream
	Time   uint32 // milliseconds; wraps
	Data   []byte
}

// Uint32 is the number that a control message carries.
func (m *Message) Uint32() (uint32, bool) {
	if len(m.Data) < 4 {
		return 0, false
	}
	return binary.BigEndian.Uint32(m.Data), true
}

// Number makes a control message of a number.
func Number(kind Kind, n uint32) *Message {
	return &Message{Kind: kind, Data: binary.BigEndian.AppendUint32(nil, n)}
}

// Chunk streams that messages are sent on (5.3.1.1 keeps 2 for control).
const (
	ControlChunks = 2
	CommandChunks = 3
	AudioChunks   = 4
	VideoChunks   = 6
)

// Append appends a message in chunks of a size, the first with a whole header (type 0).
//
//	| fmt 2 | chunk stream 6 | timestamp 24 | length 24 | type 8 | message stream 32, little-endian |
func Append(dst []byte, chunkStream byte, m *Message, chunkSize int) []byte {
	const continued, extended = 3 << 6, 0xffffff
	at := min(m.Time, extended)
	dst = append(dst, chunkStream, byte(at>>16), byte(at>>8), byte(at))
	dst = append(dst, byte(len(m.Data)>>16), byte(len(m.Data)>>8), byte(len(m.Data)), byte(m.Kind))
	dst = binary.LittleEndian.AppendUint32(dst, m.Stream)
	rest := m.Data
	for first := true; first || len(rest) > 0; first = false {
		if !first {
			dst = append(dst, continued|chunkStream)
		}
		if at == extended {
			dst = binary.BigEndian.AppendUint32(dst, m.Time)
		}
		n := min(len(rest), chunkSize)
		dst = append(dst, rest[:n]...)
		rest = rest[n:]
	}
	return dst
}
