package inspect

import (
	"cmp"
	"slices"
	"time"

	"webostrum/apitypes"
	"webostrum/core/media"
)

const (
	// tellsDrift is how long has to be read to tell how fast the camera's clock runs: frames
	// come some milliseconds too late or too early.
	tellsDrift = 20 * time.Second
	driftEnds  = 50 // frames at either end, of which the one that was least late counts
)

// timing is how frames come.
type timing struct {
	begun   time.Time     // of arrival
	late    time.Duration // of the newest frame, against the first
	jitter  float64       // seconds
	any     bool
	largest int
	seconds []int     // bytes of each second since the first frame
	early   []arrival // the first driftEnds
	newest  []arrival // the last driftEnds
}

// arrival is by how much a frame came late, against the first, and when by its own clock.
type arrival struct{ late, at time.Duration }

// frame takes the next frame and its time of arrival.
func (t *timing) frame(s *media.Sample, now time.Time) {
	at := s.Track.Duration(s.DTS)
	if !t.any {
		t.any, t.begun = true, now.Add(-at)
	}
	late := now.Sub(t.begun) - at
	t.jitter += ((late - t.late).Abs().Seconds() - t.jitter) / 16
	t.late = late
	t.largest = max(t.largest, len(s.Data))
	second := int(max(at, 0) / time.Second)
	for len(t.seconds) <= second && len(t.seconds) < 120 {
		t.seconds = append(t.seconds, 0)
	}
	if second < len(t.seconds) {
		t.seconds[second] += len(s.Data)
	}
	if len(t.early) < driftEnds {
		t.early = append(t.early, arrival{late, at})
	}
	t.newest = append(t.newest[max(0, len(t.newest)-driftEnds+1):], arrival{late, at})
}

// drift is by how many parts in a million the camera's clock runs fast; 0 where it was not
// read for long enough.
func (t *timing) drift() float64 {
	if !t.any {
		return 0
	}
	const million = 1e6
	from, to := least(t.early), least(t.newest)
	if passed := to.at - from.at; passed >= tellsDrift {
		return million * (from.late - to.late).Seconds() / passed.Seconds()
	}
	return 0
}

func least(list []arrival) arrival {
	return slices.MinFunc(list, func(a, b arrival) int { return cmp.Compare(a.late, b.late) })
}

// timingLocked tells how frames came.
func (l *look) timingLocked(r *apitypes.Report) {
	t := &l.timing
	r.FirstFrame, r.Jitter, r.LargestFrame, r.Drift = l.firstAt.Sub(l.opened).Seconds(), t.jitter, t.largest, t.drift()
	for _, n := range t.seconds[:max(0, len(t.seconds)-1)] { // the last is not over
		r.Peak = max(r.Peak, 8*float64(n))
	}
	for i := 1; i < len(l.keys) && !l.first.Track.Codec.Intra(); i++ {
		d := l.first.Track.Duration(l.keys[i] - l.keys[i-1]).Seconds()
		if i == 1 {
			r.LeastKeyframe = d
		}
		r.LeastKeyframe, r.MostKeyframe = min(r.LeastKeyframe, d), max(r.MostKeyframe, d)
	}
}
