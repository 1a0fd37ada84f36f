package pictures_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/testkit/pictures"
)

func TestSizes(t *testing.T) {
	for sps, want := range map[string][2]int{
		string(pictures.SPS): {320, 240}, string(pictures.Larger): {640, 480}, string(pictures.Reordering): {1280, 720},
	} {
		track := pictures.Track([]byte(sps))
		assert.Equal(t, want, [2]int{track.Width, track.Height})
	}
}
