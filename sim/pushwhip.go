package sim

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/pion/webrtc/v4"

	"webostrum/core/media"
	"webostrum/core/rtp"
	"webostrum/deliver/rtsp"
)

const (
	whipVideoType = 102
	whipAudioType = 111
	whipMTU       = 1200
)

// sendWHIP publishes by WebRTC to the address of a camera page with its pass,
// http://host:port/publish/feed#PASS.
func sendWHIP(ctx context.Context, p *pusher, to string, stream *rtsp.Stream) error {
	u, err := url.Parse(to)
	if err != nil {
		return err
	}
	pass := u.Fragment
	u.Fragment = ""
	u.Path = strings.TrimSuffix(u.Path, "/") + "/whip"
	pc, err := whipConnection(net.ParseIP(u.Hostname()).IsLoopback())
	if err != nil {
		return err
	}
	defer func() { _ = pc.Close() }()
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	connected, once := make(chan struct{}), sync.Once{}
	pc.OnConnectionStateChange(func(state webrtc.PeerConnectionState) {
		switch state {
		case webrtc.PeerConnectionStateConnected:
			once.Do(func() { close(connected) })
		case webrtc.PeerConnectionStateFailed, webrtc.PeerConnectionStateClosed, webrtc.PeerConnectionStateDisconnected:
			cancel()
		}
	})
	tracks, err := whipTracks(pc, stream)
	if err != nil {
		return err
	}
	session, err := postOffer(ctx, pc, u, pass)
	if err != nil {
		return err
	}
	defer endSession(session)
	select {
	case <-connected:
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(pushTimeout):
		return fmt.Errorf("no connection to %s", u.Host)
	}
	return frames(ctx, &p.camera.Faults, stream, tracks.frame)
}

// whipConnection makes a connection; loopback keeps it on this machine.
func whipConnection(loopback bool) (*webrtc.PeerConnection, error) {
	var settings webrtc.SettingEngine
	settings.SetNetworkTypes([]webrtc.NetworkType{webrtc.NetworkTypeUDP4})
	settings.SetIncludeLoopbackCandidate(loopback)
	if loopback {
		settings.SetIPFilter(net.IP.IsLoopback)
	}
	m := &webrtc.MediaEngine{}
	video := webrtc.RTPCodecParameters{PayloadType: whipVideoType, RTPCodecCapability: webrtc.RTPCodecCapability{
		MimeType: webrtc.MimeTypeH264, ClockRate: clockRate, SDPFmtpLine: "level-asymmetry-allowed=1;packetization-mode=1;profile-level-id=42e01f",
		RTCPFeedback: []webrtc.RTCPFeedback{{Type: "nack", Parameter: "pli"}},
	}}
	audio := webrtc.RTPCodecParameters{PayloadType: whipAudioType, RTPCodecCapability: webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypeOpus, ClockRate: 48000, Channels: 2}}
	if err := m.RegisterCodec(video, webrtc.RTPCodecTypeVideo); err != nil {
		return nil, err
	}
	if err := m.RegisterCodec(audio, webrtc.RTPCodecTypeAudio); err != nil {
		return nil, err
	}
	return webrtc.NewAPI(webrtc.WithSettingEngine(settings), webrtc.WithMediaEngine(m)).NewPeerConnection(webrtc.Configuration{})
}

// whipTrack is a track with what cuts its packets.
type whipTrack struct {
	*webrtc.TrackLocalStaticRTP
	packets rtp.Packetizer
}

type trackSet map[media.Kind]*whipTrack

// whipTracks adds the stream's tracks to a connection.
func whipTracks(pc *webrtc.PeerConnection, stream *rtsp.Stream) (trackSet, error) {
	set := trackSet{}
	for _, t := range []*media.Track{stream.Track, stream.AudioTrack} {
		if t == nil {
			continue
		}
		codec := webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypeH264, ClockRate: clockRate}
		if t.Kind == media.KindAudio {
			codec = webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypeOpus, ClockRate: 48000, Channels: 2}
		}
		track, err := webrtc.NewTrackLocalStaticRTP(codec, t.Kind.String(), "camera")
		if err != nil {
			return nil, err
		}
		if _, err := pc.AddTransceiverFromTrack(track, webrtc.RTPTransceiverInit{Direction: webrtc.RTPTransceiverDirectionSendonly}); err != nil {
			return nil, err
		}
		set[t.Kind] = &whipTrack{TrackLocalStaticRTP: track, packets: rtp.Packetizer{MTU: whipMTU}}
	}
	return set, nil
}

// frame sends one sample.
func (set trackSet) frame(s *media.Sample, _ time.Duration) error {
	t := set[s.Track.Kind]
	if t == nil {
		return nil
	}
	for _, p := range t.packets.Packets(s) {
		if err := t.WriteRTP(p); err != nil {
			return err
		}
	}
	return nil
}

// postOffer opens the session and returns its address.
func postOffer(ctx context.Context, pc *webrtc.PeerConnection, u *url.URL, pass string) (session *url.URL, err error) {
	offer, err := pc.CreateOffer(nil)
	if err != nil {
		return nil, err
	}
	gathered := webrtc.GatheringCompletePromise(pc)
	if err := pc.SetLocalDescription(offer); err != nil {
		return nil, err
	}
	<-gathered
	ctx, cancel := context.WithTimeout(ctx, pushTimeout)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, u.String(), strings.NewReader(pc.LocalDescription().SDP))
	if err != nil {
		return nil, err
	}
	r.Header.Set("Content-Type", "application/sdp")
	r.Header.Set("Authorization", "Bearer "+pass)
	r.Header.Set("User-Agent", "Morrow Crag Phone")
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		return nil, err
	}
	defer func() { _ = resp.Body.Close() }()
	const mostAnswer = 64 << 10
	body, err := io.ReadAll(io.LimitReader(resp.Body, mostAnswer))
	if err != nil {
		return nil, err
	}
	if resp.StatusCode != http.StatusCreated {
		return nil, fmt.Errorf("refused: %s %s", resp.Status, body)
	}
	if session, err = resp.Location(); err != nil {
		return nil, err
	}
	return session, pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeAnswer, SDP: string(body)})
}

func endSession(session *url.URL) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, http.MethodDelete, session.String(), nil)
	if err != nil {
		return
	}
	if resp, err := http.DefaultClient.Do(r); err == nil {
		_ = resp.Body.Close()
	}
}
