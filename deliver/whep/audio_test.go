package whep_test

import (
	"context"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/pion/rtp"
	"github.com/pion/webrtc/v4"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/deliver/whep"
)

func audioTrack(codec media.Codec, rate uint32) *media.Track {
	return &media.Track{ID: 2, Kind: media.KindAudio, Codec: codec, ClockRate: rate, Channels: 1}
}

// speaker publishes a unit of 20 ms at a time until the test ends. They come late by
// a while.
type speaker struct {
	hub   *hub.Hub
	epoch *media.Epoch
	mu    sync.Mutex
}

func newSpeaker(t *testing.T, track *media.Track, late time.Duration) *speaker {
	t.Helper()
	k := &speaker{hub: hub.New(hub.Config{Keep: 64}), epoch: &media.Epoch{Tracks: []*media.Track{track}}}
	ctx, cancel := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() {
		ticker := time.NewTicker(20 * time.Millisecond)
		defer ticker.Stop()
		length := track.Ticks(20 * time.Millisecond)
		for n := int64(0); ; n++ {
			k.mu.Lock()
			e := k.epoch
			k.mu.Unlock()
			k.hub.Publish(&media.Sample{Epoch: e, Track: e.Tracks[0], PTS: n * length, Length: length, Captured: time.Now().Add(-late), Key: true, Data: []byte{31 << 3, byte(n), 3}})
			select {
			case <-ctx.Done():
				return
			case <-ticker.C:
			}
		}
	})
	t.Cleanup(func() { cancel(); wg.Wait(); k.hub.Close() })
	return k
}

// recode has the camera code its audio otherwise from now on.
func (k *speaker) recode(track *media.Track) {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.epoch = &media.Epoch{Number: k.epoch.Number + 1, Tracks: []*media.Track{track}}
}

// listen opens a session whose viewer wants to hear.
func (s *stage) listen(k *speaker) (*viewer, *whep.Session) {
	s.t.Helper()
	v := newViewer(s.t)
	_, err := v.pc.AddTransceiverFromKind(webrtc.RTPCodecTypeAudio, webrtc.RTPTransceiverInit{Direction: webrtc.RTPTransceiverDirectionRecvonly})
	require.NoError(s.t, err)
	audio := &whep.Audio{Hub: k.hub, Track: k.epoch.Tracks[0]}
	session, answer, err := s.server.Open(context.Background(), "gate", v.offer(s.t), whep.Source{Hub: s.hub, Audio: audio, Release: func() { s.released.Add(1) }})
	require.NoError(s.t, err)
	require.NoError(s.t, v.pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeAnswer, SDP: answer}))
	assert.Equal(s.t, 2, strings.Count(answer, "a=sendonly"))
	return v, session
}

// heard waits for so many packets of a payload type.
func (v *viewer) heard(t *testing.T, payloadType uint8, n int) (list []*rtp.Packet) {
	t.Helper()
	for len(list) < n {
		if p := v.next(t); p.PayloadType == payloadType {
			list = append(list, p)
		}
	}
	return list
}

func TestAudio(t *testing.T) {
	for _, tt := range []struct {
		codec       media.Codec
		rate        uint32
		payloadType uint8
		step        uint32
	}{{media.Opus, 48000, 111, 960}, {media.PCMU, 8000, 0, 160}, {media.PCMA, 8000, 8, 160}} {
		t.Run(string(tt.codec), func(t *testing.T) {
			s := newStage(t, whep.Config{})
			k := newSpeaker(t, audioTrack(tt.codec, tt.rate), 0)
			v, session := s.listen(k)
			list := v.heard(t, tt.payloadType, 20)
			for i := 1; i < len(list); i++ {
				assert.Zero(t, (list[i].Timestamp-list[i-1].Timestamp)%tt.step)
			}
			assert.Equal(t, byte(3), list[0].Payload[2])
			session.End()
			eventually(t, "is released", func() bool { return s.released.Load() == 1 })
		})
	}
}

// TestPicturesWaitForTheirAudio looks at what the browser is told to hold pictures
// back by.
func TestPicturesWaitForTheirAudio(t *testing.T) {
	s := newStage(t, whep.Config{})
	least := func(p *rtp.Packet) int {
		for _, id := range p.GetExtensionIDs() {
			if e := p.GetExtension(id); len(e) == 3 {
				return 10 * (int(e[0])<<4 | int(e[1])>>4)
			}
		}
		return -1
	}
	v, _ := s.watch()
	assert.Zero(t, least(v.next(t)), "nothing to wait for")
	v, _ = s.listen(newSpeaker(t, audioTrack(media.Opus, 48000), 100*time.Millisecond))
	v.until(t, "a picture that waits", func(p *rtp.Packet) bool {
		return p.PayloadType != 111 && least(p) >= 120 && least(p) <= 250
	})
}

// TestAudioThatIsCodedOtherwise ends the session: the player comes again.
func TestAudioThatIsCodedOtherwise(t *testing.T) {
	s := newStage(t, whep.Config{})
	k := newSpeaker(t, audioTrack(media.PCMU, 8000), 0)
	v, _ := s.listen(k)
	v.heard(t, 0, 3)
	k.recode(audioTrack(media.PCMU, 8000))
	v.heard(t, 0, 3)
	assert.Zero(t, s.released.Load(), "a new epoch alone ends nothing")
	k.recode(audioTrack(media.PCMA, 8000))
	eventually(t, "is released", func() bool { return s.released.Load() == 1 })
}
