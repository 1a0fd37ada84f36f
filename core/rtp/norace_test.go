//go:build !race

package rtp_test

import "time"

const longRun = time.Hour
