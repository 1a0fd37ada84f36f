package plan_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"webostrum/core/plan"
)

func TestEngineOf(t *testing.T) {
	for text, want := range map[string]struct {
		engine  string
		version int
	}{
		"Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) HeadlessChrome/156.0.0.0 Safari/537.36":                                 {plan.Chromium, 156},
		"Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Safari/537.36 Edg/156.0.0.0":                 {plan.Chromium, 156},
		"Mozilla/5.0 (X11; Linux x86_64; rv:153.0) Gecko/20100101 Firefox/153.0":                                                                        {plan.Firefox, 153},
		"Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15_7) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/26.1 Safari/605.1.15":                         {plan.WebKit, 26},
		"Mozilla/5.0 (iPhone; CPU iPhone OS 19_2 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) CriOS/156.0.6904.0 Mobile/15E148 Safari/604.1": {plan.WebKit, 19},
		"Mozilla/5.0 (iPad; CPU OS 18_1 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) FxiOS/153.0 Mobile/15E148 Safari/605.1.15":              {plan.WebKit, 18},
		"Mozilla/5.0 (Linux; Android 16; K) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/155.0.0.0 Mobile Safari/537.36":                               {plan.Chromium, 155},
		"curl/8.5.0": {"", 0},
		"Mozilla/5.0 AppleWebKit/1 (KHTML) Chrome/99999999999999999999.0": {"", 0},
		"": {"", 0},
	} {
		engine, version := plan.EngineOf(text)
		assert.Equal(t, want.engine, engine, text)
		assert.Equal(t, want.version, version, text)
	}
}

func webRTCIn(engine string, plays, failures int) []plan.Experience {
	return []plan.Experience{{Engine: engine, Version: 153, Delivery: plan.WebRTC, Plays: plays, Failures: failures, Reason: "no answer", Watched: time.Hour, Stalls: 3}}
}

// TestExperienceCorrects: what enough viewers report stands above what was tested here.
func TestExperienceCorrects(t *testing.T) {
	fast := plan.Wish{Within: 100 * time.Millisecond}
	for name, tt := range map[string]struct {
		all   []plan.Experience
		plays bool
	}{
		"too few":      {webRTCIn(plan.Firefox, 0, 4), true},
		"most could":   {webRTCIn(plan.Firefox, 5, 4), true},
		"most did not": {webRTCIn(plan.Firefox, 2, 4), false},
	} {
		p := plan.Make(source(), plan.Demand{Wish: fast, Viewers: 3, Engines: []string{plan.Firefox}, Experience: tt.all}, here)
		got := p.Outlook(plan.WebRTC).Players[1]
		assert.Equal(t, tt.plays, got.Plays, name)
		assert.NotNil(t, got.Reported, name)
		assert.Equal(t, tt.plays, p.Best == plan.WebRTC, "%s: %s, %s", name, p.Best, p.Why)
		_, fails := plan.Fails(tt.all, plan.Firefox, plan.WebRTC)
		assert.Equal(t, !tt.plays, fails, name)
	}
	p := plan.Make(source(), plan.Demand{Wish: fast, Experience: webRTCIn(plan.WebKit, 9, 1)}, here)
	assert.True(t, p.Outlook(plan.WebRTC).Players[2].Plays, "viewers have what was not there in the tests")
	assert.InDelta(t, 3, p.Outlook(plan.WebRTC).Players[2].Reported.StallsAnHour(), 1e-9)
}

// TestEnginesDecide: what an engine cannot play is not the best for those who have it.
func TestEnginesDecide(t *testing.T) {
	p := plan.Make(source(), plan.Demand{Wish: plan.Wish{Within: 100 * time.Millisecond}, Engines: []string{plan.WebKit}}, here)
	assert.Equal(t, plan.Fragments, p.Best)
	assert.Contains(t, p.Why, "WebRTC does not play in WebKit")
}

func TestPutLast(t *testing.T) {
	all := webRTCIn(plan.Firefox, 1, 9)
	c := plan.Choose(plan.Want{Prefer: plan.LeastDelay}, plan.Path{})
	c.PutLast(all, plan.Chromium)
	assert.Equal(t, plan.WebRTC, c.Order[0], "another engine's trouble")
	c.PutLast(all, plan.Firefox)
	assert.Equal(t, []plan.Delivery{plan.Fragments, plan.HLS, plan.MotionJPEG, plan.WebRTC}, c.Order)
	assert.Equal(t, "9 of 10 viewers with Firefox could not play WebRTC", c.Why)
}
