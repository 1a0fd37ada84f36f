package api_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/client"
)

const firefox = "Mozilla/5.0 (X11; Linux x86_64; rv:153.0) Gecko/20100101 Firefox/153.0"

// report tells as a player in a browser does.
func (w *world) report(path string, body any, browser string) (int, string) {
	res, text := w.do("POST", path, "", body, "User-Agent", browser, "Content-Type", "text/plain;charset=UTF-8")
	return res.StatusCode, text
}

// TestReports are taken where the feed's owner lets viewers' players tell, and stand in its plan.
func TestReports(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addFeed("gate", true)
	w.live("gate")
	c, ctx := w.engineerClient(), t.Context()
	const at = "/media/gate/report"
	told := map[string]any{"delivery": "hls", "began": true, "seconds": 60, "stalls": 2, "stalledSeconds": 3, "delaySeconds": 1.5, "h265": false}

	status, body := w.report(at, told, firefox)
	assert.Equal(t, 403, status, body)
	assert.Contains(t, body, "reports-off")
	assert.False(t, w.firstState("").Reports)

	_, err := c.EditFeed(ctx, "gate", client.Patch{"reports": true})
	require.NoError(t, err)
	assert.True(t, w.firstState("").Reports)
	for range 3 { // one viewer counts once
		status, body = w.report(at, told, firefox)
		assert.Equal(t, 204, status, body)
	}
	status, _ = w.report(at, map[string]any{"delivery": "webrtc", "failed": "no\nanswer " + strings.Repeat("x", 500)}, firefox)
	assert.Equal(t, 204, status)
	status, _ = w.report(at, told, "a program")
	assert.Equal(t, 204, status, "it is taken, and counts for no engine")

	p, err := c.Plan(ctx, "gate", client.PlanQuery{})
	require.NoError(t, err)
	seen := map[string]*apitypes.PlanReported{}
	for _, d := range p.Deliveries {
		for _, x := range d.Players {
			if x.Reported != nil {
				seen[d.Delivery+" "+x.Engine] = x.Reported
			}
		}
	}
	require.Len(t, seen, 2)
	assert.Equal(t, &apitypes.PlanReported{Version: 153, Plays: 1, Hours: 0.05, StallsAnHour: 120, Delay: 1.5, H265Cannot: 1}, seen["hls Firefox"])
	assert.Equal(t, 1, seen["webrtc Firefox"].Failures)
	assert.True(t, strings.HasPrefix(seen["webrtc Firefox"].Reason, "no answer x"), "no line breaks")
	assert.Less(t, len(seen["webrtc Firefox"].Reason), 130)
}

// TestReportsThatCannotBe change nothing.
func TestReportsThatCannotBe(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addFeed("gate", true)
	w.live("gate")
	_, err := w.engineerClient().EditFeed(t.Context(), "gate", client.Patch{"reports": true})
	require.NoError(t, err)
	for name, body := range map[string]any{
		"no delivery":     map[string]any{"seconds": 3},
		"unknown":         map[string]any{"delivery": "carrier-pigeon"},
		"negative":        map[string]any{"delivery": "hls", "seconds": -1},
		"negative stalls": map[string]any{"delivery": "hls", "stalls": -1},
		"a text":          "hello",
		"too long":        map[string]any{"failed": strings.Repeat("x", 3000), "delivery": "hls"},
	} {
		status, text := w.report("/media/gate/report", body, firefox)
		assert.Equal(t, 422, status, "%s: %s", name, text)
	}
	status, _ := w.report("/media/gate/report", map[string]any{"delivery": "hls", "seconds": 1e9, "stalls": 1 << 40, "stalledSeconds": 1e9, "delaySeconds": 1e300}, firefox)
	assert.Equal(t, 204, status)
	p, err := w.engineerClient().Plan(t.Context(), "gate", client.PlanQuery{})
	require.NoError(t, err)
	r := p.Deliveries[0].Players[1].Reported
	require.NotNil(t, r)
	assert.InDelta(t, 2.0/60, r.Hours, 1e-6, "a report tells of two minutes at most")
	assert.Zero(t, r.Delay)

	w.addFeed("yard", false)
	_, err = w.engineerClient().EditFeed(t.Context(), "yard", client.Patch{"reports": true})
	require.NoError(t, err)
	status, _ = w.report("/media/yard/report", map[string]any{"delivery": "hls"}, firefox)
	assert.Equal(t, 401, status, "who may not watch tells nothing")
}
