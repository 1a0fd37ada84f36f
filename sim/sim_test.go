package sim_test

import (
	"context"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/ingest"
	"webostrum/ingest/source"
	"webostrum/sim"
	"webostrum/testkit"
)

func TestMain(m *testing.M) {
	goleak.VerifyTestMain(m,
		// Kept-alive connections of http.DefaultClient.
		goleak.IgnoreTopFunction("net/http.(*persistConn).writeLoop"), goleak.IgnoreAnyFunction("net/http.(*persistConn).readLoop"))
}

const name = "yard"

// onAir plays a small camera with its control until the test ends.
func onAir(t *testing.T, change ...func(*sim.Config)) (*sim.Camera, string) {
	t.Helper()
	worker, err := testkit.Program("webostrum-codecs")
	require.NoError(t, err)
	cfg := sim.Config{
		Name: name, Listen: "127.0.0.1:0", User: "u", Password: "p", Worker: worker,
		Settings: sim.Settings{Width: 320, Height: 240, FrameRate: 25, BitRate: 300_000, KeyEvery: 400 * time.Millisecond},
	}
	for _, c := range change {
		c(&cfg)
	}
	camera, err := sim.New(cfg)
	require.NoError(t, err)
	ports, err := testkit.FreePorts(1)
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() { assert.NoError(t, sim.Play(ctx, ports[0], camera)) })
	t.Cleanup(func() { cancel(); wg.Wait() })
	select {
	case <-camera.Ready():
	case <-time.After(20 * time.Second):
		t.Fatal("no picture")
	}
	return camera, ports[0]
}

// watch plays the camera until ok says that it was enough.
func watch(t *testing.T, c *sim.Camera, ok func(*media.Sample) bool) (source.Facts, error) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	var session source.Session
	seen := false
	_, err := ingest.Play(ctx, source.Config{
		URL: c.URL(), User: "u", Password: "p", Transport: source.TCP, StallAfter: 3 * time.Second,
		Started: func(s source.Session) { session = s },
		Publish: func(s *media.Sample) {
			if !seen && ok(s) {
				seen = true
				cancel()
			}
		},
	})
	if seen {
		return session.Facts(), nil
	}
	return source.Facts{}, err
}

// count is enough after so many pictures.
func count(n int) func(*media.Sample) bool {
	return func(*media.Sample) bool { n--; return n == 0 }
}

func order(t *testing.T, control string, o sim.Order) {
	t.Helper()
	require.NoError(t, sim.Tell(context.Background(), control, name, o))
}

func TestPicturesAndTimes(t *testing.T) {
	t.Parallel()
	c, _ := onAir(t)
	var last *media.Sample
	facts, err := watch(t, c, func(s *media.Sample) bool { last = s; return s.PTS > 3*90000 })
	require.NoError(t, err)
	assert.Equal(t, "Constrained Baseline", facts.Profile)
	assert.Equal(t, [2]int{320, 240}, [2]int{facts.Width, facts.Height})
	assert.True(t, facts.FromCamera)
	assert.WithinDuration(t, time.Now(), last.Captured, 2*time.Second)
	assert.Greater(t, last.PTS, int64(0))
}

func TestMisbehaviour(t *testing.T) {
	t.Parallel()
	c, control := onAir(t)
	on, off, some := true, false, 0.3
	hour := time.Hour

	order(t, control, sim.Order{Behave: sim.Misbehaviour{RefuseSignIn: &on}})
	_, err := watch(t, c, count(1))
	assert.Equal(t, fault.SignInRefused, fault.As(err).Kind.Code)
	order(t, control, sim.Order{Behave: sim.Misbehaviour{RefuseSignIn: &off}})

	order(t, control, sim.Order{Behave: sim.Misbehaviour{Frozen: &on}})
	_, err = watch(t, c, count(1))
	assert.Equal(t, fault.Silent, fault.As(err).Kind.Code)
	order(t, control, sim.Order{Behave: sim.Misbehaviour{Frozen: &off}})

	jumped := false
	facts, err := watch(t, c, func(s *media.Sample) bool {
		if !jumped && s.PTS > 9000 {
			jumped = true
			c.Faults.Set(sim.Misbehaviour{Jump: &hour})
		}
		return s.Epoch.Number > 0
	})
	require.NoError(t, err)
	assert.Equal(t, uint64(1), facts.Stats.Jumps)

	order(t, control, sim.Order{Behave: sim.Misbehaviour{Loss: &some}})
	facts, err = watch(t, c, func(s *media.Sample) bool { return s.PTS > 3*90000 })
	require.NoError(t, err)
	assert.Positive(t, facts.Stats.Lost)
}

func TestDropAndReboot(t *testing.T) {
	t.Parallel()
	c, control := onAir(t)
	dropped := false
	_, err := watch(t, c, func(*media.Sample) bool {
		if !dropped {
			dropped = true
			go c.Drop()
		}
		return false
	})
	assert.Equal(t, fault.HungUp, fault.As(err).Kind.Code)

	order(t, control, sim.Order{Reboot: &sim.RebootOrder{Width: 640, Height: 480, OffSeconds: 0.2, KeySeconds: 1}})
	require.NoError(t, testkit.Eventually(t.Context(), func() bool {
		facts, err := watch(t, c, count(2))
		return err == nil && facts.Width == 640
	}))
	assert.Equal(t, time.Second, c.Settings().KeyEvery)
}

func TestOrdersThatCannotBeDone(t *testing.T) {
	t.Parallel()
	_, control := onAir(t)
	err := sim.Tell(context.Background(), control, "other", sim.Order{Drop: true})
	assert.ErrorContains(t, err, "no camera of that name")
	err = sim.Tell(context.Background(), control, name, sim.Order{Reboot: &sim.RebootOrder{Width: 641, Height: 480}})
	assert.ErrorContains(t, err, "even")
	err = sim.Tell(context.Background(), "127.0.0.1:1", name, sim.Order{Drop: true})
	assert.ErrorContains(t, err, "no simulated cameras answer")
}

func TestConfigIsChecked(t *testing.T) {
	t.Parallel()
	worker, err := testkit.Program("webostrum-codecs")
	require.NoError(t, err)
	_, err = sim.New(sim.Config{Name: name, Listen: "127.0.0.1:0", Worker: worker, Settings: sim.Settings{Width: 1}})
	assert.ErrorContains(t, err, name)
	_, err = sim.New(sim.Config{Name: name, Listen: "nowhere:x", Worker: worker, Settings: sim.Defaults()})
	assert.Error(t, err)
	_, err = sim.New(sim.Config{Worker: "/none"})
	assert.Error(t, err)
}
