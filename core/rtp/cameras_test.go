package rtp_test

import (
	"testing"
	"time"

	prtp "github.com/pion/rtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/media"
	"webostrum/core/rtp"
	"webostrum/testkit/pictures"
)

// sender sends whole frames to a receiver, as a camera that does something odd.
type sender struct {
	r       *rtp.VideoReceiver
	samples []*media.Sample
	seq     uint16
	ssrc    uint32
	now     time.Time
}

func newSender() *sender {
	s := &sender{now: noon, ssrc: 7}
	s.r = receiver(rtp.ReceiverConfig{Publish: func(sample *media.Sample) { s.samples = append(s.samples, sample) }})
	return s
}

func (s *sender) frame(key bool, ts uint32, marker bool) {
	s.now = s.now.Add(40 * time.Millisecond)
	payload := pictures.P(30, byte(s.seq))
	if key {
		payload = pictures.IDR(60, byte(s.seq))
		p := sets(s.seq, ts)
		p.SSRC = s.ssrc
		s.r.Packet(p, s.now)
		s.seq++
	}
	s.r.Packet(&prtp.Packet{Header: prtp.Header{Version: 2, SSRC: s.ssrc, SequenceNumber: s.seq, Timestamp: ts, Marker: marker}, Payload: payload}, s.now)
	s.seq++
}

// TestTimestampsThatStandStill: times come from arrival then, with markers and without.
func TestTimestampsThatStandStill(t *testing.T) {
	for _, marker := range []bool{true, false} {
		s := newSender()
		for i := range 200 {
			s.frame(i%50 == 0, 90000, marker)
		}
		require.Greater(t, len(s.samples), 190)
		late := s.samples[20:]
		for i := 1; i < len(late); i++ {
			step := late[i].Track.Duration(late[i].DTS - late[i-1].DTS)
			require.InDelta(t, 40*time.Millisecond, step, float64(time.Millisecond))
			require.Same(t, late[0].Epoch, late[i].Epoch)
		}
		last := late[len(late)-1]
		assert.WithinDuration(t, s.now, last.Captured, 100*time.Millisecond)
	}
}

// TestAnotherSSRCIsNoLoss: its sequence numbers have nothing to do with those before.
func TestAnotherSSRCIsNoLoss(t *testing.T) {
	s := newSender()
	for i := range 200 {
		if i == 100 {
			s.ssrc, s.seq = 8, s.seq+30_000
		}
		s.frame(i%50 == 0, uint32(i)*3600, true)
	}
	stats := s.r.Stats()
	assert.Zero(t, stats.Lost)
	assert.EqualValues(t, 1, stats.Restarts)
	assert.Len(t, s.samples, 200)
	assert.NotSame(t, s.samples[99].Epoch, s.samples[100].Epoch)
}

// TestLatePacketsAreCounted where nobody waits for them.
func TestLatePacketsAreCounted(t *testing.T) {
	s := newSender()
	s.frame(true, 0, true)
	s.seq++
	s.frame(false, 3600, true)
	s.seq -= 2
	s.frame(false, 7200, true)
	assert.EqualValues(t, 1, s.r.Stats().Late)
}

// TestGradualRefresh has a camera send no keyframes at all, but recovery points every 25
// frames, whose pictures are right ten frames later: after the second it is known, and
// decoding starts.
func TestGradualRefresh(t *testing.T) {
	d, c := depacketizer()
	const period = 25
	point := []byte{0x06, 0x06, 0x01, 0x16, 0x80} // recovery_frame_cnt 10
	seq := uint16(0)
	push := func(i int, marker bool, payload []byte) {
		d.Push(packet(seq, uint32(i)*3600, marker, payload...), 0, noon)
		seq++
	}
	d.Push(sets(seq, 0), 0, noon)
	seq++
	for i := range 4 * period {
		if i%period == 0 {
			push(i, false, point)
		}
		push(i, true, pictures.P(50, byte(i)))
	}
	require.Len(t, c.pictures, 3*period, "from the second on")
	for i, p := range c.pictures {
		assert.Equal(t, i%period == 0, p.Key, "picture %d", i)
	}
	push(100, true, pictures.IDR(60, 1))
	push(101, false, point)
	push(101, true, pictures.P(50, 1))
	last := c.pictures[len(c.pictures)-1]
	assert.False(t, last.Key, "a camera with keyframes is started at those")
}
