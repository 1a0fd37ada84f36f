package viewers_test

import (
	"fmt"
	"net"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/deliver/viewers"
)

func from(address, agent, feed string) viewers.Visitor {
	host, _, _ := net.SplitHostPort(address)
	return viewers.Visitor{Feed: feed, Address: host, Client: host, Browser: agent}
}

func letIn(v viewers.Visitor) viewers.Visitor {
	v.LetIn = true
	return v
}

func TestCounts(t *testing.T) {
	c := viewers.New(viewers.Config{})
	now := time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)
	saw := func(address, agent, feed string, at time.Time) {
		require.NoError(t, c.Saw(from(address, agent, feed), "", at, 8*time.Second))
	}
	saw("192.0.2.1:1000", "a", "gate", now)
	saw("192.0.2.1:2000", "a", "gate", now.Add(2*time.Second)) // the same, on another connection
	saw("192.0.2.1:1000", "b", "gate", now)
	saw("192.0.2.2:1000", "a", "gate", now)
	saw("192.0.2.2:1000", "a", "yard", now)
	assert.Equal(t, map[string]int{"gate": 3, "yard": 1}, c.Counts(now.Add(3*time.Second)))
	assert.Equal(t, map[string]int{"gate": 1}, c.Counts(now.Add(9*time.Second)))
	assert.Empty(t, c.Counts(now.Add(time.Minute)))
}

// TestOneStrangerDoesNotFillAllPlaces: neither by posing as many from one address, nor
// by many addresses, is room taken from those who were let in.
func TestOneStrangerDoesNotFillAllPlaces(t *testing.T) {
	c := viewers.New(viewers.Config{Most: 1000, MostAnAddress: 50})
	now := time.Now()
	last := error(nil)
	for i := range 200 {
		last = c.Saw(from("192.0.2.1:1", fmt.Sprint(i), "gate"), "", now, time.Minute)
	}
	assert.ErrorIs(t, last, viewers.ErrAddressFull)
	assert.Equal(t, 50, c.Counts(now)["gate"])
	assert.NoError(t, c.Saw(letIn(from("192.0.2.1:1", "panel", "gate")), "", now, time.Minute), "behind the same address")
	for i := range 2000 {
		last = c.Saw(from(fmt.Sprintf("192.0.%d.%d:1", 3+i/250, i%250), "", "gate"), "", now, time.Minute)
	}
	assert.ErrorIs(t, last, viewers.ErrFull)
	assert.Equal(t, 900, c.Counts(now)["gate"], "a tenth is kept")
	assert.NoError(t, c.Saw(letIn(from("192.0.2.9:1", "engineer", "gate")), "", now, time.Minute))
	assert.NoError(t, c.Saw(from("192.0.2.1:1", "once-gone", "gate"), "", now.Add(2*time.Minute), time.Minute), "who has left is counted no more")
}

func TestLimits(t *testing.T) {
	c := viewers.New(viewers.Config{Most: 3, MostAFeed: 2})
	none := func() viewers.Numbers { return viewers.Numbers{} }
	join := func(feed string) (*viewers.Entry, error) {
		return c.Join(letIn(from("192.0.2.1:1", "", feed)), viewers.WebRTC, "", none, func() {})
	}
	one, err := join("gate")
	require.NoError(t, err)
	require.NoError(t, c.Saw(letIn(from("192.0.2.2:1", "", "gate")), "", time.Now(), time.Minute))
	_, err = join("gate")
	assert.ErrorIs(t, err, viewers.ErrFeedFull)
	assert.ErrorIs(t, c.Saw(from("192.0.2.3:1", "", "gate"), "", time.Now(), time.Minute), viewers.ErrFeedFull)
	assert.NoError(t, c.Saw(from("192.0.2.2:1", "", "gate"), "", time.Now(), time.Minute), "who is in stays in")
	_, err = join("yard")
	require.NoError(t, err)
	_, err = join("mast")
	assert.ErrorIs(t, err, viewers.ErrFull)
	one.Leave()
	one.Leave()
	_, err = join("gate")
	assert.NoError(t, err)
}

func TestListAndEnd(t *testing.T) {
	c := viewers.New(viewers.Config{})
	now := time.Now()
	hls := from("192.0.2.2:1", "tv", "gate")
	require.NoError(t, c.Saw(hls, "small", now.Add(-time.Minute), 2*time.Minute))
	c.Sent(hls, 500)
	c.Sent(from("192.0.2.9:1", "stranger", "gate"), 500)
	ended := false
	e, err := c.Join(from("192.0.2.1:1", "", "gate"), viewers.WebRTC, "", func() viewers.Numbers { return viewers.Numbers{Bytes: 7, Loss: 0.5} }, func() { ended = true })
	require.NoError(t, err)
	list := c.List("gate", now)
	require.Len(t, list, 2)
	assert.Equal(t, []any{viewers.HLS, "small", "192.0.2.2", uint64(500)}, []any{list[0].Method, list[0].Variant, list[0].Address, list[0].Bytes})
	assert.Equal(t, []any{viewers.WebRTC, uint64(7), 0.5}, []any{list[1].Method, list[1].Bytes, list[1].Loss})
	assert.Empty(t, c.List("yard", now))

	assert.True(t, c.End(list[1].ID, now))
	assert.True(t, ended)
	e.Leave()
	_, err = c.Join(from("192.0.2.1:2", "", "gate"), viewers.MotionJPEG, "", nil, nil)
	assert.ErrorIs(t, err, viewers.ErrEnded, "in whatever way it comes")
	assert.True(t, c.End(list[0].ID, now))
	assert.ErrorIs(t, c.Saw(hls, "", now.Add(30*time.Second), time.Minute), viewers.ErrEnded)
	assert.NoError(t, c.Saw(hls, "", now.Add(2*time.Minute), time.Minute), "not for ever")
	assert.False(t, c.End("nobody", now))
}

// TestTaken counts bytes, time and the most at once, once each, whoever leaves when.
func TestTaken(t *testing.T) {
	c := viewers.New(viewers.Config{})
	begin := time.Now()
	hls := from("192.0.2.2:1", "tv", "gate")
	require.NoError(t, c.Saw(hls, "", begin, time.Minute))
	c.Sent(hls, 500)
	bytes := uint64(70)
	e, err := c.Join(from("192.0.2.1:1", "", "gate"), viewers.WebRTC, "", func() viewers.Numbers { return viewers.Numbers{Bytes: bytes} }, func() {})
	require.NoError(t, err)
	take := func(at time.Time) map[viewers.Method]viewers.Taken {
		all := map[viewers.Method]viewers.Taken{}
		for _, x := range c.Take(at) {
			assert.Equal(t, "gate", x.Feed)
			all[x.Method] = x
		}
		return all
	}
	first := take(begin.Add(30 * time.Second))
	assert.Equal(t, uint64(500), first[viewers.HLS].Bytes)
	assert.Equal(t, 30*time.Second, first[viewers.HLS].Watched)
	assert.Equal(t, uint64(70), first[viewers.WebRTC].Bytes)
	assert.Equal(t, 1, first[viewers.WebRTC].Most)
	bytes = 100
	e.Leave()
	e.Leave()
	second := take(begin.Add(2 * time.Minute)) // the HLS player has gone after a minute
	assert.Equal(t, uint64(30), second[viewers.WebRTC].Bytes)
	assert.Equal(t, 1, second[viewers.WebRTC].Most, "it was there at the beginning")
	assert.Zero(t, second[viewers.HLS].Bytes)
	assert.Equal(t, 30*time.Second, second[viewers.HLS].Watched)
	assert.Empty(t, take(begin.Add(3*time.Minute)))
}

// TestClosedToStrangers when what may be sent is sent.
func TestClosedToStrangers(t *testing.T) {
	c := viewers.New(viewers.Config{})
	now := time.Now()
	in := from("192.0.2.2:1", "tv", "gate")
	require.NoError(t, c.Saw(in, "", now, time.Minute))
	c.Close(true)
	assert.NoError(t, c.Saw(in, "", now, time.Minute), "who is in stays in")
	assert.ErrorIs(t, c.Saw(from("192.0.2.3:1", "tv", "gate"), "", now, time.Minute), viewers.ErrAllowance)
	assert.NoError(t, c.Saw(letIn(from("192.0.2.4:1", "tv", "gate")), "", now, time.Minute))
	c.Close(false)
	assert.NoError(t, c.Saw(from("192.0.2.3:1", "tv", "gate"), "", now, time.Minute))
}
