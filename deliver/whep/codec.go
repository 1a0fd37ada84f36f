package whep

import (
	"strings"

	"github.com/pion/webrtc/v4"
)

const (
	clockRate = 90000

	// playoutDelayURI asks the browser to show pictures as they come
	// (experimental RTP header extension, known to Chromium and others).
	playoutDelayURI = "http://www.webrtc.org/experiments/rtp-hdrext/playout-delay"
)

// profiles are those that are offered, by profile-level-id (RFC 6184, 8.1). Which
// of them is taken decides the browser; its decoder then reads the parameter sets.
var profiles = []string{"42e01f", "42001f", "4d001f", "640c1f", "64001f", "f4001f"}

func mediaEngine() (*webrtc.MediaEngine, error) {
	const firstPayloadType = 102
	m := &webrtc.MediaEngine{}
	feedback := []webrtc.RTCPFeedback{{Type: "nack"}, {Type: "nack", Parameter: "pli"}, {Type: "ccm", Parameter: "fir"}, {Type: "goog-remb"}}
	for i, profile := range profiles {
		err := m.RegisterCodec(webrtc.RTPCodecParameters{
			RTPCodecCapability: webrtc.RTPCodecCapability{
				MimeType: webrtc.MimeTypeH264, ClockRate: clockRate, RTCPFeedback: feedback,
				SDPFmtpLine: "level-asymmetry-allowed=1;packetization-mode=1;profile-level-id=" + profile,
			},
			PayloadType: webrtc.PayloadType(firstPayloadType + i),
		}, webrtc.RTPCodecTypeVideo)
		if err != nil {
			return nil, err
		}
	}
	err := m.RegisterHeaderExtension(webrtc.RTPHeaderExtensionCapability{URI: playoutDelayURI}, webrtc.RTPCodecTypeVideo)
	return m, err
}

// chosen is the codec that the viewer's side took: the first of H.264 whose packets
// may be larger than one (packetization mode 1).
func chosen(list []webrtc.RTPCodecParameters) (webrtc.RTPCodecParameters, bool) {
	for _, c := range list {
		if strings.EqualFold(c.MimeType, webrtc.MimeTypeH264) && strings.Contains(c.SDPFmtpLine, "packetization-mode=1") {
			return c, true
		}
	}
	return webrtc.RTPCodecParameters{}, false
}
