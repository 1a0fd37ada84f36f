package vp8_test

import (
	"encoding/hex"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/vp8"
)

// A keyframe of 80x48 that libvpx made begins like this, and what follows it like the other.
const (
	keyframe = "d004009d012a5000300000470885"
	follows  = "710200"
)

func TestParse(t *testing.T) {
	for name, tt := range map[string]struct {
		frame string
		want  vp8.Frame
		err   string
	}{
		"keyframe":             {keyframe, vp8.Frame{Key: true, Width: 80, Height: 48}, ""},
		"follows":              {follows, vp8.Frame{}, ""},
		"scale is not of size": {"d004009d012a50403080", vp8.Frame{Key: true, Width: 80, Height: 48}, ""},
		"empty":                {"", vp8.Frame{}, "frame of 0 bytes"},
		"cut":                  {"d004009d012a5000", vp8.Frame{}, "without its start code"},
		"another start code":   {"d004009d012b50003000", vp8.Frame{}, "without its start code"},
		"no width":             {"d004009d012a00003000", vp8.Frame{}, "0x48"},
	} {
		b, err := hex.DecodeString(tt.frame)
		require.NoError(t, err)
		f, err := vp8.Parse(b)
		if tt.err != "" {
			require.ErrorIs(t, err, vp8.ErrMalformed, name)
			assert.ErrorContains(t, err, tt.err, name)
			continue
		}
		require.NoError(t, err, name)
		assert.Equal(t, tt.want, f, name)
	}
}
