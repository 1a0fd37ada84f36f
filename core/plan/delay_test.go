package plan_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"webostrum/core/plan"
)

const ms = time.Millisecond

func TestDelay(t *testing.T) {
	path := plan.Path{Arrival: 30 * ms, FrameRate: 25, Segment: 2 * time.Second}
	assert.Equal(t, 59*ms, plan.Total(plan.Delay(plan.WebRTC, path)))
	assert.Equal(t, 165*ms, plan.Total(plan.Delay(plan.Fragments, path)))
	assert.Equal(t, 7505*ms, plan.Total(plan.Delay(plan.HLS, path)))
	assert.Equal(t, 55*ms, plan.Total(plan.Delay(plan.MotionJPEG, path)))
	path.Transcode, path.Audio = true, true
	assert.Equal(t, 170*ms, plan.Total(plan.Delay(plan.Fragments, path)), "players begin without audio")
	path.Listen = true
	assert.Equal(t, 335*ms, plan.Total(plan.Delay(plan.Fragments, path)), "the engine fills its device's buffer")
	path.Engine = plan.WebKit
	assert.Equal(t, 1270*ms, plan.Total(plan.Delay(plan.Fragments, path)))
	assert.Equal(t, 150*ms, plan.Ahead(plan.Fragments, path), "audio needs more in store")
	assert.Len(t, plan.Delay(plan.MotionJPEG, plan.Path{}), 1, "what is not known is not told")
}

// TestThePlayersStore fills what the wish leaves room for.
func TestThePlayersStore(t *testing.T) {
	path := plan.Path{Arrival: 30 * ms, FrameRate: 25, Segment: 2 * time.Second, Part: 200 * ms, Within: 500 * ms}
	assert.Equal(t, 120*ms, plan.Ahead(plan.HLS, path))
	assert.Equal(t, 395*ms, plan.Total(plan.Delay(plan.HLS, path)))
	path.Part, path.Within = 400*ms, 2*time.Second
	assert.Equal(t, 1120*ms, plan.Ahead(plan.HLS, path))
	assert.InDelta(t, 1600*ms, plan.Total(plan.Delay(plan.HLS, path)), float64(10*ms), "some is left for the network")
}

func TestChoose(t *testing.T) {
	path := plan.Path{FrameRate: 25, Segment: 2 * time.Second, Part: 400 * ms, Within: 2 * time.Second}
	half, long := 300*ms, 10*time.Second
	for name, tt := range map[string]struct {
		want  plan.Want
		path  plan.Path
		first plan.Delivery
		why   string
	}{
		"the feed's own":    {plan.Want{}, path, plan.HLS, "HLS keeps within the 2 s asked for"},
		"a page in a hurry": {plan.Want{Within: &half}, path, plan.WebRTC, "0.3 s were asked for"},
		"a patient one":     {plan.Want{Within: &long}, plan.Path{Segment: 2 * time.Second}, plan.HLS, "10 s"},
		"least delay":       {plan.Want{Prefer: plan.LeastDelay}, path, plan.WebRTC, "least delay was asked for"},
		"reach":             {plan.Want{Prefer: plan.Reach, Within: &half}, path, plan.HLS, "it plays everywhere"},
		"simple":            {plan.Want{Prefer: plan.Simple}, path, plan.MotionJPEG, "the simplest"},
		"cheapest":          {plan.Want{}, plan.Path{Segment: 6 * time.Second}, plan.HLS, "it plays everywhere"},
		"segments too long": {plan.Want{Within: &half}, plan.Path{Segment: 2 * time.Second}, plan.WebRTC, "HLS would be some 7.5 s behind"},
	} {
		c := plan.Choose(tt.want, tt.path)
		assert.Equal(t, tt.first, c.Order[0], name)
		assert.Len(t, c.Order, 4, name)
		assert.Contains(t, c.Why, tt.why, name)
	}
}

func TestLengths(t *testing.T) {
	for name, tt := range map[string]struct {
		wish    plan.Wish
		segment time.Duration
		part    time.Duration
		listed  int
		notes   int
	}{
		"cheapest":           {plan.Wish{}, 6 * time.Second, 0, 6, 0},
		"a tenth":            {plan.Wish{Within: 100 * ms}, 2 * time.Second, 200 * ms, 6, 1},
		"half a second":      {plan.Wish{Within: 500 * ms}, 2 * time.Second, 200 * ms, 6, 0},
		"two":                {plan.Wish{Within: 2 * time.Second}, 2 * time.Second, 400 * ms, 6, 0},
		"five":               {plan.Wish{Within: 5 * time.Second}, time.Second, 0, 6, 0},
		"ten":                {plan.Wish{Within: 10 * time.Second}, 2 * time.Second, 0, 6, 0},
		"a minute":           {plan.Wish{Within: time.Minute}, 6 * time.Second, 0, 6, 0},
		"an expert":          {plan.Wish{Within: 2 * time.Second, Segment: time.Second, Part: 300 * ms, Listed: 9}, time.Second, 300 * ms, 9, 3},
		"too long parts":     {plan.Wish{Within: 3 * time.Second, Segment: time.Second}, time.Second, 500 * ms, 6, 1},
		"segments as before": {plan.Wish{Segment: 500 * ms, Listed: 3}, 500 * ms, 0, 3, 2},
	} {
		l := tt.wish.Lengths()
		assert.Equal(t, []any{tt.segment, tt.part, tt.listed, tt.notes}, []any{l.Segment, l.Part, l.Listed, len(l.Notes)}, name)
		assert.Equal(t, tt.wish.Within > 0 && tt.wish.Within < plan.NearestHLS, l.Nearest > 0, name)
	}
}
