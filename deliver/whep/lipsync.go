package whep

import (
	"sync/atomic"
	"time"

	"webostrum/core/hub"
)

// Browsers lay pictures beside their audio by the sender reports, but slowly: by a
// tenth of a second in ten seconds (measured in Chromium 156). They are nearly there
// at once when the playout delay extension holds the pictures back from the beginning
// by the least that the audio comes later. The player does the rest.
const (
	audioBuffer   = 60 * time.Millisecond // the least that browsers hold audio back by
	pictureBuffer = 15 * time.Millisecond // and pictures
	longestHold   = 350 * time.Millisecond
	mostHeld      = 400 * time.Millisecond // that the browser may make of it
	unknownLag    = 80 * time.Millisecond  // of audio that is only about to be transcoded

	delayUnit  = 10 * time.Millisecond // of the playout delay extension
	lagWeight  = 16                    // how many samples a lag is the mean of
	holdsApart = 30 * time.Millisecond // smaller changes are left alone
	holdEvery  = 5 * time.Second
	firstHold  = time.Second
	delayBits  = 12
)

// lag is how long after it was taken a stream is sent, smoothed. Of audio that comes in
// bursts it is less than browsers need, which is well: the player can have pictures
// wait for longer than they are told here, and not for less.
type lag struct{ nanos atomic.Int64 }

// begin starts from what a hub has newest, whose age is some part of a sample's
// length more than the lag.
func (l *lag) begin(h *hub.Hub, length, unknown time.Duration) {
	lag := unknown
	if s := h.Latest(); s != nil {
		lag = time.Since(s.Captured) - length/2
	}
	l.nanos.Store(int64(lag))
}

func (l *lag) add(age time.Duration) {
	before := l.nanos.Load()
	l.nanos.Store(before + (int64(age)-before)/lagWeight)
}

// hold is by how long pictures are to be held back for audio.
func hold(picture, audio *lag) time.Duration {
	d := time.Duration(audio.nanos.Load()-picture.nanos.Load()) + audioBuffer - pictureBuffer
	return min(max(d, 0), longestHold).Round(delayUnit)
}

// playoutDelay is the extension's body: the least and the most delay in 12 bits each,
// tens of milliseconds.
func playoutDelay(least, most time.Duration) [3]byte {
	v := uint32(least/delayUnit)<<delayBits | uint32(most/delayUnit)
	return [3]byte{byte(v >> 16), byte(v >> 8), byte(v)}
}
