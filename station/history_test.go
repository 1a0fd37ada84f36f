package station_test

import (
	"database/sql"
	"errors"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/uptime"
	"webostrum/station"
	"webostrum/store"
)

// morning is when simulated time begins.
var morning = time.Date(2026, 11, 1, 6, 0, 0, 0, time.UTC)

func openRecords(t *testing.T, folder string) *store.Store {
	t.Helper()
	s, err := store.Open(folder)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

func addFeeds(t *testing.T, s *store.Store, n int) (ids []int64) {
	t.Helper()
	for i := range n {
		f := store.Feed{Name: string(rune('a'+i%26)) + "-" + time.Duration(i).String(), URL: "rtsp://192.0.2.7/a"}
		require.NoError(t, s.AddFeed(&f))
		ids = append(ids, f.ID)
	}
	return ids
}

// clock is simulated time.
type clock struct {
	now  time.Time
	step time.Duration
	h    station.History
}

func (c *clock) pass(length time.Duration, states map[int64]station.State) {
	for end := c.now.Add(length); c.now.Before(end); {
		c.now = c.now.Add(c.step)
		c.h.Look(c.now, c.step, states)
	}
}

// TestIdleIsNoOutage: a camera that nobody needs is not counted against its feed.
func TestIdleIsNoOutage(t *testing.T) {
	t.Parallel()
	s := openRecords(t, t.TempDir())
	id := addFeeds(t, s, 1)[0]
	h := station.NewHistory(s, func(string, string) {}, func(err error) { t.Error(err) })
	c := clock{now: morning, step: time.Second, h: h}
	for range 6 {
		c.pass(2*time.Minute, map[int64]station.State{id: station.StateLive})
		c.pass(3*time.Minute, map[int64]station.State{id: station.StateIdle})
		c.pass(4*time.Second, map[int64]station.State{id: station.StateConnecting})
	}
	c.pass(2*time.Minute, map[int64]station.State{id: station.StateIdle})
	outages, err := s.Outages(id, morning.Add(-time.Hour))
	require.NoError(t, err)
	assert.Empty(t, outages, "not even the seconds in which it is connected")
}

// TestHistoryOverARestart: an outage goes on, and is one.
func TestHistoryOverARestart(t *testing.T) {
	t.Parallel()
	s := openRecords(t, t.TempDir())
	id := addFeeds(t, s, 1)[0]
	keep := func() station.History {
		return station.NewHistory(s, func(string, string) {}, func(err error) { t.Error(err) })
	}
	c := clock{now: morning, step: time.Second, h: keep()}
	c.pass(10*time.Minute, map[int64]station.State{id: station.StateLive})
	c.pass(5*time.Minute, map[int64]station.State{id: station.StateRetrying})
	outages, err := s.Outages(id, morning)
	require.NoError(t, err)
	require.Len(t, outages, 1)
	assert.False(t, outages[0].Over)
	c.h, c.now = keep(), c.now.Add(time.Minute) // nobody looked for a minute
	c.pass(5*time.Minute, map[int64]station.State{id: station.StateRetrying})
	c.pass(2*time.Minute, map[int64]station.State{id: station.StateLive})
	outages, err = s.Outages(id, morning)
	require.NoError(t, err)
	require.Len(t, outages, 1, "it is one outage")
	assert.True(t, outages[0].Over)
	assert.InDelta(t, 10*60, outages[0].Lasted().Seconds(), 61, "a run that is cut off loses a minute at most")
	assert.WithinDuration(t, morning.Add(10*time.Minute), outages[0].Began, 2*time.Second)
	assert.Contains(t, outages[0].Reason, "Nothing answers")
	stretches, err := s.Stretches(id, store.ShortStretch, morning, morning.Add(time.Hour))
	require.NoError(t, err)
	var sums uptime.Sums
	for _, x := range stretches {
		sums = sums.Plus(station.SumsOf(x))
	}
	share, _ := sums.Availability()
	assert.InDelta(t, 12.0/22, share, 0.08)
}

// TestAClockThatIsSet is told of, and nothing is forgotten by it.
func TestAClockThatIsSet(t *testing.T) {
	t.Parallel()
	s := openRecords(t, t.TempDir())
	id := addFeeds(t, s, 1)[0]
	var said []string
	c := clock{now: morning, step: 10 * time.Second, h: station.NewHistory(s, func(_, text string) { said = append(said, text) }, func(err error) { t.Error(err) })}
	live := map[int64]station.State{id: station.StateLive}
	count := func() int {
		list, err := s.Stretches(id, store.LongStretch, morning.AddDate(-3, 0, 0), morning.AddDate(3, 0, 0))
		require.NoError(t, err)
		return len(list)
	}
	c.pass(5*time.Hour, live)
	require.Equal(t, 5, count())
	c.now = c.now.AddDate(1, 0, 0)
	c.pass(30*time.Minute, live)
	require.Len(t, said, 1)
	assert.Contains(t, said[0], "set forward by 8760h0m")
	assert.GreaterOrEqual(t, count(), 6, "what was before is kept although it looks a year old")
	c.now = c.now.AddDate(-1, 0, 0)
	c.pass(30*time.Minute, live)
	require.Len(t, said, 2)
	assert.Contains(t, said[1], "set back by")
	assert.GreaterOrEqual(t, count(), 6)
}

// TestWhatCannotBeWritten is written later.
func TestWhatCannotBeWritten(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	s := openRecords(t, folder)
	id := addFeeds(t, s, 1)[0]
	db, err := sql.Open("sqlite", filepath.Join(folder, "webostrum.db"))
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	failures := 0
	c := clock{now: morning, step: time.Second, h: station.NewHistory(s, func(string, string) {}, func(error) { failures++ })}
	_, err = db.Exec("ALTER TABLE stretches RENAME TO away")
	require.NoError(t, err)
	c.pass(3*time.Minute, map[int64]station.State{id: station.StateLive})
	assert.Positive(t, failures)
	_, err = db.Exec("ALTER TABLE away RENAME TO stretches")
	require.NoError(t, err)
	c.pass(2*time.Minute, map[int64]station.State{id: station.StateLive})
	list, err := s.Stretches(id, store.LongStretch, morning, morning.Add(time.Hour))
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.InDelta(t, 4*60, list[0].Live, 61)
}

// TestSoak has days pass in simulated time: 3 days of a few feeds, or with WEBOSTRUM_SOAK set 30
// days of 40. What is kept stays bounded, and says what was.
func TestSoak(t *testing.T) {
	days, feeds, step := 3, 3, 20*time.Second
	if os.Getenv("WEBOSTRUM_SOAK") != "" {
		days, feeds, step = 30, 40, 5*time.Second
	}
	folder := t.TempDir()
	s := openRecords(t, folder)
	ids := addFeeds(t, s, feeds)
	chance := rand.New(rand.NewPCG(30, 40))
	states := make(map[int64]station.State)
	downFor, wanted := make(map[int64]time.Duration), make(map[int64]time.Duration)
	until := make(map[int64]time.Time)
	c := clock{now: morning, step: step, h: station.NewHistory(s, func(string, string) {}, func(err error) { t.Error(err) })}
	outages := 0
	var heap []uint64
	for day := range days {
		for end := morning.AddDate(0, 0, day+1); c.now.Before(end); {
			for _, id := range ids {
				switch {
				case states[id] == station.StateRetrying && c.now.After(until[id]), states[id] == "":
					states[id] = station.StateLive
				case states[id] == station.StateLive && chance.IntN(int(3*time.Hour/step)) == 0:
					states[id], until[id] = station.StateRetrying, c.now.Add(time.Duration(chance.IntN(600))*time.Second)
					outages++
				}
				wanted[id] += step
				if states[id] == station.StateRetrying {
					downFor[id] += step
				}
			}
			c.pass(step, states)
		}
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		heap = append(heap, m.HeapAlloc)
	}
	long, err := s.Stretches(0, store.LongStretch, morning, c.now.Add(time.Hour))
	require.NoError(t, err)
	short, err := s.Stretches(0, store.ShortStretch, morning.AddDate(-1, 0, 0), c.now.Add(time.Hour))
	require.NoError(t, err)
	assert.LessOrEqual(t, len(short), feeds*(12*27+1), "a day and a little")
	for _, id := range ids {
		var sums uptime.Sums
		for _, x := range long {
			if x.FeedID == id {
				sums = sums.Plus(station.SumsOf(x))
			}
		}
		share, ok := sums.Availability()
		require.True(t, ok)
		assert.InDelta(t, 1-float64(downFor[id])/float64(wanted[id]), share, 0.002, "what is kept says what was")
	}
	size := int64(0)
	files, err := filepath.Glob(filepath.Join(folder, "webostrum.db*"))
	require.NoError(t, err)
	for _, f := range files {
		info, err := os.Stat(f)
		if !errors.Is(err, os.ErrNotExist) {
			require.NoError(t, err)
			size += info.Size()
		}
	}
	assert.Less(t, size, int64(feeds)*300<<10+8<<20)
	assert.Less(t, heap[len(heap)-1], heap[0]*2+(4<<20))
	t.Logf("%d days, %d feeds, %d outages: %d kB on disk, %d long and %d short stretches, heap %d kB after the first day and %d kB after the last", days, feeds, outages, size>>10, len(long), len(short), heap[0]>>10, heap[len(heap)-1]>>10)
}
