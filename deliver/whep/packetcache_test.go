package whep

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/media"
	"webostrum/testkit/pictures"
)

// TestPacketCacheIsBoundedInBytes has a stream of 20 Mbit/s, and one of very small frames.
func TestPacketCacheIsBoundedInBytes(t *testing.T) {
	for size, most := range map[int]int{83_000: cacheBytes / 83_000, 10: cacheFrames} {
		c := &packetCache{}
		track := pictures.Track(pictures.SPS)
		var last *media.Sample
		for n := range 5000 {
			last = &media.Sample{Track: track, PTS: int64(n), Data: pictures.Data(pictures.P(size, byte(n)))}
			c.payloads(last)
		}
		assert.LessOrEqual(t, c.bytes, cacheBytes)
		assert.LessOrEqual(t, len(c.frames), most)
		assert.Greater(t, len(c.frames), most/2)
		assert.Equal(t, &c.payloads(last)[0][0], &c.payloads(last)[0][0], "each frame once")
	}
	c := &packetCache{}
	huge := &media.Sample{Track: pictures.Track(pictures.SPS), Data: pictures.Data(pictures.IDR(2*cacheBytes, 1))}
	assert.NotEmpty(t, c.payloads(huge))
	assert.Len(t, c.frames, 1, "the newest is kept even when it alone is larger")
}
