package api

import (
	"context"
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/discover"
)

// TestASearchThatFailsSaysSo: whatever ends it, nobody thinks that there are no cameras.
func TestASearchThatFailsSaysSo(t *testing.T) {
	for want, err := range map[string]error{
		"sweep a smaller network": context.DeadlineExceeded, "serve --search-on": fmt.Errorf("%w: nope0", discover.ErrInterface), "The search failed: no sockets": errors.New("no sockets"),
	} {
		s := &search{running: true}
		s.end(nil, err)
		assert.False(t, s.running)
		assert.Len(t, s.notes, 1)
		assert.Contains(t, s.notes[0], want)
	}
	s := &search{running: true}
	s.end([]string{"a note"}, context.Canceled)
	assert.Equal(t, []string{"a note"}, s.notes)
}
