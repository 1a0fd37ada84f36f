package whep

import (
	"sync"

	"webostrum/core/media"
	"webostrum/core/rtp"
)

const (
	// mtu leaves room for SRTP's tag, and for tunnels on the way.
	mtu = 1200

	kept = 1024 // samples; over half a minute at 30 frames a second
)

// shelf cuts each sample once, for whoever asks first, and keeps the newest.
type shelf struct {
	mu    sync.Mutex
	cut   map[*media.Sample]*parcel // guarded by mu
	order [kept]*media.Sample       // guarded by mu
	next  int                       // guarded by mu
}

type parcel struct {
	once     sync.Once
	payloads [][]byte
}

// of returns a sample's payloads, which nobody may write to.
func (s *shelf) of(sample *media.Sample) [][]byte {
	s.mu.Lock()
	p := s.cut[sample]
	if p == nil {
		if s.cut == nil {
			s.cut = make(map[*media.Sample]*parcel)
		}
		p = &parcel{}
		delete(s.cut, s.order[s.next])
		s.cut[sample], s.order[s.next] = p, sample
		s.next = (s.next + 1) % kept
	}
	s.mu.Unlock()
	p.once.Do(func() { p.payloads = rtp.Payloads(sample, mtu) })
	return p.payloads
}
