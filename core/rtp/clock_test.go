package rtp_test

import (
	"testing"
	"time"

	prtp "github.com/pion/rtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/media"
	"webostrum/core/rtp"
	"webostrum/core/timeline"
	"webostrum/testkit/pictures"
)

// play has a camera send a frame every 40 ms, a keyframe every two seconds; report is
// asked before each for the sender report that comes with it.
func play(t *testing.T, seconds int, report func(i int, r *rtp.VideoReceiver, ts uint32, now time.Time)) (samples []*media.Sample) {
	t.Helper()
	r := receiver(rtp.ReceiverConfig{Publish: func(s *media.Sample) { samples = append(samples, s) }})
	seq := uint16(0)
	for i := range seconds * 25 {
		now, ts := noon.Add(time.Duration(i)*40*time.Millisecond), uint32(i*3600)
		report(i, r, ts, now)
		payload := pictures.P(30, 2)
		if i%50 == 0 {
			payload = pictures.IDR(60, 1)
			r.Packet(sets(seq, ts), now)
			seq++
		}
		r.Packet(&prtp.Packet{Header: prtp.Header{Version: 2, SequenceNumber: seq, Timestamp: ts, Marker: true}, Payload: payload}, now)
		seq++
	}
	require.Len(t, samples, seconds*25, "nothing is dropped")
	return samples
}

// steps returns how capture times go within epochs: the least and the most between two
// frames.
func steps(samples []*media.Sample) (least, most time.Duration, epochs int) {
	least, epochs = time.Hour, 1
	for i := 1; i < len(samples); i++ {
		if samples[i].Epoch != samples[i-1].Epoch {
			epochs++
			continue
		}
		d := samples[i].Captured.Sub(samples[i-1].Captured)
		least, most = min(least, d), max(most, d)
	}
	return least, most, epochs
}

// TestALittleIsSlewed: the first report after five seconds says that frames were taken
// 300 ms earlier. Capture times get there little by little, in one epoch.
func TestALittleIsSlewed(t *testing.T) {
	samples := play(t, 40, func(i int, r *rtp.VideoReceiver, ts uint32, now time.Time) {
		if i%125 == 0 && i > 0 {
			r.Report(timeline.ToNTP(now.Add(-300*time.Millisecond)), ts, now)
		}
	})
	least, most, epochs := steps(samples)
	assert.Equal(t, 1, epochs)
	assert.GreaterOrEqual(t, least, 39*time.Millisecond)
	assert.LessOrEqual(t, most, 41*time.Millisecond)
	at := func(i int) time.Duration {
		return samples[i].Captured.Sub(noon.Add(time.Duration(i) * 40 * time.Millisecond))
	}
	assert.InDelta(t, 0, at(120), float64(time.Millisecond))
	assert.InDelta(t, -100*time.Millisecond, at(250), float64(5*time.Millisecond), "five seconds later")
	assert.InDelta(t, -300*time.Millisecond, at(900), float64(time.Millisecond))
}

// TestALotBeginsAnEpoch at the next keyframe, and nothing is dropped for it.
func TestALotBeginsAnEpoch(t *testing.T) {
	samples := play(t, 20, func(i int, r *rtp.VideoReceiver, ts uint32, now time.Time) {
		if i == 130 {
			r.Report(timeline.ToNTP(now.Add(-8*time.Second)), ts, now)
		}
	})
	least, most, epochs := steps(samples)
	assert.Equal(t, 2, epochs)
	assert.GreaterOrEqual(t, least, 39*time.Millisecond)
	assert.LessOrEqual(t, most, 41*time.Millisecond)
	assert.Same(t, samples[0].Epoch, samples[149].Epoch)
	assert.NotSame(t, samples[149].Epoch, samples[150].Epoch)
	assert.True(t, samples[150].Key)
	assert.InDelta(t, -8*time.Second, samples[150].Captured.Sub(noon.Add(150*40*time.Millisecond)), float64(time.Millisecond))
}

// TestARejectedReportChangesNothing: one that belongs to another timeline.
func TestARejectedReportChangesNothing(t *testing.T) {
	var told []time.Duration
	samples := play(t, 20, func(i int, r *rtp.VideoReceiver, ts uint32, now time.Time) {
		switch i {
		case 50:
			r.Report(timeline.ToNTP(now), ts, now)
		case 130, 260:
			r.Report(timeline.ToNTP(now.Add(-3*time.Second)), ts+90000*60, now)
			told = append(told, r.WallOffset())
			assert.True(t, r.FromReports())
		}
	})
	least, most, epochs := steps(samples)
	assert.Equal(t, 1, epochs)
	assert.GreaterOrEqual(t, least, 39*time.Millisecond)
	assert.LessOrEqual(t, most, 41*time.Millisecond)
	assert.Equal(t, []time.Duration{0, 0}, told)
}
