package whep_test

import (
	"context"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/pion/rtcp"
	"github.com/pion/rtp"
	"github.com/pion/webrtc/v4"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/hub"
	"webostrum/deliver/whep"
)

// TestABadLineGetsLess complains as viewers do whose line is too thin.
func TestABadLineGetsLess(t *testing.T) {
	t.Run("by its reports", func(t *testing.T) {
		t.Parallel()
		session := complain(t, func(v *viewer, _ []uint16) []rtcp.Packet {
			return []rtcp.Packet{v.reportOf(64), &rtcp.ReceiverEstimatedMaximumBitrate{Bitrate: 300_000, SSRCs: []uint32{v.ssrc.Load()}}}
		})
		st := session.Stats()
		assert.Equal(t, []float64{0.25, 300_000}, []float64{st.Loss, st.Estimate}, "what the viewer says")
	})
	t.Run("by what it asks for again", func(t *testing.T) {
		t.Parallel()
		session := complain(t, func(v *viewer, came []uint16) []rtcp.Packet {
			var lost []uint16
			for _, n := range came {
				if n%4 == 0 {
					lost = append(lost, n, n) // each counts once
				}
			}
			return []rtcp.Packet{v.reportOf(0), &rtcp.TransportLayerNack{MediaSSRC: v.ssrc.Load(), Nacks: rtcp.NackPairsFromSequenceNumbers(lost)}}
		})
		eventually(t, "what was asked for is known", func() bool { st := session.Stats(); return st.Loss > 0.1 && st.Loss < 0.4 })
	})
}

func (v *viewer) reportOf(lost uint8) rtcp.Packet {
	return &rtcp.ReceiverReport{Reports: []rtcp.ReceptionReport{{SSRC: v.ssrc.Load(), FractionLost: lost}}}
}

// complain sends what say makes of the packets that came since it was asked last,
// until the viewer gets a smaller rendition.
func complain(t *testing.T, say func(v *viewer, came []uint16) []rtcp.Packet) *whep.Session {
	t.Helper()
	s := newStage(t, whep.Config{})
	small := hub.New(hub.Config{})
	ctx, cancel := context.WithCancel(context.Background())
	var filming sync.WaitGroup
	filming.Go(func() { film(ctx, small) })
	t.Cleanup(func() { cancel(); filming.Wait(); small.Close() })
	var asked, opened, released atomic.Int32
	v := newViewer(t)
	session, answer, err := s.server.Open(context.Background(), "gate", v.offer(t), whep.Source{
		Hub: s.hub, Release: func() { s.released.Add(1) },
		Smaller: func() []whep.Step {
			if asked.Add(1) == 1 {
				return nil // it is not known yet at the beginning
			}
			return []whep.Step{{Name: "small", Open: func() (*hub.Hub, func(), error) {
				opened.Add(1)
				return small, func() { released.Add(1) }, nil
			}}}
		},
	})
	require.NoError(t, err)
	require.NoError(t, v.pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeAnswer, SDP: answer}))
	t.Cleanup(func() {
		session.End()
		eventually(t, "all is released", func() bool { return s.released.Load() == 1 && released.Load() == 1 })
	})
	ssrc := v.next(t).SSRC
	var came []uint16
	at := time.Now()
	v.until(t, "the smaller one, under the same SSRC", func(p *rtp.Packet) bool {
		came = append(came, p.SequenceNumber)
		if time.Since(at) > 200*time.Millisecond {
			_ = v.pc.WriteRTCP(say(v, came))
			at, came = time.Now(), nil
		}
		return session.Stats().Rendition == "small" && p.SSRC == ssrc && p.Payload[0]&typeMask == stapA
	})
	assert.EqualValues(t, 1, opened.Load())
	eventually(t, "reads it", func() bool { return small.Readers() > 0 })
	return session
}
