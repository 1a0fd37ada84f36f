//go:build race

package rtp_test

import "time"

// longRun is less than an hour with the race detector, which looks at what threads share
// and not at what drifts.
const longRun = 2 * time.Minute
