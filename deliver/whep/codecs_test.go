package whep_test

import (
	"bytes"
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
	"webostrum/core/vp8"
	"webostrum/deliver/whep"
	"webostrum/sim/reel"
)

// footage is what a camera sends in a codec.
type footage struct {
	config *media.VideoConfig
	frames []reel.Frame
}

// films are by codec those that go untouched to viewers who decode them. The frames in VP8
// have headers alone: nothing here decodes them.
func films() map[media.Codec]footage {
	frames, config := reel.Load()
	list := map[media.Codec]footage{media.H265: {config, frames}}
	other := footage{config: vp8.Config(80, 48)}
	for i := range 50 {
		head := []byte{0x71, 2, 0}
		if i%25 == 0 {
			head = []byte{0xd0, 4, 0, 0x9d, 1, 0x2a, 80, 0, 48, 0}
		}
		other.frames = append(other.frames, reel.Frame{Key: i%25 == 0, Data: append(head, bytes.Repeat([]byte{byte(i)}, i*90)...)})
	}
	list[media.VP8] = other
	return list
}

// TestOtherCodecs go as they are to a viewer whose offer takes them.
func TestOtherCodecs(t *testing.T) {
	for codec, f := range films() {
		t.Run(string(codec), func(t *testing.T) { untouched(t, codec, f) })
	}
}

func untouched(t *testing.T, codec media.Codec, sent footage) {
	server, err := whep.New(whep.Config{Listen: "127.0.0.1:0"})
	require.NoError(t, err)
	h := hub.New(hub.Config{})
	frames, config := sent.frames, sent.config
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
	require.Equal(t, []media.Codec{media.H265, media.VP8}, whep.Takes(offer))
	_, answer, err := server.Open(context.Background(), "gate", offer, whep.Source{Hub: h, Codec: codec, Release: func() {}})
	require.NoError(t, err)
	assert.Contains(t, answer, string(codec)+"/90000")
	require.NoError(t, v.pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeAnswer, SDP: answer}))

	var got []*accessunit.Unit
	d, err := rtp.NewDepacketizer(codec, rtp.Params{}, accessunit.Sink{Unit: func(u *accessunit.Unit) { got = append(got, u) }, Dropped: func(accessunit.DropReason) {}})
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
