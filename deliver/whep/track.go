package whep

import (
	"sync"
	"time"

	"github.com/pion/rtp"
	"github.com/pion/webrtc/v4"

	"webostrum/core/media"
)

// track is a stream on its way to one viewer. It implements webrtc.TrackLocal.
type track struct {
	stream string
	codec  media.Codec

	mu       sync.Mutex
	writer   webrtc.TrackLocalWriter // guarded by mu; nil while nobody listens
	ssrc     uint32                  // guarded by mu
	payloads map[media.Codec]uint8   // payload types that the viewer's side takes; guarded by mu
	delay    uint8                   // number of the playout delay extension, or 0; guarded by mu
	sendTime uint8                   // number of the send time extension, or 0; guarded by mu
	playout  [3]byte                 // what it says; guarded by mu
}

func newTrack(stream string, codec media.Codec) *track {
	return &track{stream: stream, codec: codec, playout: playoutDelay(0, 0)}
}

// Bind implements webrtc.TrackLocal.
func (t *track) Bind(ctx webrtc.TrackLocalContext) (webrtc.RTPCodecParameters, error) {
	codec, ok := chosen(ctx.CodecParameters(), t.codec)
	if !ok {
		return webrtc.RTPCodecParameters{}, webrtc.ErrUnsupportedCodec
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	t.writer, t.ssrc, t.payloads = ctx.WriteStream(), uint32(ctx.SSRC()), map[media.Codec]uint8{}
	for name := range codecs {
		if c, ok := chosen(ctx.CodecParameters(), name); ok {
			t.payloads[name] = uint8(c.PayloadType)
		}
	}
	for _, e := range ctx.HeaderExtensions() {
		switch e.URI {
		case playoutDelayURI:
			t.delay = uint8(e.ID)
		case sendTimeURI:
			t.sendTime = uint8(e.ID)
		}
	}
	return codec, nil
}

// Unbind implements webrtc.TrackLocal.
func (t *track) Unbind(webrtc.TrackLocalContext) error {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.writer = nil
	return nil
}

// ID implements webrtc.TrackLocal.
func (t *track) ID() string { return t.Kind().String() }

// RID implements webrtc.TrackLocal.
func (t *track) RID() string { return "" }

// StreamID implements webrtc.TrackLocal.
func (t *track) StreamID() string { return t.stream }

// Kind implements webrtc.TrackLocal.
func (t *track) Kind() webrtc.RTPCodecType {
	if _, audio := audioCodecs[t.codec]; audio {
		return webrtc.RTPCodecTypeAudio
	}
	return webrtc.RTPCodecTypeVideo
}

// hold tells the browser how long to hold pictures back, at least and at most.
func (t *track) hold(least, most time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.playout = playoutDelay(least, most)
}

// id is the SSRC that the track is sent under.
func (t *track) id() uint32 {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.ssrc
}

// extensions are what a packet's header says beside its sequence number and stamp.
type extensions struct {
	playout  [3]byte // playout delay
	sendTime [3]byte // absolute send time
}

// extensionsAt are those of a packet that is sent now.
func (t *track) extensionsAt(now time.Time) (e extensions) {
	t.mu.Lock()
	defer t.mu.Unlock()
	e.playout = t.playout
	at, err := rtp.NewAbsSendTimeExtension(now).Marshal()
	if err == nil {
		copy(e.sendTime[:], at)
	}
	return e
}

// takes says whether the viewer's side takes a codec; all while nobody listens.
func (t *track) takes(codec media.Codec) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	_, ok := t.payloads[codec]
	return ok || t.writer == nil
}

// write sends a packet of a codec; the header's fields that are this viewer's are filled in.
func (t *track) write(h *rtp.Header, e extensions, codec media.Codec, payload []byte) error {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.writer == nil {
		return nil
	}
	h.Version, h.SSRC, h.PayloadType = 2, t.ssrc, t.payloads[codec]
	if t.delay > 0 {
		if err := h.SetExtension(t.delay, e.playout[:]); err != nil {
			return err
		}
	}
	if t.sendTime > 0 {
		if err := h.SetExtension(t.sendTime, e.sendTime[:]); err != nil {
			return err
		}
	}
	_, err := t.writer.WriteRTP(h, payload)
	return err
}
