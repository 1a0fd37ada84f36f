package nalu_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/nalu"
)

func TestDecodeTimes(t *testing.T) {
	tests := []struct {
		name    string
		reorder int
		pts     []int64
		want    []int64
	}{
		{"no reordering", 0, []int64{0, 10, 20, 30}, []int64{0, 10, 20, 30}},
		// I0 P3 B1 B2 P6 B4 B5 in decoding order.
		{"two B-frames, told", 1, []int64{10, 40, 20, 30, 70, 50, 60}, []int64{0, 10, 20, 30, 40, 50, 60}},
		{"told nothing, finds out", 0, []int64{10, 40, 20, 30, 70, 50, 60}, []int64{10, 40, 41, 42, 43, 50, 60}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			var d nalu.DecodeTimes
			d.Reset(tt.reorder, 10)
			var got []int64
			for _, p := range tt.pts {
				got = append(got, d.Next(p))
			}
			assert.Equal(t, tt.want, got)
		})
	}
}

func FuzzDecodeTimes(f *testing.F) {
	f.Add([]byte{1, 4, 2, 3, 7, 5, 6}, 0)
	f.Fuzz(func(t *testing.T, steps []byte, reorder int) {
		var d nalu.DecodeTimes
		d.Reset(reorder, 10)
		last := int64(-1 << 62)
		for _, s := range steps {
			dts := d.Next(int64(s) * 10)
			if dts <= last {
				t.Fatalf("decode time %d after %d", dts, last)
			}
			last = dts
		}
	})
}
