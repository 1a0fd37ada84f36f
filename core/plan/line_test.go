package plan_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"webostrum/core/plan"
)

func TestLine(t *testing.T) {
	now := time.Unix(0, 0)
	line := &plan.Line{Steps: 2}
	report := func(seconds int, loss, estimate float64) int {
		for range seconds {
			now = now.Add(time.Second)
			line.Report(loss, estimate, 2e6, now)
		}
		return line.Step()
	}
	assert.Equal(t, 0, report(5, 0.5, 0), "joining is left alone")
	assert.Equal(t, 0, report(10, 0, 0))
	report(1, 0.2, 0)
	assert.Equal(t, 0, report(1, 0, 0), "one bad report is none")
	assert.Equal(t, 1, report(2, 0.2, 0))
	assert.Equal(t, 1, report(5, 0.2, 0), "the smaller one is given time")
	assert.Equal(t, 2, report(3, 0.1, 0))
	assert.Equal(t, 2, report(30, 0.2, 0), "there is nothing smaller")
	assert.Equal(t, 2, report(10, 0, 0))
	assert.Equal(t, 2, report(30, 0.05, 0), "not bad, but not good")
	assert.Equal(t, 1, report(40, 0, 0), "up by trying")
	assert.Equal(t, 2, report(8, 0, 1e6), "and down when the estimate is short")
	assert.Equal(t, 2, report(50, 0, 5e6), "the next try is left for longer")
	assert.Equal(t, 0, report(100, 0, 5e6), "all the way up in the end")
	report(200, 0, 0)
	assert.Equal(t, 1, report(2, 0.2, 0))
	assert.Equal(t, 0, report(25, 0, 0), "and what was long ago is forgotten")
	none := &plan.Line{}
	for range 100 {
		now = now.Add(time.Second)
		none.Report(0.9, 1, 2e6, now)
	}
	assert.Zero(t, none.Step())
}
