package reach

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"net/url"
	"strings"

	"github.com/pion/webrtc/v4"

	"webostrum/core/reach"
)

// webRTC tries to connect over one protocol.
func (c *Check) webRTC(ctx context.Context, at string, udp bool) (reach.Outcome, error) {
	ctx, cancel := context.WithTimeout(ctx, 2*within)
	defer cancel()
	var settings webrtc.SettingEngine
	settings.SetIncludeLoopbackCandidate(true)
	settings.SetNetworkTypes([]webrtc.NetworkType{webrtc.NetworkTypeTCP4, webrtc.NetworkTypeTCP6})
	if udp {
		settings.SetNetworkTypes([]webrtc.NetworkType{webrtc.NetworkTypeUDP4, webrtc.NetworkTypeUDP6})
	}
	pc, err := webrtc.NewAPI(webrtc.WithSettingEngine(settings)).NewPeerConnection(webrtc.Configuration{})
	if err != nil {
		return reach.Failed, err
	}
	defer func() { _ = pc.Close() }()
	states := make(chan webrtc.PeerConnectionState, 8)
	pc.OnConnectionStateChange(func(s webrtc.PeerConnectionState) {
		select {
		case states <- s:
		default:
		}
	})
	answer, session, err := c.offer(ctx, pc, at)
	if err != nil {
		return reach.Failed, err
	}
	defer c.end(session)
	only, kept, outside := onlyOver(answer, udp)
	if kept == 0 {
		return reach.Off, nil
	}
	if err := pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeAnswer, SDP: only}); err != nil {
		return reach.Failed, err
	}
	for {
		select {
		case s := <-states:
			if s == webrtc.PeerConnectionStateConnected {
				return reach.Works, nil
			}
			if s != webrtc.PeerConnectionStateFailed {
				continue
			}
		case <-ctx.Done():
		}
		if host, err := netip.ParseAddr(c.page.Hostname()); outside == 0 && (err != nil || !reach.Inner(host)) {
			return reach.InsideOnly, nil
		}
		return reach.Silent, nil
	}
}

// offer sends an offer, and returns the answer and the address of the session.
func (c *Check) offer(ctx context.Context, pc *webrtc.PeerConnection, at string) (answer, session string, err error) {
	if _, err := pc.AddTransceiverFromKind(webrtc.RTPCodecTypeVideo, webrtc.RTPTransceiverInit{Direction: webrtc.RTPTransceiverDirectionRecvonly}); err != nil {
		return "", "", err
	}
	offer, err := pc.CreateOffer(nil)
	if err != nil {
		return "", "", err
	}
	if err := pc.SetLocalDescription(offer); err != nil {
		return "", "", err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, at, strings.NewReader(offer.SDP))
	if err != nil {
		return "", "", err
	}
	req.Header.Set("Content-Type", "application/sdp")
	res, err := c.http.Do(req)
	if err != nil {
		return "", "", err
	}
	defer func() { _ = res.Body.Close() }()
	body, err := io.ReadAll(io.LimitReader(res.Body, mostPlan))
	if err == nil && res.StatusCode != http.StatusCreated {
		err = fmt.Errorf("the offer is answered with %s", res.Status)
	}
	where, urlErr := url.Parse(at)
	if urlErr == nil {
		where, urlErr = where.Parse(res.Header.Get("Location"))
	}
	if urlErr == nil {
		session = where.String()
	}
	return string(body), session, err
}

// end ends a session; the service does so by itself, too.
func (c *Check) end(session string) {
	ctx, cancel := context.WithTimeout(context.Background(), within/4)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodDelete, session, nil)
	if err != nil {
		return
	}
	if res, err := c.http.Do(req); err == nil {
		_ = res.Body.Close()
	}
}

// onlyOver keeps of an answer's candidates those over one protocol, and counts them and
// those that lead outside (RFC 8839, 5.1).
func onlyOver(sdp string, udp bool) (only string, kept, outside int) {
	var b strings.Builder
	for line := range strings.Lines(sdp) {
		cells := strings.Fields(line)
		if strings.HasPrefix(line, "a=candidate:") && len(cells) > 4 {
			if strings.EqualFold(cells[2], "udp") != udp {
				continue
			}
			kept++
			if at, err := netip.ParseAddr(cells[4]); err == nil && !reach.Inner(at) {
				outside++
			}
		}
		b.WriteString(line)
	}
	return b.String(), kept, outside
}
