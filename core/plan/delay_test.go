package plan_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"webostrum/core/plan"
)

func TestDelay(t *testing.T) {
	path := plan.Path{Arrival: 30 * time.Millisecond, FrameRate: 25, Segment: 2 * time.Second}
	assert.Equal(t, 50*time.Millisecond, plan.Total(plan.Delay(plan.WebRTC, path)))
	assert.Equal(t, 7050*time.Millisecond, plan.Total(plan.Delay(plan.HLS, path)))
	assert.Empty(t, plan.Delay(plan.MotionJPEG, plan.Path{}), "what is not known is not told")
}
