package whep

import (
	"strings"

	"github.com/pion/webrtc/v4"

	"webostrum/core/media"
	"webostrum/core/opus"
)

const (
	clockRate      = 90000
	vp8PayloadType = 120

	// playoutDelayURI asks the browser to show pictures as they come
	// (experimental RTP header extension, known to Chromium and others).
	playoutDelayURI = "http://www.webrtc.org/experiments/rtp-hdrext/playout-delay"

	// sendTimeURI tells when each packet was sent; browsers estimate by it what their
	// line carries.
	sendTimeURI = "http://www.webrtc.org/experiments/rtp-hdrext/abs-send-time"
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
	// One profile says nothing of the others: viewers' sides name their own.
	err := m.RegisterCodec(webrtc.RTPCodecParameters{
		RTPCodecCapability: webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypeH265, ClockRate: clockRate, RTCPFeedback: feedback},
		PayloadType:        firstPayloadType + webrtc.PayloadType(len(profiles)),
	}, webrtc.RTPCodecTypeVideo)
	if err != nil {
		return nil, err
	}
	err = m.RegisterCodec(webrtc.RTPCodecParameters{
		RTPCodecCapability: webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypeVP8, ClockRate: clockRate, RTCPFeedback: feedback},
		PayloadType:        vp8PayloadType,
	}, webrtc.RTPCodecTypeVideo)
	if err != nil {
		return nil, err
	}
	if err := registerAudio(m); err != nil {
		return nil, err
	}
	for _, uri := range []string{playoutDelayURI, sendTimeURI} {
		if err := m.RegisterHeaderExtension(webrtc.RTPHeaderExtensionCapability{URI: uri}, webrtc.RTPCodecTypeVideo); err != nil {
			return nil, err
		}
	}
	return m, nil
}

// audioCodecs are those that every browser takes (RFC 7874, 3), with their payload
// types: those of RFC 3551 where there are any.
var audioCodecs = map[media.Codec]webrtc.RTPCodecParameters{
	media.Opus: {
		RTPCodecCapability: webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypeOpus, ClockRate: opus.ClockRate, Channels: 2, SDPFmtpLine: "minptime=10;useinbandfec=1"},
		PayloadType:        111,
	},
	media.PCMU: {RTPCodecCapability: webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypePCMU, ClockRate: 8000}, PayloadType: 0},
	media.PCMA: {RTPCodecCapability: webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypePCMA, ClockRate: 8000}, PayloadType: 8},
}

func registerAudio(m *webrtc.MediaEngine) error {
	for _, codec := range []media.Codec{media.Opus, media.PCMU, media.PCMA} {
		if err := m.RegisterCodec(audioCodecs[codec], webrtc.RTPCodecTypeAudio); err != nil {
			return err
		}
	}
	return nil
}

// codecs are the MIME types of all that can be sent.
var codecs = map[media.Codec]string{
	media.H264: webrtc.MimeTypeH264, media.H265: webrtc.MimeTypeH265, media.VP8: webrtc.MimeTypeVP8, media.Opus: webrtc.MimeTypeOpus, media.PCMU: webrtc.MimeTypePCMU, media.PCMA: webrtc.MimeTypePCMA,
}

// Takes lists what an offer says its side decodes beside H.264.
func Takes(offer string) (list []media.Codec) {
	for _, codec := range []media.Codec{media.H265, media.VP8} {
		for line := range strings.Lines(offer) {
			if strings.HasPrefix(line, "a=rtpmap:") && strings.Contains(strings.ToUpper(line), " "+string(codec)+"/") {
				list = append(list, codec)
				break
			}
		}
	}
	return list
}

// chosen is the codec that the viewer's side took of those that a stream may be sent
// as: the first of H.264 whose packets may be larger than one (packetization mode 1), or
// the first of another.
func chosen(list []webrtc.RTPCodecParameters, codec media.Codec) (webrtc.RTPCodecParameters, bool) {
	for _, c := range list {
		if strings.EqualFold(c.MimeType, codecs[codec]) && (codec != media.H264 || strings.Contains(c.SDPFmtpLine, "packetization-mode=1")) {
			return c, true
		}
	}
	return webrtc.RTPCodecParameters{}, false
}
