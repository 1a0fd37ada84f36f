package sim

import (
	"encoding/binary"
	"math/rand/v2"
	"sync"
	"time"

	"webostrum/core/media"
)

// Faults is what a camera does wrong. The zero value does nothing wrong. It is
// safe for concurrent use.
type Faults struct {
	mu     sync.Mutex
	refuse bool          // every password is wrong; guarded by mu
	frozen bool          // sends nothing, keeps the connection; guarded by mu
	loss   float64       // share of packets left out; guarded by mu
	swap   float64       // share of packets that change places with the next; guarded by mu
	jump   time.Duration // added to every RTP timestamp; guarded by mu
	page   bool          // a sign-in page comes in place of pictures; guarded by mu
}

// Misbehaviour is all of it at once, as the control takes it. Fields left out
// stay as they are.
type Misbehaviour struct {
	RefuseSignIn *bool          `json:"refuseSignIn,omitempty"`
	Frozen       *bool          `json:"frozen,omitempty"`
	Loss         *float64       `json:"loss,omitempty"`
	Reorder      *float64       `json:"reorder,omitempty"`
	Jump         *time.Duration `json:"jumpNanoseconds,omitempty"`
	SignInPage   *bool          `json:"signInPage,omitempty"`
}

// Set changes what is given.
func (f *Faults) Set(m Misbehaviour) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if m.RefuseSignIn != nil {
		f.refuse = *m.RefuseSignIn
	}
	if m.Frozen != nil {
		f.frozen = *m.Frozen
	}
	if m.Loss != nil {
		f.loss = *m.Loss
	}
	if m.Reorder != nil {
		f.swap = *m.Reorder
	}
	if m.SignInPage != nil {
		f.page = *m.SignInPage
	}
	if m.Jump != nil {
		f.jump += *m.Jump
	}
}

// RefuseSignIn implements rtsp.Tamper.
func (f *Faults) RefuseSignIn() bool {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.refuse
}

func (f *Faults) signInPage() bool {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.page
}

// picture says what becomes of a picture that is about to leave: nothing of it
// while frozen, and a part of it when it is one of those that are lost.
func (f *Faults) picture(data []byte) []byte {
	f.mu.Lock()
	defer f.mu.Unlock()
	switch {
	case f.frozen:
		return nil
	case f.loss > 0 && rand.Float64() < f.loss:
		return data[:rand.IntN(len(data))]
	}
	return data
}

// Outgoing implements rtsp.Tamper.
func (f *Faults) Outgoing(t *media.Track, packets [][]byte) [][]byte {
	const timestampAt = 4 // RFC 3550, 5.1
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.frozen {
		return nil
	}
	kept := packets[:0]
	for _, p := range packets {
		if f.loss > 0 && rand.Float64() < f.loss {
			continue
		}
		ts := binary.BigEndian.Uint32(p[timestampAt:])
		binary.BigEndian.PutUint32(p[timestampAt:], ts+uint32(t.Ticks(f.jump)))
		kept = append(kept, p)
	}
	for i := 0; i+1 < len(kept); i++ {
		if f.swap > 0 && rand.Float64() < f.swap {
			kept[i], kept[i+1] = kept[i+1], kept[i]
		}
	}
	return kept
}
