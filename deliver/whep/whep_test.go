package whep_test

import (
	"context"
	"fmt"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/pion/interceptor"
	"github.com/pion/rtcp"
	"github.com/pion/rtp"
	"github.com/pion/webrtc/v4"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/deliver/whep"
	"webostrum/testkit"
	"webostrum/testkit/peer"
	"webostrum/testkit/pictures"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// stage is a server with a stream that goes on until the test ends.
type stage struct {
	t        *testing.T
	server   *whep.Server
	hub      *hub.Hub
	released atomic.Int32
}

func newStage(t *testing.T, cfg whep.Config) *stage {
	t.Helper()
	cfg.Listen = "127.0.0.1:0"
	server, err := whep.New(cfg)
	require.NoError(t, err)
	s := &stage{t: t, server: server, hub: hub.New(hub.Config{})}
	ctx, cancel := context.WithCancel(context.Background())
	var filming sync.WaitGroup
	filming.Go(func() { film(ctx, s.hub) })
	t.Cleanup(func() { assert.NoError(t, server.Close()); cancel(); filming.Wait(); s.hub.Close() })
	return s
}

// film publishes a picture every 20 ms, a keyframe every 50 pictures.
func film(ctx context.Context, h *hub.Hub) {
	track := pictures.Track(pictures.SPS)
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	ticker := time.NewTicker(20 * time.Millisecond)
	defer ticker.Stop()
	for n := int64(0); ; n++ {
		data := pictures.Data(pictures.P(3000, byte(n)))
		if n%50 == 0 {
			data = pictures.Data(pictures.IDR(20_000, byte(n)))
		}
		h.Publish(&media.Sample{Epoch: epoch, Track: track, DTS: n * 1800, PTS: n * 1800, Captured: time.Now(), Key: n%50 == 0, Data: data})
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
	}
}

// viewer is a WebRTC client that takes what comes, and reports nothing by itself.
type viewer struct {
	pc      *webrtc.PeerConnection
	packets chan *rtp.Packet
	ssrc    atomic.Uint32
}

func newViewer(t *testing.T) *viewer {
	t.Helper()
	var settings webrtc.SettingEngine
	settings.SetIncludeLoopbackCandidate(true)
	settings.DisableSRTPReplayProtection(true) // so that what is sent again is seen
	m := &webrtc.MediaEngine{}
	require.NoError(t, m.RegisterDefaultCodecs())
	for _, name := range []string{"playout-delay", "abs-send-time"} {
		uri := "http://www.webrtc.org/experiments/rtp-hdrext/" + name
		require.NoError(t, m.RegisterHeaderExtension(webrtc.RTPHeaderExtensionCapability{URI: uri}, webrtc.RTPCodecTypeVideo))
	}
	pc, err := webrtc.NewAPI(webrtc.WithSettingEngine(settings), webrtc.WithMediaEngine(m), webrtc.WithInterceptorRegistry(&interceptor.Registry{})).NewPeerConnection(webrtc.Configuration{})
	require.NoError(t, err)
	v := &viewer{pc: pc, packets: make(chan *rtp.Packet, 10_000)}
	pc.OnTrack(func(remote *webrtc.TrackRemote, _ *webrtc.RTPReceiver) {
		v.ssrc.Store(uint32(remote.SSRC()))
		for {
			p, _, err := remote.ReadRTP()
			if err != nil {
				return
			}
			select {
			case v.packets <- p:
			default:
			}
		}
	})
	t.Cleanup(func() { _ = pc.Close() })
	return v
}

func (v *viewer) offer(t *testing.T) string {
	t.Helper()
	_, err := v.pc.AddTransceiverFromKind(webrtc.RTPCodecTypeVideo, webrtc.RTPTransceiverInit{Direction: webrtc.RTPTransceiverDirectionRecvonly})
	require.NoError(t, err)
	offer, err := peer.Offer(v.pc, nil)
	require.NoError(t, err)
	return offer
}

func (s *stage) watch() (*viewer, *whep.Session) {
	s.t.Helper()
	v := newViewer(s.t)
	session, answer, err := s.server.Open(context.Background(), "gate", v.offer(s.t), whep.Source{Hub: s.hub, Release: func() { s.released.Add(1) }})
	require.NoError(s.t, err)
	require.NoError(s.t, v.pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeAnswer, SDP: answer}))
	return v, session
}

func (v *viewer) next(t *testing.T) *rtp.Packet {
	t.Helper()
	select {
	case p := <-v.packets:
		return p
	case <-time.After(20 * time.Second):
		t.Fatal("no packet")
		return nil
	}
}

// until takes packets until one of them is what is waited for.
func (v *viewer) until(t *testing.T, what string, ok func(*rtp.Packet) bool) {
	t.Helper()
	for deadline := time.Now().Add(30 * time.Second); time.Now().Before(deadline); {
		if ok(v.next(t)) {
			return
		}
	}
	t.Fatal(what)
}

func eventually(t *testing.T, what string, ok func() bool) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	require.NoError(t, testkit.Eventually(ctx, ok), what)
}

const (
	typeMask = 0x1f
	stapA    = 24
	fuA      = 28
)

// TestJoiningIsQuick begins in the middle of a group of pictures: it is sent at once,
// from its keyframe on, and then the stamps follow the pictures.
func TestJoiningIsQuick(t *testing.T) {
	s := newStage(t, whep.Config{})
	eventually(t, "the middle of a group", func() bool { l := s.hub.Latest(); return l != nil && l.PTS/1800%50 > 20 })
	v, session := s.watch()
	first := v.next(t)
	assert.EqualValues(t, stapA, first.Payload[0]&typeMask, "parameter sets")
	sequence, stamps := first.SequenceNumber, []uint32{first.Timestamp}
	for len(stamps) < 60 {
		p := v.next(t)
		if int16(p.SequenceNumber-sequence) < 0 {
			continue // sent again: a busy machine loses some
		}
		sequence = p.SequenceNumber
		if p.Timestamp != stamps[len(stamps)-1] {
			stamps = append(stamps, p.Timestamp)
		}
	}
	assert.Zero(t, (stamps[59]-stamps[58])%1800, "at the live edge stamps are as far apart as pictures were taken")
	eventually(t, "the mark", func() bool { return !session.Stats().Mark.Captured.IsZero() })
	st := session.Stats()
	assert.WithinDuration(t, time.Now(), st.Mark.Captured, 5*time.Second)
	assert.Equal(t, "udp", st.Way)
	assert.Positive(t, st.Bytes)
}

// TestWhatIsLostIsSentAgain byte for byte: SRTP encrypts both under one nonce, which must
// not stand for two different packets.
func TestWhatIsLostIsSentAgain(t *testing.T) {
	s := newStage(t, whep.Config{})
	v, session := s.watch()
	var lost *rtp.Packet
	for range 30 {
		lost = v.next(t)
	}
	require.NoError(t, v.pc.WriteRTCP([]rtcp.Packet{&rtcp.TransportLayerNack{
		MediaSSRC: v.ssrc.Load(), Nacks: rtcp.NackPairsFromSequenceNumbers([]uint16{lost.SequenceNumber}),
	}}))
	assert.Len(t, lost.GetExtensionIDs(), 2, "it says when it was sent")
	whole, err := lost.Marshal()
	require.NoError(t, err)
	v.until(t, "again", func(p *rtp.Packet) bool {
		return p.SequenceNumber == lost.SequenceNumber && p != lost && assertSame(t, whole, p)
	})
	assert.GreaterOrEqual(t, session.Stats().Repeated, uint64(1))
}

func assertSame(t *testing.T, whole []byte, p *rtp.Packet) bool {
	t.Helper()
	again, err := p.Marshal()
	require.NoError(t, err)
	return assert.Equal(t, whole, again)
}

func TestAPictureToStartWithIsSentWhenAskedFor(t *testing.T) {
	s := newStage(t, whep.Config{})
	v, session := s.watch()
	for range 100 {
		v.next(t)
	}
	require.NoError(t, v.pc.WriteRTCP([]rtcp.Packet{&rtcp.PictureLossIndication{MediaSSRC: v.ssrc.Load()}}))
	eventually(t, "is asked", func() bool { return session.Stats().Keyframes >= 1 })
	v.until(t, "a keyframe comes", func(p *rtp.Packet) bool { return p.Payload[0]&typeMask == stapA })
	for range 50 {
		kind := v.next(t).Payload[0] & typeMask
		assert.Contains(t, []byte{1, 5, fuA, stapA}, kind)
	}
}

// TestICEBeginsAnew restarts ICE as a viewer does that has changed its network.
func TestICEBeginsAnew(t *testing.T) {
	s := newStage(t, whep.Config{})
	v, session := s.watch()
	v.next(t)
	offer, err := peer.Offer(v.pc, &webrtc.OfferOptions{ICERestart: true})
	require.NoError(t, err)
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	fragment, err := session.Restart(ctx, offer)
	require.NoError(t, err)
	assert.Contains(t, fragment, "a=candidate:")
	renew := func(line string) func(string) string {
		fresh := regexp.MustCompile(line + `\S+`).FindString(fragment)
		return func(sdp string) string { return regexp.MustCompile(line+`\S+`).ReplaceAllString(sdp, fresh) }
	}
	answer := renew("a=ice-pwd:")(renew("a=ice-ufrag:")(v.pc.RemoteDescription().SDP))
	assert.NotEqual(t, v.pc.RemoteDescription().SDP, answer)
	require.NoError(t, v.pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeAnswer, SDP: answer}))
	newest := v.next(t).Timestamp
	v.until(t, "it goes on", func(p *rtp.Packet) bool { return int32(p.Timestamp-newest) > 2*90000 })
	eventually(t, "under the new credentials", func() bool { return v.pc.ICEConnectionState() == webrtc.ICEConnectionStateConnected })
	assert.Zero(t, s.released.Load())

	_, err = session.Restart(ctx, "a=mid:0")
	assert.ErrorIs(t, err, whep.ErrFragment)
}

func TestSessionsEnd(t *testing.T) {
	s := newStage(t, whep.Config{})
	v, session := s.watch()
	v.next(t)
	found, err := s.server.Session("gate", session.ID)
	require.NoError(t, err)
	assert.Same(t, session, found)
	_, err = s.server.Session("yard", session.ID)
	assert.ErrorIs(t, err, whep.ErrNoSession)
	session.End()
	eventually(t, "is released", func() bool { return s.released.Load() == 1 })
	_, err = s.server.Session("gate", session.ID)
	assert.ErrorIs(t, err, whep.ErrNoSession)

	v, _ = s.watch()
	v.next(t)
	require.NoError(t, v.pc.Close())
	eventually(t, "one that goes is noticed", func() bool { return s.released.Load() == 2 })
}

func TestNoMoreThanTheLimit(t *testing.T) {
	s := newStage(t, whep.Config{Most: 1})
	s.watch()
	_, _, err := s.server.Open(context.Background(), "gate", newViewer(t).offer(t), whep.Source{Hub: s.hub, Release: func() { s.released.Add(1) }})
	require.ErrorIs(t, err, whep.ErrFull)
	assert.EqualValues(t, 1, s.released.Load(), "what was opened for it is given back")
}

// TestOffersThatOnlySend are refused: there is nothing that could be sent to them.
func TestOffersThatOnlySend(t *testing.T) {
	s := newStage(t, whep.Config{})
	for direction, want := range map[webrtc.RTPTransceiverDirection]error{
		webrtc.RTPTransceiverDirectionSendonly: whep.ErrNoH264, webrtc.RTPTransceiverDirectionInactive: whep.ErrNoH264,
		webrtc.RTPTransceiverDirectionSendrecv: nil, webrtc.RTPTransceiverDirectionRecvonly: nil,
	} {
		v := newViewer(t)
		_, err := v.pc.AddTransceiverFromKind(webrtc.RTPCodecTypeVideo, webrtc.RTPTransceiverInit{Direction: webrtc.RTPTransceiverDirectionSendrecv})
		require.NoError(t, err)
		offer, err := peer.Offer(v.pc, nil)
		require.NoError(t, err)
		offer = strings.ReplaceAll(offer, "a=sendrecv", "a="+direction.String())
		_, _, err = s.server.Open(context.Background(), "gate", offer, whep.Source{Hub: s.hub, Release: func() {}})
		assert.ErrorIs(t, err, want, direction.String())
	}
}

// TestBrokenOffersLeaveNothing gives back what was opened for them.
func TestBrokenOffersLeaveNothing(t *testing.T) {
	s := newStage(t, whep.Config{})
	for _, offer := range []string{"", "v=0", "hello", newViewer(t).offer(t)[:200]} {
		_, _, err := s.server.Open(context.Background(), "gate", offer, whep.Source{Hub: s.hub, Release: func() { s.released.Add(1) }})
		assert.Error(t, err)
	}
	eventually(t, "all is given back", func() bool { return s.released.Load() == 4 })
}

// TestAddressesThatAreOffered are those of the settings, with the one port over UDP
// and TCP.
func TestAddressesThatAreOffered(t *testing.T) {
	s := newStage(t, whep.Config{Addresses: []string{"198.51.100.7", "203.0.113.9"}})
	_, answer, err := s.server.Open(context.Background(), "gate", newViewer(t).offer(t), whep.Source{Hub: s.hub, Release: func() {}})
	require.NoError(t, err)
	for _, way := range []string{"udp", "tcp"} {
		assert.Regexp(t, fmt.Sprintf(`a=candidate:\S+ 1 (?i:%s) \d+ 198\.51\.100\.7 %d typ host`, way, s.server.Port()), answer)
		assert.Regexp(t, fmt.Sprintf(`a=candidate:\S+ 1 (?i:%s) \d+ 203\.0\.113\.9 %d typ host`, way, s.server.Port()), answer)
	}
	assert.NotContains(t, answer, "127.0.0.1 "+fmt.Sprint(s.server.Port()))
	_, err = whep.New(whep.Config{Listen: "127.0.0.1:0", Addresses: []string{"not-an-address"}})
	assert.ErrorContains(t, err, "--webrtc-address")
}

func TestThePortIsTaken(t *testing.T) {
	s := newStage(t, whep.Config{})
	_, err := whep.New(whep.Config{Listen: fmt.Sprintf("127.0.0.1:%d", s.server.Port())})
	assert.ErrorContains(t, err, "--webrtc-listen")
}
