package turns_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/turns"
)

func TestCircle(t *testing.T) {
	feeds := map[string][]string{"a": {"b", "c"}, "b": {"d"}, "c": {"d", "a"}, "d": {"e"}, "e": {"d"}, "self": {"self"}}
	sources := func(name string) []string { return feeds[name] }
	assert.Equal(t, "a, c, a", turns.Circle("a", sources))
	assert.Equal(t, "d, e, d", turns.Circle("d", sources))
	assert.Equal(t, "self, self", turns.Circle("self", sources))
	assert.Empty(t, turns.Circle("b", sources), "it is not in the circle of others")
	assert.Empty(t, turns.Circle("nowhere", sources))
}

// TestCircleAmongMany looks at each feed once: with every way looked at by itself, these are
// more than can be.
func TestCircleAmongMany(t *testing.T) {
	looks := 0
	assert.Empty(t, turns.Circle("0-0", func(name string) []string {
		looks++
		var layer, at int
		_, _ = fmt.Sscanf(name, "%d-%d", &layer, &at)
		if layer == 40 {
			return nil
		}
		return []string{fmt.Sprintf("%d-0", layer+1), fmt.Sprintf("%d-1", layer+1)}
	}))
	assert.LessOrEqual(t, looks, 81)
}
