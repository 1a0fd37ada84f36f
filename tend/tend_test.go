package tend_test

import (
	"context"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"

	"webostrum/tend"
)

// diary is what was done to each thing, in order.
type diary struct {
	mu    sync.Mutex
	lines []string
}

func (d *diary) write(line string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.lines = append(d.lines, line)
}

func (d *diary) take() []string {
	d.mu.Lock()
	defer d.mu.Unlock()
	lines := d.lines
	d.lines = nil
	return lines
}

func newSet(d *diary, endTakes, patience time.Duration) *tend.Set[string, string] {
	return &tend.Set[string, string]{
		Tend: func(ctx context.Context, key, thing string) {
			d.write(key + " as " + thing)
			<-ctx.Done()
			time.Sleep(endTakes)
			d.write(key + " ends")
		},
		Same:     func(before, now string) bool { return before == now },
		Patience: patience,
	}
}

func TestTendsWhatIsWanted(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		var d diary
		s := newSet(&d, 0, time.Second)
		s.Want(t.Context(), map[string]string{"a": "1", "b": "1"})
		synctest.Wait()
		assert.ElementsMatch(t, []string{"a as 1", "b as 1"}, d.take())
		s.Want(t.Context(), map[string]string{"a": "1", "b": "2"})
		synctest.Wait()
		assert.Equal(t, []string{"b ends", "b as 2"}, d.take(), "one at a time, and a goes on")
		s.Want(t.Context(), map[string]string{"b": "2"})
		synctest.Wait()
		assert.Equal(t, []string{"a ends"}, d.take())
		assert.Empty(t, s.Close())
		assert.Equal(t, []string{"b ends"}, d.take())
		assert.Empty(t, s.Close())
	})
}

// TestEndsThatTakeLong: two never tend the same thing, and the others do not wait.
func TestEndsThatTakeLong(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		var d diary
		s := newSet(&d, 10*time.Second, time.Second)
		s.Want(t.Context(), map[string]string{"a": "1", "b": "1"})
		synctest.Wait()
		d.take()
		s.Want(t.Context(), map[string]string{"a": "2", "b": "2", "c": "1"})
		synctest.Wait()
		assert.Equal(t, []string{"c as 1"}, d.take())
		s.Want(t.Context(), map[string]string{"a": "1", "b": "2", "c": "1"})
		synctest.Wait()
		assert.Empty(t, d.take(), "what was told to end does not go on")
		time.Sleep(10 * time.Second)
		s.Want(t.Context(), map[string]string{"a": "2", "b": "2", "c": "1"})
		synctest.Wait()
		assert.ElementsMatch(t, []string{"a ends", "b ends", "a as 2", "b as 2"}, d.take())
		assert.ElementsMatch(t, []string{"a", "b", "c"}, s.Close(), "none ends in time")
		time.Sleep(10 * time.Second)
		assert.Empty(t, s.Close())
		assert.ElementsMatch(t, []string{"a ends", "b ends", "c ends"}, d.take())
	})
}

func TestCloseWaits(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		var d diary
		s := newSet(&d, time.Hour, 0)
		s.Want(t.Context(), map[string]string{"a": "1"})
		s.Want(t.Context(), map[string]string{})
		assert.Empty(t, s.Close())
		assert.Equal(t, []string{"a as 1", "a ends"}, d.take())
	})
}
