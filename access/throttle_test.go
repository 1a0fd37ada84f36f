package access

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var noon = time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)

// fail reserves a try and has it be wrong.
func fail(th *Throttle, address, account string, known bool, now time.Time) (wait time.Duration) {
	settle, wait := th.Reserve(address, account, known, now)
	if settle != nil {
		settle(false)
	}
	return wait
}

func TestFailuresDoubleTheWait(t *testing.T) {
	t.Parallel()
	var th Throttle
	now := noon
	var waits []time.Duration
	for i := range 10 {
		require.Zero(t, fail(&th, "a", fmt.Sprint(i), false, now))
		wait := max(th.addresses["a"].until.Sub(now), 0)
		waits = append(waits, wait)
		now = now.Add(wait)
	}
	second := time.Second
	assert.Equal(t, []time.Duration{0, 0, 0, 2 * second, 4 * second, 8 * second, 16 * second, 32 * second, time.Minute, time.Minute}, waits)
	assert.Zero(t, fail(&th, "b", "x", false, now), "others are not held up")
	assert.Zero(t, fail(&th, "a", "x", false, now.Add(time.Hour)), "forgotten after a while")
}

// TestTriesAtTheSameTime are reserved before any of them is judged.
func TestTriesAtTheSameTime(t *testing.T) {
	t.Parallel()
	var th Throttle
	let := 0
	var settles []func(bool)
	for range 40 {
		if settle, wait := th.Reserve("a", "engineer", false, noon); wait == 0 {
			let++
			settles = append(settles, settle)
		}
	}
	assert.Equal(t, 4, let)
	settles[0](true)
	assert.Zero(t, fail(&th, "a", "engineer", false, noon.Add(time.Second)))
	assert.Positive(t, fail(&th, "a", "engineer", false, noon.Add(time.Second)), "one right answer takes itself back and no other")
}

// TestAccountsAreProtectedAndTheirOwnersToo has an account guessed at from many
// addresses.
func TestAccountsAreProtectedAndTheirOwnersToo(t *testing.T) {
	t.Parallel()
	var th Throttle
	let := 0
	for i := range 100 {
		if fail(&th, fmt.Sprint("bot", i), "engineer", false, noon) == 0 {
			let++
		}
	}
	assert.Equal(t, 11, let)
	assert.Zero(t, fail(&th, "bot1", "guest", false, noon), "another account")
	settle, wait := th.Reserve("home", "engineer", true, noon)
	require.Zero(t, wait, "its owner is not locked out")
	settle(true)
	assert.Zero(t, fail(&th, "cafe", "engineer", false, noon.Add(accountEvery)), "nor for long where it has never been")
}

func TestThrottleIsBounded(t *testing.T) {
	t.Parallel()
	var th Throttle
	for i := range 3 * mostTracked {
		fail(&th, fmt.Sprint(i), fmt.Sprint(i), false, noon.Add(time.Duration(i)))
	}
	assert.LessOrEqual(t, len(th.addresses), mostTracked)
	assert.LessOrEqual(t, len(th.accounts), mostTracked)
}

func TestClientOf(t *testing.T) {
	t.Parallel()
	for address, want := range map[string]string{
		"192.0.2.7:1000": "192.0.2.7", "[::ffff:192.0.2.7]:1": "192.0.2.7",
		"[2001:db8:1:2:3::9]:443": "2001:db8:1:2::/64", "[2001:db8:1:2::1]:9": "2001:db8:1:2::/64", "[fe80::1%eth0]:9": "fe80::/64", "pipe": "pipe",
	} {
		assert.Equal(t, want, ClientOf(address), address)
	}
}

// TestLongNamesCostLittle has strangers try names as long as a header may be.
func TestLongNamesCostLittle(t *testing.T) {
	t.Parallel()
	var th Throttle
	header := strings.Repeat("x", 30<<10)
	for i := range mostTracked + 100 {
		name := fmt.Sprint(i) + header
		fail(&th, name, name, false, noon)
	}
	kept := 0
	for key := range th.addresses {
		kept += len(key)
	}
	for key := range th.accounts {
		kept += len(key)
	}
	assert.LessOrEqual(t, kept, 2*mostTracked*longestKey)
	assert.Positive(t, kept)
}
