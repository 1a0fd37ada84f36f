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

// camera sends pictures to a receiver.
type camera struct {
	r   *rtp.VideoReceiver
	seq uint16
	at  time.Time
	got []*media.Sample
}

func newCamera(sets ...[]byte) *camera {
	c := &camera{at: noon}
	c.r = receiver(rtp.ReceiverConfig{FirstEpoch: 7, Params: rtp.Params{Sets: sets}, Publish: func(s *media.Sample) { c.got = append(c.got, s) }})
	return c
}

// send sends the units of one picture, the marker on the last.
func (c *camera) send(ts uint32, nals ...[]byte) {
	for i, nal := range nals {
		p := &prtp.Packet{Header: prtp.Header{Version: 2, SequenceNumber: c.seq, Timestamp: ts, Marker: i == len(nals)-1}, Payload: nal}
		c.seq++
		c.r.Packet(p, c.at)
	}
	c.at = c.at.Add(40 * time.Millisecond)
}

func TestParameterSetsInTheSessionDescription(t *testing.T) {
	c := newCamera(pictures.SPS, pictures.PPS)
	c.send(0, pictures.IDR(9, 1))
	require.Len(t, c.got, 1)
	assert.Equal(t, uint64(7), c.got[0].Epoch.Number)
	assert.Equal(t, 320, c.got[0].Track.Width)
}

func TestParameterSetsThatComeLate(t *testing.T) {
	c := newCamera()
	c.send(0, pictures.IDR(9, 1))
	c.send(3600, pictures.P(9, 1))
	assert.Empty(t, c.got, "no sets, no pictures")
	c.send(7200, pictures.SPS, pictures.PPS, pictures.IDR(9, 2))
	require.Len(t, c.got, 1)
	assert.Equal(t, uint64(2), c.r.Stats().Dropped)
}

func TestBrokenSetsInTheDescriptionDoNoHarm(t *testing.T) {
	c := newCamera([]byte{0x67}, []byte{0x68}, []byte("nonsense"))
	c.send(0, pictures.SPS, pictures.PPS, pictures.IDR(9, 1))
	assert.Len(t, c.got, 1)
}

func TestNewSizeInMidStreamBeginsAnEpoch(t *testing.T) {
	c := newCamera(pictures.SPS, pictures.PPS)
	c.send(0, pictures.IDR(9, 1))
	c.send(3600, pictures.P(9, 1))
	c.send(7200, pictures.Larger, pictures.PPS, pictures.IDR(9, 1))
	c.send(10800, pictures.P(9, 1))
	require.Len(t, c.got, 4)
	assert.Same(t, c.got[0].Epoch, c.got[1].Epoch)
	assert.Equal(t, uint64(8), c.got[2].Epoch.Number)
	assert.Equal(t, 640, c.got[2].Track.Width)
	assert.Equal(t, int64(0), c.got[2].DTS, "a timeline of its own")
	assert.Equal(t, 320, c.got[0].Track.Width, "what was published stays as it was")
	assert.Equal(t, uint64(9), c.r.NextEpoch())
}

func TestReorderedPictures(t *testing.T) {
	c := newCamera(pictures.Reordering, pictures.PPS)
	// I0 P3 B1 B2 P6 B4 B5, by the time each is shown.
	shown := []uint32{0, 3, 1, 2, 6, 4, 5}
	for i, n := range shown {
		nal := pictures.B(9, 1)
		switch {
		case i == 0:
			nal = pictures.IDR(9, 1)
		case n%3 == 0:
			nal = pictures.P(9, 1)
		}
		c.send(n*3600, nal)
	}
	require.Len(t, c.got, len(shown))
	assert.True(t, c.r.HasB())
	for i, s := range c.got {
		assert.GreaterOrEqual(t, s.PTS, s.DTS, "picture %d", i)
		assert.GreaterOrEqual(t, s.DTS, int64(0))
		if i > 0 {
			assert.Equal(t, int64(3600), s.DTS-c.got[i-1].DTS)
		}
		assert.Equal(t, int64(shown[i])*3600, s.PTS-c.got[0].PTS)
	}
	assert.Zero(t, c.r.Stats().Jumps)
}

func TestRecoveryPointIsAKeyframe(t *testing.T) {
	c := newCamera(pictures.SPS, pictures.PPS)
	sei := []byte{0x06, 0x06, 0x01, 0xc4, 0x80}
	c.send(0, sei, pictures.P(9, 1)) // an I picture that is no IDR
	require.Len(t, c.got, 1)
	assert.True(t, c.got[0].Key)
}

func TestSenderThatStartsAnewWithoutReconnecting(t *testing.T) {
	c := newCamera(pictures.SPS, pictures.PPS)
	c.send(0, pictures.IDR(9, 1))
	c.send(3600, pictures.P(9, 1))
	c.seq += 20000
	for n := range uint32(3) {
		c.send(5_000_000+n*3600, pictures.SPS, pictures.PPS, pictures.IDR(9, 1))
	}
	last := c.got[len(c.got)-1]
	assert.Equal(t, uint64(8), last.Epoch.Number)
}
