package sim_test

import (
	"context"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/ingest/camhttp"
	"webostrum/sim"
	"webostrum/testkit"
)

func small(kind sim.Kind, basic bool) func(*sim.Config) {
	return func(cfg *sim.Config) {
		cfg.Kind, cfg.Basic = kind, basic
		cfg.Settings = sim.Settings{Width: 160, Height: 120, FrameRate: 20, Quality: 70}
	}
}

func TestCamerasThatSpeakHTTP(t *testing.T) {
	t.Parallel()
	for kind, way := range map[sim.Kind]string{sim.MotionJPEG: "stream", sim.Stills: "poll"} {
		for _, basic := range []bool{false, true} {
			c, _ := onAir(t, small(kind, basic))
			var last *media.Sample
			n := 0
			facts, err := watch(t, c, func(s *media.Sample) bool { n++; last = s; return n == 2 })
			require.NoError(t, err, "%s, basic %t", kind, basic)
			assert.Equal(t, way, facts.Transport)
			assert.Equal(t, media.JPEG, last.Track.Codec)
			assert.Equal(t, 160, last.Track.Width)
			assert.WithinDuration(t, time.Now(), last.Captured, 3*time.Second)
		}
	}
}

func TestMisbehaviourOverHTTP(t *testing.T) {
	t.Parallel()
	c, control := onAir(t, small(sim.MotionJPEG, false))
	on, off, some := true, false, 0.3

	order(t, control, sim.Order{Behave: sim.Misbehaviour{RefuseSignIn: &on}})
	_, err := watch(t, c, count(1))
	assert.Equal(t, fault.SignInRefused, fault.As(err).Kind.Code)
	order(t, control, sim.Order{Behave: sim.Misbehaviour{RefuseSignIn: &off, SignInPage: &on}})
	_, err = watch(t, c, count(1))
	assert.Equal(t, fault.PageInstead, fault.As(err).Kind.Code)

	order(t, control, sim.Order{Behave: sim.Misbehaviour{SignInPage: &off, Loss: &some}})
	facts, err := watch(t, c, count(30))
	require.NoError(t, err)
	assert.Positive(t, facts.Stats.Dropped)

	none := 0.0
	order(t, control, sim.Order{Behave: sim.Misbehaviour{Loss: &none}})
	_, err = watch(t, c, func(*media.Sample) bool {
		c.Faults.Set(sim.Misbehaviour{Frozen: &on})
		return false
	})
	assert.Equal(t, fault.Stalled, fault.As(err).Kind.Code)
}

// TestSettingsLastUntilTheReboot is what makes camera requests worth their while.
func TestSettingsLastUntilTheReboot(t *testing.T) {
	t.Parallel()
	c, control := onAir(t, small(sim.MotionJPEG, false))
	u, err := url.Parse(c.URL())
	require.NoError(t, err)
	ask := camhttp.New(camhttp.Config{URL: u, User: "u", Password: "p", AnswerTimeout: 5 * time.Second})
	t.Cleanup(ask.Close)
	answer, err := ask.Send(context.Background(), "GET", "/settings?size=320x240&rate=10", "")
	require.NoError(t, err)
	assert.Equal(t, 200, answer.Status)
	assert.Contains(t, answer.Text, "size=320x240")
	_, err = watch(t, c, func(s *media.Sample) bool { return s.Track.Width == 320 })
	require.NoError(t, err)
	for _, bad := range []string{"size=0x0", "size=big", "rate=1000", "quality=0"} {
		answer, err = ask.Send(context.Background(), "POST", "/settings", bad)
		require.NoError(t, err)
		assert.Equal(t, 400, answer.Status, bad)
	}
	order(t, control, sim.Order{Reboot: &sim.RebootOrder{OffSeconds: 0.1}})
	require.NoError(t, testkit.Eventually(t.Context(), func() bool {
		facts, err := watch(t, c, count(2))
		return err == nil && facts.Width == 160
	}))
}
