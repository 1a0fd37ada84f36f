package whep_test

import (
	"context"
	"sync"
	"testing"
	"time"

	"github.com/pion/webrtc/v4"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/accessunit"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/rtp"
	"webostrum/deliver/whep"
	"webostrum/sim/reel"
)

// TestH265 goes as it is to a viewer whose offer takes it, and ends when the feed is coded in
// a way that the offer does not take.
func TestH265(t *testing.T) {
	server, err := whep.New(whep.Config{Listen: "127.0.0.1:0"})
	require.NoError(t, err)
	h := hub.New(hub.Config{})
	frames, config := reel.Load()
	track := media.VideoTrack(1, 90000, config)
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	ctx, cancel := context.WithCancel(context.Background())
	var filming sync.WaitGroup
	filming.Go(func() {
		ticker := time.NewTicker(20 * time.Millisecond)
		defer ticker.Stop()
		for n := 0; ; n++ {
			f := frames[n%len(frames)]
			h.Publish(&media.Sample{Epoch: epoch, Track: track, DTS: int64(n) * 1800, PTS: int64(n) * 1800, Captured: time.Now(), Key: f.Key, Data: f.Data})
			select {
			case <-ctx.Done():
				return
			case <-ticker.C:
			}
		}
	})
	t.Cleanup(func() { assert.NoError(t, server.Close()); cancel(); filming.Wait(); h.Close() })

	v := newViewer(t)
	offer := v.offer(t)
	require.Equal(t, []media.Codec{media.H265}, whep.Takes(offer))
	_, answer, err := server.Open(context.Background(), "gate", offer, whep.Source{Hub: h, Codec: media.H265, Release: func() {}})
	require.NoError(t, err)
	assert.Contains(t, answer, "H265/90000")
	require.NoError(t, v.pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeAnswer, SDP: answer}))

	var got []*accessunit.Unit
	d, err := rtp.NewDepacketizer(media.H265, rtp.Params{}, accessunit.Sink{Unit: func(u *accessunit.Unit) { got = append(got, u) }, Dropped: func(accessunit.DropReason) {}})
	require.NoError(t, err)
	for len(got) < 30 {
		d.Push(v.next(t), 0, time.Now())
	}
	assert.True(t, got[0].Key)
	assert.True(t, got[0].Config.Equal(config))
	data := map[string]bool{}
	for _, f := range frames {
		data[string(f.Data)] = true
	}
	for i, u := range got {
		assert.True(t, data[string(u.Data)], "picture %d is one of the film's", i)
	}
}
