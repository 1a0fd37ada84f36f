package viewers_test

import (
	"fmt"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"webostrum/deliver/viewers"
)

func TestCounts(t *testing.T) {
	c := viewers.New()
	now := time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)
	saw := func(address, agent, feed string, at time.Time) {
		r := httptest.NewRequest("GET", "/", nil)
		r.RemoteAddr = address
		r.Header.Set("User-Agent", agent)
		c.Saw(r, feed, at, 8*time.Second)
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

func TestBounded(t *testing.T) {
	c := viewers.New()
	now := time.Now()
	for i := range 25_000 {
		r := httptest.NewRequest("GET", "/", nil)
		r.Header.Set("User-Agent", fmt.Sprint(i))
		c.Saw(r, "gate", now, time.Minute)
	}
	assert.Equal(t, 20_000, c.Counts(now)["gate"])
}
