// Package wait waits.
package wait

import (
	"context"
	"time"
)

// For waits for a time; false means that ctx ended before.
func For(ctx context.Context, d time.Duration) bool {
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-ctx.Done():
		return false
	case <-timer.C:
		return ctx.Err() == nil
	}
}
