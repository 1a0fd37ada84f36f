// Package plan decides how what a camera sends reaches browsers, and says why.
package plan

import (
	"fmt"

	"webostrum/core/media"
)

// Delivery is a way to viewers.
type Delivery string

// The deliveries.
const (
	HLS        Delivery = "hls"
	WebRTC     Delivery = "webrtc"
	MotionJPEG Delivery = "motion-jpeg"
	// Fragments are live fragments over one response.
	Fragments Delivery = "fragments"
	// RTSP is for players and recorders that are no browsers.
	RTSP Delivery = "rtsp"
)

// Deliveries are those that browsers take.
var Deliveries = []Delivery{HLS, Fragments, WebRTC, MotionJPEG}

// AudioMode is whether audio is wanted.
type AudioMode string

// The modes.
const (
	AsFeed    AudioMode = "as-feed"   // of a delivery: as the feed has it
	Automatic AudioMode = "automatic" // passed through where it can be, transcoded while somebody listens
	On        AudioMode = "on"        // as Automatic, but transcoded all the time, so that nobody waits for it
	Off       AudioMode = "off"
)

// Or returns the mode, or the feed's where it is AsFeed.
func (m AudioMode) Or(feed AudioMode) AudioMode {
	if m == AsFeed || m == "" {
		return feed
	}
	return m
}

// Transcoder is what can be transcoded here.
type Transcoder struct {
	Present bool
	AAC     bool // AAC can be decoded
}

// Audio is what becomes of a camera's audio in one delivery.
type Audio struct {
	Codec     media.Codec // as it is delivered; empty for none
	Transcode bool        // it is not as the camera sends it
	Always    bool        // it is transcoded whether somebody listens or not
	Why       string      // a sentence
}

// AudioFor plans a camera's audio, nil for none, for a delivery.
func AudioFor(d Delivery, w AudioMode, t *media.Track, c Transcoder) Audio {
	switch {
	case w == Off:
		return Audio{Why: "Audio is switched off."}
	case t == nil:
		return Audio{Why: "The camera sends no audio that can be used."}
	case d == MotionJPEG:
		return Audio{Why: "Motion JPEG carries no audio."}
	}
	goal := media.AAC
	if d == WebRTC {
		goal = media.Opus
	}
	if d == RTSP || carries(d, t) {
		return Audio{Codec: t.Codec, Why: fmt.Sprintf("%s the camera's %s untouched.", d.carry(), Describe(t))}
	}
	lack := ""
	switch {
	case !c.Present:
		lack = "the codec worker is missing here"
	case t.Codec == media.AAC && !c.AAC:
		lack = "the codec worker here was built without decoding AAC"
	}
	if lack != "" {
		return Audio{Why: fmt.Sprintf("%s %s, and %s.", d.carryNot(), Describe(t), lack)}
	}
	s := Audio{Codec: goal, Transcode: true, Always: w == On}
	when := "while somebody listens"
	if s.Always {
		when = "all the time"
	}
	s.Why = fmt.Sprintf("%s %s, so it is transcoded to %s %s.", d.carryNot(), Describe(t), Name(goal), when)
	return s
}

// carries says whether browsers take the audio by a delivery as it is.
func carries(d Delivery, t *media.Track) bool {
	switch t.Codec {
	case media.AAC:
		return d == HLS || d == Fragments
	case media.Opus:
		return d == WebRTC
	case media.PCMU, media.PCMA: // RFC 7874, 3: at 8 kHz and with one channel
		return d == WebRTC && t.ClockRate == 8000 && t.Channels == 1
	}
	return false
}

// Name is what people call a delivery.
func (d Delivery) Name() string {
	switch d {
	case HLS:
		return "HLS"
	case WebRTC:
		return "WebRTC"
	case Fragments:
		return "Live fragments"
	case RTSP:
		return "RTSP"
	}
	return "Motion JPEG"
}

// carry says that a delivery carries something.
func (d Delivery) carry() string {
	if d == Fragments {
		return d.Name() + " carry"
	}
	return d.Name() + " carries"
}

func (d Delivery) carryNot() string {
	if d == Fragments {
		return d.Name() + " do not carry"
	}
	return d.Name() + " does not carry"
}

// Name is what engineers call a codec.
func Name(c media.Codec) string {
	switch c {
	case media.AAC:
		return "AAC"
	case media.PCMU:
		return "G.711 mu-law"
	case media.PCMA:
		return "G.711 A-law"
	case media.Opus:
		return "Opus"
	case media.L16:
		return "16-bit PCM"
	case media.H264:
		return "H.264"
	case media.H265:
		return "H.265"
	case media.VP8:
		return "VP8"
	case "MP4V-ES", "MPEG4":
		return "MPEG-4 part 2"
	}
	return string(c)
}

// Describe says how audio is coded, such as "AAC (48 kHz, stereo)".
func Describe(t *media.Track) string {
	return fmt.Sprintf("%s (%g kHz, %s)", Name(t.Codec), float64(t.ClockRate)/1000, Channels(t.Channels))
}

// Channels says how many channels there are.
func Channels(n int) string {
	switch n {
	case 1:
		return "mono"
	case 2:
		return "stereo"
	}
	return fmt.Sprintf("%d channels", n)
}
