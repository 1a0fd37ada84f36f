package api

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestValuesOfAQueryKeepTheirPlaces: names may stand in it more than once.
func TestValuesOfAQueryKeepTheirPlaces(t *testing.T) {
	t.Parallel()
	const before = "rtsp://192.0.2.7/a?ch=1&ch=2&pin=s%26p&flag&empty="
	assert.Equal(t, "rtsp://192.0.2.7/a?ch=***&ch=***&pin=***&***&empty=***", hideQuery(before))
	for raw, want := range map[string]string{
		hideQuery(before):                       before,
		"rtsp://192.0.2.7/b?ch=7&ch=***":        "rtsp://192.0.2.7/b?ch=7&ch=2",
		"rtsp://192.0.2.7/b?pin=***&ch=***&***": "rtsp://192.0.2.7/b?pin=s%26p&ch=1&flag",
		"rtsp://192.0.2.7/b?ch=***":             "rtsp://192.0.2.7/b?ch=1",
		"rtsp://192.0.2.7/b?other=***":          "rtsp://192.0.2.7/b?other=",
		"rtsp://192.0.2.7/b":                    "rtsp://192.0.2.7/b",
	} {
		assert.Equal(t, want, revealQuery(raw, before))
	}
}
