package whep

import (
	"testing"
	"time"

	"github.com/pion/rtcp"
	"github.com/stretchr/testify/assert"

	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/timeline"
)

// TestStamps: what is past has the stamps of when it is sent, what is live those of
// when it was taken, and a browser's clock goes on from the one to the other.
func TestStamps(t *testing.T) {
	now := time.Unix(1000, 0)
	epoch := &media.Epoch{}
	z := &sender{stamp: 5}
	step := func(passed time.Duration, pts int64, fresh bool) uint32 {
		now = now.Add(passed)
		before := z.stamp
		z.step(&media.Sample{Epoch: epoch, PTS: pts}, fresh, now)
		return z.stamp - before
	}
	assert.EqualValues(t, 0, step(0, 0, false))
	assert.EqualValues(t, 180, step(2*time.Millisecond, 3600, false))
	assert.EqualValues(t, 9, step(0, 7200, false), "no two have the same")
	assert.EqualValues(t, 1800, step(20*time.Millisecond, 10800, true), "the first that was waited for")
	assert.True(t, z.live)
	assert.EqualValues(t, 3600, step(41*time.Millisecond, 14400, true))
	assert.EqualValues(t, 3600, step(90*time.Millisecond, 18000, true), "one that comes late was not taken late")

	z.live = false // another rendition, or the newest group once more
	assert.EqualValues(t, 90, step(time.Millisecond, 500, false))
	assert.EqualValues(t, 900, step(10*time.Millisecond, 4100, true))
	assert.EqualValues(t, 3600, step(40*time.Millisecond, 7700, true))

	epoch = &media.Epoch{}
	assert.EqualValues(t, 90000, step(time.Second, 0, true), "the camera was away for a second")
	assert.EqualValues(t, 3600, step(40*time.Millisecond, 3600, true))
	epoch = &media.Epoch{}
	step(30*24*time.Hour, 0, true)
	assert.EqualValues(t, 3600, step(40*time.Millisecond, 3600, true), "a month overflows nothing")
}

// TestFreshStartsDoNotFillTheLine: the further the keyframe is back, the more a fresh
// start sends.
func TestFreshStartsDoNotFillTheLine(t *testing.T) {
	h := hub.New(hub.Config{})
	defer h.Close()
	assert.Equal(t, fewestAgain, leastAgain(h))
	track, epoch := &media.Track{ClockRate: clockRate}, &media.Epoch{}
	for second := range int64(11) {
		h.Publish(&media.Sample{Epoch: epoch, Track: track, PTS: second * clockRate, Key: second == 0})
		assert.Equal(t, max(fewestAgain, time.Duration(second)*time.Second/2), leastAgain(h))
	}
	h.Publish(&media.Sample{Epoch: epoch, Track: track, PTS: 11 * clockRate, Key: true})
	assert.Equal(t, fewestAgain, leastAgain(h), "a keyframe has come")
}

// TestHold: pictures wait for audio that comes later.
func TestHold(t *testing.T) {
	steady := func(ms int) *lag {
		l := &lag{}
		for range 500 {
			l.add(time.Duration(ms) * time.Millisecond)
		}
		return l
	}
	for name, tt := range map[string]struct {
		picture, audio *lag
		want           int64 // milliseconds
	}{
		"both as late":           {steady(20), steady(20), 50},
		"audio later":            {steady(20), steady(120), 150},
		"pictures much later":    {steady(400), steady(20), 0}, // audio waits for pictures by itself
		"audio two seconds late": {steady(20), steady(2000), 350},
	} {
		assert.InDelta(t, tt.want, hold(tt.picture, tt.audio).Milliseconds(), 10, name)
	}
}

// TestRepairsHaveABudget: what a viewer misses is sent again once in a round trip, and takes
// a share of the stream, however many packets a report asks for.
func TestRepairsHaveABudget(t *testing.T) {
	z := &sender{session: &Session{}, budget: 10_000}
	for i := range history {
		z.sent[i] = packet{sequence: uint16(i), payload: make([]byte, 1000)}
	}
	now := time.Unix(1000, 0)
	ask := func(now time.Time) (sent int) {
		for i := range uint16(history) {
			if _, ok := z.again(i, now, 100*time.Millisecond); ok {
				sent++
			}
		}
		return sent
	}
	assert.Equal(t, 10, ask(now), "as far as the budget goes")
	assert.EqualValues(t, history, z.session.stats.missed.Load(), "all count as missed")
	z.budget = 5000
	assert.Equal(t, 5, ask(now.Add(99*time.Millisecond)), "others than those that were just sent")
	z.budget = 1 << 30
	assert.Equal(t, history-15, ask(now.Add(99*time.Millisecond)))
	assert.Equal(t, history, ask(now.Add(time.Second)))
}

// TestRoundTrip of a report, as RFC 3550 draws it (6.4.1, figure 2).
func TestRoundTrip(t *testing.T) {
	var l line
	assert.Equal(t, usualTrip, l.roundTrip())
	now := time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)
	sentAt := uint32(timeline.ToNTP(now.Add(-5350*time.Millisecond)) >> 16)
	l.heard(rtcp.ReceptionReport{LastSenderReport: sentAt, Delay: uint32(5.25 * (1 << 16))}, now)
	assert.InDelta(t, 100, l.roundTrip().Milliseconds(), 1)
	l.heard(rtcp.ReceptionReport{LastSenderReport: sentAt, Delay: 10 << 16}, now)
	assert.InDelta(t, 100, l.roundTrip().Milliseconds(), 1, "one that came before it was sent tells nothing")
	l.heard(rtcp.ReceptionReport{}, now)
	assert.InDelta(t, 100, l.roundTrip().Milliseconds(), 1)
}
