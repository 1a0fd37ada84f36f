package wait_test

import (
	"context"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"

	"webostrum/wait"
)

func TestFor(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		begun := time.Now()
		assert.True(t, wait.For(t.Context(), time.Hour))
		assert.Equal(t, time.Hour, time.Since(begun))
		ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
		defer cancel()
		assert.False(t, wait.For(ctx, time.Hour), "it ends with its context")
		assert.Equal(t, time.Hour+time.Minute, time.Since(begun))
		assert.False(t, wait.For(ctx, 0), "also where there is nothing to wait for")
	})
}
