package convert

import (
	"time"

	"webostrum/core/convert"
	"webostrum/core/h264"
	"webostrum/core/hub"
	"webostrum/core/media"
)

// Output is one thing that is made for those who use it.
type Output struct {
	converter *Converter
	wish      Wish
	hub       *hub.Hub

	// All guarded by the converter's mu.
	users  int
	idle   time.Time // since when nobody has used it
	made   convert.Output
	note   string
	source *media.Epoch // that epoch was made of
	epoch  *media.Epoch
	params h264.ParamKeeper
	last   int64 // PTS of the newest sample
	closed bool
}

// Hub is where the coded pictures are published.
func (o *Output) Hub() *hub.Hub { return o.hub }

// Release ends one use. The output is made for the grace time still.
func (o *Output) Release() { o.release(time.Now()) }

// Finish ends one use for good: without other users the output ends at once.
func (o *Output) Finish() { o.release(time.Time{}) }

func (o *Output) release(idle time.Time) {
	c := o.converter
	c.mu.Lock()
	defer c.mu.Unlock()
	if o.users--; o.users == 0 {
		o.idle = idle
	}
}

// Made says what is made and, in a sentence, how that differs from what was
// asked; known is false as long as no picture has come.
func (o *Output) Made() (made convert.Output, note string, known bool) {
	c := o.converter
	c.mu.Lock()
	defer c.mu.Unlock()
	return o.made, o.note, o.made.Width > 0
}

// present drops what nobody has used for the grace time, and returns the rest.
func (c *Converter) present(now time.Time) (list []*Output) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for key, o := range c.outputs {
		if o.users == 0 && now.Sub(o.idle) >= c.cfg.Grace {
			delete(c.outputs, key)
			o.closeLocked()
			continue
		}
		list = append(list, o)
	}
	return list
}

func (o *Output) closeLocked() {
	o.closed = true // nothing is published after this
	o.hub.Close()
}

// binding ties a number of the worker's to an output, for pictures of one epoch.
type binding struct {
	output *Output
	made   convert.Output
	source *media.Epoch
}

// publish makes a sample of a coded picture. Pictures that are no newer than the
// last one, as after a restart, are left out.
func (b *binding) publish(s convert.Stamp, data []byte) {
	o := b.output
	if o.closed || o.source == b.source && o.epoch != nil && s.PTS <= o.last {
		return
	}
	if b.made.Codec == media.H264 {
		data = o.params.TakeOut(data)
	}
	track := b.track()
	if track == nil || data == nil {
		return
	}
	if o.epoch == nil || o.source != b.source || !o.epoch.Tracks[0].H264.Equal(track.H264) {
		number := uint64(0)
		if o.epoch != nil {
			number = o.epoch.Number + 1
		}
		o.epoch, o.source = &media.Epoch{Number: number, Tracks: []*media.Track{track}}, b.source
	}
	o.last = s.PTS
	o.hub.Publish(&media.Sample{
		Epoch: o.epoch, Track: o.epoch.Tracks[0], DTS: s.PTS, PTS: s.PTS, Captured: time.Unix(0, s.Captured),
		Key: s.Key || b.made.Codec == media.JPEG, Data: data,
	})
}

// track describes what is made; nil as long as parameter sets are missing.
func (b *binding) track() *media.Track {
	t := &media.Track{
		ID: 1, Kind: media.KindVideo, Codec: b.made.Codec, ClockRate: b.source.Video().ClockRate, Width: b.made.Width, Height: b.made.Height,
	}
	if t.Codec == media.H264 {
		if t.H264 = b.output.params.Current(); t.H264 == nil {
			return nil
		}
	}
	return t
}
