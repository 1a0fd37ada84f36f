package barrier_test

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/barrier"
)

func TestDo(t *testing.T) {
	own := errors.New("own")
	assert.NoError(t, barrier.Do(func() error { return nil }))
	assert.ErrorIs(t, barrier.Do(func() error { return own }), own)
	var nothing []int
	err := barrier.Do(func() error { _ = nothing[3]; return nil })
	var p *barrier.PanicError
	require.ErrorAs(t, err, &p)
	assert.ErrorContains(t, err, "index out of range")
	assert.Contains(t, string(p.Stack), "barrier_test.go", "it says where")
}
