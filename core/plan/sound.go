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
)

// Wish is whether sound is wanted.
type Wish string

// The wishes.
const (
	AsFeed    Wish = "as-feed"   // of a delivery: as the feed has it
	Automatic Wish = "automatic" // passed on where it can be, converted while somebody listens
	On        Wish = "on"        // as Automatic, but converted all the time, so that nobody waits for it
	Off       Wish = "off"
)

// Or returns the wish, or the feed's where the wish is that.
func (w Wish) Or(feed Wish) Wish {
	if w == AsFeed || w == "" {
		return feed
	}
	return w
}

// Converter is what can be converted here.
type Converter struct {
	Present bool
	AAC     bool // AAC can be decoded
}

// Sound is what becomes of a camera's sound in one delivery.
type Sound struct {
	Codec   media.Codec // as it is delivered; empty for none
	Convert bool        // it is not as the camera sends it
	Always  bool        // it is converted whether somebody listens or not
	Why     string      // a sentence
}

// SoundFor plans a camera's sound, nil for none, for a delivery.
func SoundFor(d Delivery, w Wish, t *media.Track, c Converter) Sound {
	switch {
	case w == Off:
		return Sound{Why: "Sound is switched off."}
	case t == nil:
		return Sound{Why: "The camera sends no sound that can be used."}
	case d == MotionJPEG:
		return Sound{Why: "Motion JPEG carries no sound."}
	}
	goal := media.AAC
	if d == WebRTC {
		goal = media.Opus
	}
	name := d.Name()
	if carries(d, t) {
		return Sound{Codec: t.Codec, Why: fmt.Sprintf("%s carries the camera's %s as it comes.", name, Describe(t))}
	}
	lack := ""
	switch {
	case !c.Present:
		lack = "the codec worker is missing here"
	case t.Codec == media.AAC && !c.AAC:
		lack = "the codec worker here was built without decoding AAC"
	}
	if lack != "" {
		return Sound{Why: fmt.Sprintf("%s does not carry %s, and %s.", name, Describe(t), lack)}
	}
	s := Sound{Codec: goal, Convert: true, Always: w == On}
	when := "while somebody listens"
	if s.Always {
		when = "all the time"
	}
	s.Why = fmt.Sprintf("%s does not carry %s, so it is made into %s %s.", name, Describe(t), Name(goal), when)
	return s
}

// carries says whether browsers take the sound by a delivery as it is.
func carries(d Delivery, t *media.Track) bool {
	switch t.Codec {
	case media.AAC:
		return d == HLS
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
	}
	return "Motion JPEG"
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
	}
	return string(c)
}

// Describe says how sound is coded, such as "AAC (48 kHz, stereo)".
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
