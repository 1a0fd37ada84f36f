package whep

import (
	"sync"

	"webostrum/core/media"
	"webostrum/core/rtp"
)

const (
	// mtu leaves room for SRTP's tag, and for tunnels on the way.
	mtu = 1200

	// What is kept of a stream's packets, for viewers that are some frames apart: so many
	// bytes, and of very small frames so many.
	cacheBytes  = 4 << 20
	cacheFrames = 1024
)

// packetCache packetises each frame once, for whoever asks first, and keeps the newest
// within bounds.
type packetCache struct {
	mu     sync.Mutex
	frames map[*media.Sample]*packetised // guarded by mu
	order  []*media.Sample               // the oldest first; guarded by mu
	bytes  int                           // of all frames; guarded by mu
}

type packetised struct {
	once     sync.Once
	payloads [][]byte
}

// payloads returns a frame's RTP payloads, which nobody may write to.
func (c *packetCache) payloads(s *media.Sample) [][]byte {
	c.mu.Lock()
	p := c.frames[s]
	if p == nil {
		if c.frames == nil {
			c.frames = make(map[*media.Sample]*packetised)
		}
		p = &packetised{}
		c.frames[s], c.order, c.bytes = p, append(c.order, s), c.bytes+len(s.Data)
		c.trimLocked()
	}
	c.mu.Unlock()
	p.once.Do(func() { p.payloads = rtp.Payloads(s, mtu) })
	return p.payloads
}

// trimLocked drops the oldest frames until the bounds hold; the newest stays.
func (c *packetCache) trimLocked() {
	n := 0
	for len(c.order)-n > 1 && (c.bytes > cacheBytes || len(c.order)-n > cacheFrames) {
		c.bytes -= len(c.order[n].Data)
		delete(c.frames, c.order[n])
		n++
	}
	if n > 0 {
		c.order = append(c.order[:0], c.order[n:]...)
	}
}
