package codecs

import (
	"slices"
	"time"

	"golang.org/x/sys/unix"

	"webostrum/codecs/openh264"
	"webostrum/codecs/picture"
	"webostrum/codecs/text"
	"webostrum/codecs/turbojpeg"
	"webostrum/codecs/vpx"
	"webostrum/codecs/yuv"
	"webostrum/core/media"
	"webostrum/core/nalu"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
)

// cpuTime is the time of a core that this thread has spent.
func cpuTime() time.Duration {
	var t unix.Timespec
	if unix.ClockGettime(unix.CLOCK_THREAD_CPUTIME_ID, &t) != nil {
		return 0
	}
	return time.Duration(t.Nano())
}

// output makes one rendition.
type output struct {
	spec    workerproto.Output
	pacer   rendition.Pacer
	encoder picture.Encoder
	colour  workerproto.Colour // that the encoder was opened for
	drawer  *text.Drawer
	own     *picture.Picture // scaled, and drawn on
	view    *yuv.View        // that is cut out; nil for none
	colours yuv.Recolour     // where pictures of all colours become those of JPEG
	begun   bool
	last    int64   // PTS of the newest picture
	first   int64   // capture time of the first picture
	lastKey int64   // of the last keyframe
	cuts    []int64 // PTS at which keyframes are due, to come
}

func newOutput(spec workerproto.Output) (*output, error) {
	o := &output{spec: spec, pacer: rendition.Pacer{Rate: spec.FrameRate}}
	if spec.View != nil {
		o.view = yuv.NewView(*spec.View)
	}
	if spec.Text != nil {
		var err error
		if o.drawer, err = text.New(*spec.Text, spec.Height); err != nil {
			return nil, err
		}
	}
	return o, nil
}

func (o *output) close() {
	if o.encoder != nil {
		o.encoder.Close()
		o.encoder = nil
	}
}

// encode makes the rendition of a picture; nothing when it is not wanted, or was made
// before: a picture is sent again for an output that was added after it. taken is the
// stamp of the picture itself, which text tells the time of.
func (o *output) encode(d picture.Decoded, taken workerproto.Stamp) ([]byte, workerproto.Stamp, error) {
	stamp := d.Stamp
	stamp.Output = o.spec.Number
	if o.begun && stamp.PTS <= o.last {
		return nil, stamp, nil
	}
	o.begun, o.last = true, stamp.PTS
	begins := o.cutDue(stamp.PTS)
	if !o.pacer.Take(time.Duration(stamp.Captured)) && !begins {
		return nil, stamp, nil
	}
	p, err := o.prepare(d.Picture, time.Unix(0, taken.Captured))
	if err != nil {
		return nil, stamp, err
	}
	if err := o.open(p.Colour); err != nil {
		return nil, stamp, err
	}
	if o.first == 0 {
		o.first = stamp.Captured
	}
	data, key, err := o.encoder.Encode(p, time.Duration(stamp.Captured-o.first), begins || o.keyDue(stamp))
	if err != nil || data == nil {
		return nil, stamp, err
	}
	stamp.Key = key
	if key {
		o.lastKey = stamp.Captured
	}
	if o.spec.Codec == media.H264 {
		data = nalu.FromByteStream(data)
	}
	return data, stamp, nil
}

// mostCuts bounds the cuts that wait for their frame: more than decoding can hold back.
const mostCuts = 64

// cut notes that a segment begins with the frame of a time.
func (o *output) cut(pts int64) {
	if o.spec.Codec == media.H264 && (!o.begun || pts > o.last) && len(o.cuts) < mostCuts {
		o.cuts = append(o.cuts, pts)
	}
}

// cutDue says whether a segment begins with a frame, or has begun since the one before:
// that in which it should may have been left out.
func (o *output) cutDue(pts int64) bool {
	before := len(o.cuts)
	o.cuts = slices.DeleteFunc(o.cuts, func(at int64) bool { return at <= pts })
	return len(o.cuts) < before
}

// keyDue says whether a keyframe is due by the clock, whatever the frame rate does.
func (o *output) keyDue(s workerproto.Stamp) bool {
	if o.spec.Codec == media.JPEG || o.lastKey == 0 {
		return false
	}
	const slack = 2 // half a picture
	since := time.Duration(s.Captured - o.lastKey)
	half := time.Duration(float64(time.Second) / o.spec.Rate() / slack)
	return since < 0 || since+half >= o.spec.KeyEvery()
}

// prepare scales and draws; a picture that needs neither stays as it is.
func (o *output) prepare(p *picture.Picture, taken time.Time) (*picture.Picture, error) {
	if o.spec.Pad {
		var err error
		if p, err = o.colours.JPEG(p); err != nil {
			return nil, err
		}
	}
	if p.Width == o.spec.Width && p.Height == o.spec.Height && o.drawer == nil && o.view == nil {
		return p, nil
	}
	o.own = picture.Reuse(o.own, o.spec.Width, o.spec.Height)
	switch {
	case o.view != nil:
		o.view.Cut(o.own, p)
	case o.spec.Pad:
		yuv.Fit(o.own, p)
	default:
		yuv.Scale(o.own, p)
	}
	if o.drawer != nil {
		o.drawer.Draw(o.own, taken)
	}
	return o.own, nil
}

// open opens the encoder for the first picture, and anew when colours change.
func (o *output) open(colour workerproto.Colour) error {
	if o.encoder != nil && (o.colour == colour || o.spec.Codec == media.JPEG) {
		return nil
	}
	o.close()
	encoder, err := newEncoder(o.spec.Encoding, colour)
	if err == nil {
		o.encoder, o.colour = encoder, colour
	}
	return err
}

func newEncoder(o rendition.Encoding, colour workerproto.Colour) (picture.Encoder, error) {
	switch o.Codec {
	case media.JPEG:
		return turbojpeg.NewEncoder(o.Quality)
	case media.VP9:
		return vpx.NewEncoder(o, colour)
	}
	return openh264.NewEncoder(o, colour)
}
