package opus_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/opus"
)

// TestDuration follows table 2 and section 3.2 of RFC 6716.
func TestDuration(t *testing.T) {
	for _, tt := range []struct {
		name   string
		packet []byte
		want   int
	}{
		{"SILK, 60 ms", []byte{3 << 3, 1}, 2880},
		{"hybrid, 20 ms", []byte{13 << 3}, 960},
		{"CELT, 2.5 ms", []byte{16 << 3}, 120},
		{"CELT, 20 ms", []byte{31<<3 | 4}, 960},
		{"two frames", []byte{31<<3 | 1}, 1920},
		{"two frames of different size", []byte{31<<3 | 2}, 1920},
		{"five frames", []byte{31<<3 | 3, 5}, 4800},
		{"longer than 120 ms", []byte{3<<3 | 3, 3}, 0},
		{"no count", []byte{31<<3 | 3}, 0},
		{"nothing", nil, 0},
	} {
		assert.Equal(t, tt.want, opus.Duration(tt.packet), tt.name)
	}
}
