package codecs

import (
	"time"

	"golang.org/x/sys/unix"

	"webostrum/codecs/openh264"
	"webostrum/codecs/picture"
	"webostrum/codecs/text"
	"webostrum/codecs/turbojpeg"
	"webostrum/codecs/yuv"
	"webostrum/core/convert"
	"webostrum/core/h264"
	"webostrum/core/media"
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
	order   convert.Output
	pacer   convert.Pacer
	encoder picture.Encoder
	colour  convert.Colour // that the encoder was opened for
	drawer  *text.Drawer
	own     *picture.Picture // scaled, and drawn on
	first   int64            // capture time of the first picture
	lastKey int64            // of the last keyframe
}

func newOutput(order convert.Output) (*output, error) {
	o := &output{order: order, pacer: convert.Pacer{Rate: order.FrameRate}}
	if order.Text != nil {
		var err error
		if o.drawer, err = text.New(*order.Text, order.Height); err != nil {
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

// encode makes the rendition of a picture; nothing when it is not wanted. taken
// is the stamp of the picture itself, which text tells the time of.
func (o *output) encode(d picture.Decoded, taken convert.Stamp) ([]byte, convert.Stamp, error) {
	stamp := d.Stamp
	stamp.Output = o.order.Number
	if !o.pacer.Take(time.Duration(stamp.Captured)) {
		return nil, stamp, nil
	}
	p := o.prepare(d.Picture, time.Unix(0, taken.Captured))
	if err := o.open(p.Colour); err != nil {
		return nil, stamp, err
	}
	if o.first == 0 {
		o.first = stamp.Captured
	}
	data, key, err := o.encoder.Encode(p, time.Duration(stamp.Captured-o.first), o.keyDue(stamp))
	if err != nil || data == nil {
		return nil, stamp, err
	}
	stamp.Key = key
	if key {
		o.lastKey = stamp.Captured
	}
	if o.order.Codec == media.H264 {
		data = h264.FromAnnexB(data)
	}
	return data, stamp, nil
}

// keyDue says whether a keyframe is due: by the clock, so that segments have
// their length whatever the frame rate does.
func (o *output) keyDue(s convert.Stamp) bool {
	if o.order.Codec != media.H264 || o.lastKey == 0 {
		return false
	}
	const slack = 2 // half a picture
	since := time.Duration(s.Captured - o.lastKey)
	half := time.Duration(float64(time.Second) / o.order.Rate() / slack)
	return since < 0 || since+half >= o.order.KeyEvery()
}

// prepare scales and draws; a picture that needs neither stays as it is.
func (o *output) prepare(p *picture.Picture, taken time.Time) *picture.Picture {
	if p.Width == o.order.Width && p.Height == o.order.Height && o.drawer == nil {
		return p
	}
	o.own = picture.Reuse(o.own, o.order.Width, o.order.Height)
	yuv.Scale(o.own, p)
	if o.drawer != nil {
		o.drawer.Draw(o.own, taken)
	}
	return o.own
}

// open opens the encoder for the first picture, and anew when colours change.
func (o *output) open(colour convert.Colour) error {
	if o.encoder != nil && (o.colour == colour || o.order.Codec == media.JPEG) {
		return nil
	}
	o.close()
	encoder, err := newEncoder(o.order, colour)
	if err == nil {
		o.encoder, o.colour = encoder, colour
	}
	return err
}

func newEncoder(o convert.Output, colour convert.Colour) (picture.Encoder, error) {
	if o.Codec == media.JPEG {
		return turbojpeg.NewEncoder(o.Quality)
	}
	return openh264.NewEncoder(o, colour)
}
