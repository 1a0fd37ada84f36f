package transcode

import (
	"time"

	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
)

// Output is one thing that is made for those who use it.
type Output struct {
	transcoder *transcoder
	request    Request
	hub        *hub.Hub

	// All guarded by the transcoder's mu.
	users    int
	idle     time.Time // since when nobody has used it
	encoding rendition.Encoding
	note     string
	work     meter
	epochs   uint64       // so far
	source   *media.Epoch // that the newest sample was made of
	last     int64        // PTS of the newest sample
	closed   bool
}

// Hub is where the coded frames or audio units are published.
func (o *Output) Hub() *hub.Hub { return o.hub }

// Release ends one use. The output is made for the grace time still.
func (o *Output) Release() { o.release(time.Now()) }

// Finish ends one use for good: without other users the output ends at once.
func (o *Output) Finish() { o.release(time.Time{}) }

func (o *Output) release(idle time.Time) {
	t := o.transcoder
	t.mu.Lock()
	defer t.mu.Unlock()
	if o.users--; o.users == 0 {
		o.idle = idle
	}
}

// Encoding says how a video output is encoded and, in a sentence, how that differs
// from what was asked; known is false as long as no frame has come.
func (o *Output) Encoding() (e rendition.Encoding, note string, known bool) {
	t := o.transcoder
	t.mu.Lock()
	defer t.mu.Unlock()
	return o.encoding, o.note, o.encoding.Width > 0
}

func (o *Output) closeLocked() {
	o.closed = true // nothing is published after this
	o.hub.Close()
}

// binding ties a number of the worker's to an output. Another encoder stands behind
// each, so what comes under it begins an epoch, with a keyframe.
type binding struct {
	output *Output
	source *media.Epoch // that its samples are made of
	epoch  *media.Epoch // nil before its first keyframe

	// sample makes a sample of what the worker sent: its track, its times and its
	// data; nil when there is nothing to publish.
	sample func(s workerproto.Stamp, data []byte) *media.Sample
}

// publishLocked publishes what the worker sent.
func (b *binding) publishLocked(stamp workerproto.Stamp, data []byte) {
	o := b.output
	if o.closed {
		return
	}
	s := b.sample(stamp, data)
	if s == nil || b.epoch == nil && !s.Key {
		return
	}
	if b.epoch == nil || b.epoch.Tracks[0] != s.Track {
		b.epoch = &media.Epoch{Number: o.epochs, Tracks: []*media.Track{s.Track}, Source: b.source}
		o.epochs++
	}
	s.Epoch = b.epoch
	o.source, o.last = b.source, s.PTS
	o.hub.Publish(s)
}

// pastLocked says whether the output has what would be made of a source sample already, as
// after a restart of the worker.
func (o *Output) pastLocked(s *media.Sample) bool { return o.source == s.Epoch && s.PTS <= o.last }
