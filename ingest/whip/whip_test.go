package whip_test

import (
	"context"
	"log/slog"
	"net"
	"testing"
	"time"

	prtp "github.com/pion/rtp"
	"github.com/pion/webrtc/v4"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/ingest/push"
	"webostrum/ingest/whip"
	"webostrum/testkit"
	"webostrum/testkit/desk"
)

const patience = 20 * time.Second

// loopback keeps packets on this machine.
func loopback() (s webrtc.SettingEngine) {
	s.SetIncludeLoopbackCandidate(true)
	s.SetIPFilter(net.IP.IsLoopback)
	s.SetNetworkTypes([]webrtc.NetworkType{webrtc.NetworkTypeUDP4})
	return s
}

// place is a place that a test is told when it is left.
type place struct {
	push.Place
	left chan struct{}
}

// Leave implements push.Place.
func (p place) Leave() { close(p.left) }

func newServer(t *testing.T) (*whip.Server, *desk.Desk, place) {
	t.Helper()
	s, err := whip.New(loopback(), slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	t.Cleanup(s.Close)
	d := &desk.Desk{Key: "key"}
	d.Config.StallAfter = patience
	p, err := d.Admit(t.Context(), push.Request{Feed: "gate", Knows: func(key string) bool { return key == d.Key }})
	require.NoError(t, err)
	return s, d, place{p, make(chan struct{})}
}

// sender is a browser's side that sends what it has registered.
type sender struct {
	pc           *webrtc.PeerConnection
	video, audio *webrtc.TrackLocalStaticRTP
	connected    chan struct{}
}

func newSender(t *testing.T, mime string) *sender {
	t.Helper()
	m := &webrtc.MediaEngine{}
	video := webrtc.RTPCodecCapability{MimeType: mime, ClockRate: 90000}
	audio := webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypeOpus, ClockRate: 48000, Channels: 2}
	require.NoError(t, m.RegisterCodec(webrtc.RTPCodecParameters{PayloadType: 97, RTPCodecCapability: video}, webrtc.RTPCodecTypeVideo))
	require.NoError(t, m.RegisterCodec(webrtc.RTPCodecParameters{PayloadType: 111, RTPCodecCapability: audio}, webrtc.RTPCodecTypeAudio))
	pc, err := webrtc.NewAPI(webrtc.WithMediaEngine(m), webrtc.WithSettingEngine(loopback())).NewPeerConnection(webrtc.Configuration{})
	require.NoError(t, err)
	t.Cleanup(func() { _ = pc.Close() })
	s := &sender{pc: pc, connected: make(chan struct{})}
	pc.OnConnectionStateChange(func(state webrtc.PeerConnectionState) {
		if state == webrtc.PeerConnectionStateConnected {
			close(s.connected)
		}
	})
	add := func(c webrtc.RTPCodecCapability, id string) *webrtc.TrackLocalStaticRTP {
		track, err := webrtc.NewTrackLocalStaticRTP(c, id, "camera")
		require.NoError(t, err)
		_, err = pc.AddTransceiverFromTrack(track, webrtc.RTPTransceiverInit{Direction: webrtc.RTPTransceiverDirectionSendonly})
		require.NoError(t, err)
		return track
	}
	s.video, s.audio = add(video, "video"), add(audio, "audio")
	return s
}

func (s *sender) offer(t *testing.T) string {
	t.Helper()
	offer, err := s.pc.CreateOffer(nil)
	require.NoError(t, err)
	gathered := webrtc.GatheringCompletePromise(s.pc)
	require.NoError(t, s.pc.SetLocalDescription(offer))
	<-gathered
	return s.pc.LocalDescription().SDP
}

// TestRefusals: what is offered cannot be taken, and the place is free again.
func TestRefusals(t *testing.T) {
	for name, tt := range map[string]struct {
		offer func(*testing.T) string
		want  error
	}{
		"VP9 alone":  {func(t *testing.T) string { return newSender(t, webrtc.MimeTypeVP9).offer(t) }, whip.ErrCodec},
		"AV1 alone":  {func(t *testing.T) string { return newSender(t, webrtc.MimeTypeAV1).offer(t) }, whip.ErrCodec},
		"no SDP":     {func(*testing.T) string { return "hello" }, whip.ErrOffer},
		"no medium":  {func(*testing.T) string { return "v=0\r\no=- 1 1 IN IP4 127.0.0.1\r\ns=-\r\nt=0 0\r\n" }, whip.ErrOffer},
		"no address": {func(*testing.T) string { return "" }, whip.ErrOffer},
	} {
		s, _, p := newServer(t)
		_, _, err := s.Open(t.Context(), p, whip.From{Feed: "gate"}, tt.offer(t))
		require.ErrorIs(t, err, tt.want, name)
		select {
		case <-p.left:
		case <-time.After(patience):
			t.Fatalf("%s: the place was not left", name)
		}
		_, err = s.Of("gate")
		require.ErrorIs(t, err, whip.ErrNoSession, name)
	}
}

// TestAudioBeforeVideo is what browsers do, whose encoders of pictures take longer: audio
// waits for the clock of the picture, and then comes.
func TestAudioBeforeVideo(t *testing.T) {
	s, d, p := newServer(t)
	from := newSender(t, webrtc.MimeTypeVP8)
	session, answer, err := s.Open(t.Context(), p, whip.From{Feed: "gate"}, from.offer(t))
	require.NoError(t, err)
	require.NoError(t, from.pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeAnswer, SDP: answer}))
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	select {
	case <-from.connected:
	case <-ctx.Done():
		t.Fatal("no connection")
	}
	n := uint16(0)
	const alone = 25 // packets of audio before the first picture
	require.NoError(t, testkit.Eventually(ctx, func() bool {
		n++
		_ = from.audio.WriteRTP(&prtp.Packet{Header: prtp.Header{Version: 2, SequenceNumber: n, Timestamp: uint32(n) * 960}, Payload: []byte{0xfc, 1, 2}})
		if n > alone {
			frame := []byte{0x10, 0xd0, 4, 0, 0x9d, 1, 0x2a, 80, 0, 48, 0, byte(n)}
			_ = from.video.WriteRTP(&prtp.Packet{Header: prtp.Header{Version: 2, SequenceNumber: n, Timestamp: uint32(n) * 1800, Marker: true}, Payload: frame})
		}
		kept := d.Kept()
		return len(kept.Video) > 10 && len(kept.Audio) > 10
	}))
	kept := d.Kept()
	assert.Equal(t, media.VP8, kept.Video[0].Track.Codec)
	require.NotEmpty(t, kept.Tracks)
	for _, track := range kept.Tracks {
		assert.NotNil(t, track, "it is not said that there is no audio")
	}
	f := kept.Session.Facts()
	assert.Equal(t, media.Opus, f.Audio.Codec)
	assert.Len(t, f.Tracks, 2)

	session.End(fault.New(fault.PublisherLeft, nil, ""))
	select {
	case <-p.left:
	case <-ctx.Done():
		t.Fatal("the place was not left")
	}
}
