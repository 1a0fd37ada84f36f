package sim

import (
	"encoding/binary"
	"math/rand/v2"
	"strings"
	"sync"
	"time"

	"webostrum/core/media"
	"webostrum/deliver/rtsp"
)

// Faults is what a camera does wrong. The zero value does nothing wrong. It is
// safe for concurrent use.
type Faults struct {
	mu       sync.Mutex
	now      faults                  // guarded by mu
	standing map[*media.Track]uint32 // the timestamps that stand still; guarded by mu
}

type faults struct {
	refuse     bool          // every password is wrong
	hangUp     bool          // the connection is closed with the answer that asks to sign in
	frozen     bool          // sends nothing, keeps the connection
	loss       float64       // share of packets left out, or of pictures cut short
	swap       float64       // share of packets that change places with the next
	jump       time.Duration // added to every RTP timestamp
	stand      bool          // RTP timestamps stand still
	ssrc       uint32        // what the SSRC is changed by
	payload    uint8         // the payload type in place of the announced one; 0 for that
	wait       time.Duration // before each answer
	longSDP    bool          // the description has 100,000 octets more
	page       bool          // a sign-in page comes in place of pictures
	status     int           // of every third answer of stills; 0 for none
	typeName   string        // the Content-Type of single pictures; empty for image/jpeg
	endless    bool          // pictures have no end marker
	oneStream  bool          // the stream ends after a while; after it come single pictures
	streamDone bool          // it has ended
}

// Misbehaviour is all of it at once, as the control takes it. Fields left out
// stay as they are.
type Misbehaviour struct {
	RefuseSignIn    *bool          `json:"refuseSignIn,omitempty"`
	HangUp          *bool          `json:"hangUp,omitempty"`
	Frozen          *bool          `json:"frozen,omitempty"`
	Loss            *float64       `json:"loss,omitempty"`
	Reorder         *float64       `json:"reorder,omitempty"`
	Jump            *time.Duration `json:"jumpNanoseconds,omitempty"`
	StandStill      *bool          `json:"standStill,omitempty"`
	NewSSRC         bool           `json:"newSSRC,omitempty"`
	PayloadType     *uint8         `json:"payloadType,omitempty"`
	AnswerAfter     *time.Duration `json:"answerAfterNanoseconds,omitempty"`
	LongDescription *bool          `json:"longDescription,omitempty"`
	SignInPage      *bool          `json:"signInPage,omitempty"`
	Status          *int           `json:"status,omitempty"`
	ContentType     *string        `json:"contentType,omitempty"`
	NoEndMarkers    *bool          `json:"noEndMarkers,omitempty"`
	StreamOnce      *bool          `json:"streamOnce,omitempty"`
}

// Set changes what is given.
func (f *Faults) Set(m Misbehaviour) {
	f.mu.Lock()
	defer f.mu.Unlock()
	set(&f.now.refuse, m.RefuseSignIn)
	set(&f.now.hangUp, m.HangUp)
	set(&f.now.frozen, m.Frozen)
	set(&f.now.loss, m.Loss)
	set(&f.now.swap, m.Reorder)
	set(&f.now.stand, m.StandStill)
	set(&f.now.payload, m.PayloadType)
	set(&f.now.wait, m.AnswerAfter)
	set(&f.now.longSDP, m.LongDescription)
	set(&f.now.page, m.SignInPage)
	set(&f.now.status, m.Status)
	set(&f.now.typeName, m.ContentType)
	set(&f.now.endless, m.NoEndMarkers)
	set(&f.now.oneStream, m.StreamOnce)
	if m.StreamOnce != nil {
		f.now.streamDone = false
	}
	if m.StandStill != nil {
		f.standing = make(map[*media.Track]uint32)
	}
	if m.Jump != nil {
		f.now.jump += *m.Jump
	}
	if m.NewSSRC {
		f.now.ssrc = rand.Uint32()
	}
}

func set[T any](to *T, value *T) {
	if value != nil {
		*to = *value
	}
}

func (f *Faults) current() faults {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.now
}

// endStream notes that the one stream has ended.
func (f *Faults) endStream() {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.now.streamDone = true
}

// policy is what a camera that speaks RTSP holds requests to.
func (f *Faults) policy() rtsp.Policy {
	const long = 100_000
	now := f.current()
	p := rtsp.Policy{RefuseAll: now.refuse, CloseRefused: now.hangUp, AnswerAfter: now.wait}
	if now.longSDP {
		p.Information = strings.Repeat("mountain ", long/len("mountain "))
	}
	return p
}

// picture says what becomes of a picture that is about to leave: nothing of it
// while frozen, and a part of it when it is one of those that are lost.
func (f *Faults) picture(data []byte) []byte {
	const endMarker = 2 // octets
	now := f.current()
	switch {
	case now.frozen:
		return nil
	case now.loss > 0 && rand.Float64() < now.loss:
		return data[:rand.IntN(len(data))]
	case now.endless:
		return data[:len(data)-endMarker]
	}
	return data
}

// Where the fields of an RTP packet are (RFC 3550, 5.1).
const (
	payloadTypeAt = 1
	timestampAt   = 4
	ssrcAt        = 8
	markerBit     = 0x80
)

// filter changes the packets of a camera that speaks RTSP.
func (f *Faults) filter(t *media.Track, packets [][]byte) [][]byte {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.now.frozen {
		return nil
	}
	kept := packets[:0]
	for _, p := range packets {
		if f.now.loss > 0 && rand.Float64() < f.now.loss {
			continue
		}
		f.changeLocked(t, p)
		kept = append(kept, p)
	}
	for i := 0; i+1 < len(kept); i++ {
		if f.now.swap > 0 && rand.Float64() < f.now.swap {
			kept[i], kept[i+1] = kept[i+1], kept[i]
		}
	}
	return kept
}

func (f *Faults) changeLocked(t *media.Track, packet []byte) {
	ts := binary.BigEndian.Uint32(packet[timestampAt:]) + uint32(t.Ticks(f.now.jump))
	if f.now.stand {
		if at, ok := f.standing[t]; ok {
			ts = at
		}
		f.standing[t] = ts
	}
	binary.BigEndian.PutUint32(packet[timestampAt:], ts)
	ssrc := binary.BigEndian.Uint32(packet[ssrcAt:])
	binary.BigEndian.PutUint32(packet[ssrcAt:], ssrc^f.now.ssrc)
	if f.now.payload != 0 {
		packet[payloadTypeAt] = packet[payloadTypeAt]&markerBit | f.now.payload&^markerBit
	}
}
