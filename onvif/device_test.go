package onvif_test

import (
	"context"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
	core "webostrum/core/onvif"
	"webostrum/onvif"
	"webostrum/sim/device"
)

// stage is a device that is played, and the client of one of its profiles.
func stage(t *testing.T, q device.Quirks) (*device.Device, *onvif.Device) {
	t.Helper()
	d := playing(t, q)
	u, err := url.Parse(d.URL())
	require.NoError(t, err)
	c := onvif.Open(onvif.Config{URL: u, User: "viewer", Password: "funicular", AnswerTimeout: 5 * time.Second}, "1")
	t.Cleanup(c.Close)
	return d, c
}

func soon(t *testing.T) context.Context {
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	t.Cleanup(cancel)
	return ctx
}

// TestSetVideo writes settings by either media service and reads back what came of them.
func TestSetVideo(t *testing.T) {
	t.Parallel()
	for name, q := range map[string]device.Quirks{"Media2": {}, "Media": {OnlyOld: true}, "capitals": {Capitals: true, HTTPDigest: true}} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			d, c := stage(t, q)
			rate, bits, keys := 10.0, 900, 1.5
			out, err := c.SetVideo(soon(t), onvif.VideoChange{Width: 640, Height: 360, FrameRate: &rate, Kilobits: &bits, KeyEvery: &keys})
			require.NoError(t, err)
			assert.Equal(t, [4]int{640, 360, 900, 15}, [4]int{out.Encoder.Width, out.Encoder.Height, out.Encoder.Kilobits, out.Encoder.Group})
			assert.Equal(t, 15, d.State().Streams[0].Group)
			assert.Equal(t, 1280, d.State().Streams[2].Width, "the other streams stay as they are")
			assert.NotEmpty(t, out.Options[0].Sizes)
		})
	}
}

// TestWhatDoesNotFit is refused with what does, and nothing is written.
func TestWhatDoesNotFit(t *testing.T) {
	t.Parallel()
	d, c := stage(t, device.Quirks{})
	before := d.State()
	fast, slow, many := 99.0, 0.001, 90_000
	for name, change := range map[string]onvif.VideoChange{
		"size": {Width: 111, Height: 100}, "rate": {FrameRate: &fast}, "keyframes": {KeyEvery: &fast}, "bits": {Kilobits: &many}, "codec": {Codec: "JPEG"}, "no rate": {FrameRate: &slow},
	} {
		_, err := c.SetVideo(soon(t), change)
		assert.Equal(t, fault.SettingUnfit, codeOf(t, err), name)
		assert.Contains(t, err.Error(), "the camera", name)
	}
	assert.Equal(t, before, d.State())
}

func TestMoves(t *testing.T) {
	t.Parallel()
	d, c := stage(t, device.Quirks{OtherHost: "198.51.100.7"})
	require.NoError(t, c.Move(soon(t), "upper points", 0, 0, 0))
	assert.Equal(t, 0.5, d.State().Pan)
	require.NoError(t, c.Move(soon(t), "", 0.25, -0.5, 0.125))
	s := d.State()
	assert.Equal(t, [3]float64{0.75, -0.5, 0.125}, [3]float64{s.Pan, s.Tilt, s.Zoom})
	assert.Equal(t, fault.SettingUnfit, codeOf(t, c.Move(soon(t), "nowhere", 0, 0, 0)))
	out, err := c.SetImage(soon(t), map[core.ImageSetting]float64{core.Brightness: 70}, "OFF")
	require.NoError(t, err)
	assert.Equal(t, 70.0, out.Image.Values[core.Brightness])
	assert.Equal(t, "OFF", d.State().Filter)
	for _, wrong := range []core.ImageSetting{core.Brightness, core.Sharpness} {
		_, err = c.SetImage(soon(t), map[core.ImageSetting]float64{wrong: 700}, "")
		assert.Equal(t, fault.SettingUnfit, codeOf(t, err), wrong)
	}
	_, err = c.SetImage(soon(t), nil, "HEAT")
	assert.Equal(t, fault.SettingUnfit, codeOf(t, err))
}

// TestACameraThatStandsStill can neither be moved nor its picture set, and says so.
func TestACameraThatStandsStill(t *testing.T) {
	t.Parallel()
	_, c := stage(t, device.Quirks{Still: true})
	out, err := c.Controls(soon(t))
	require.NoError(t, err)
	assert.False(t, out.Moves)
	assert.Nil(t, out.Image)
	assert.Equal(t, fault.SettingUnfit, codeOf(t, c.Move(soon(t), "", 0.1, 0, 0)))
	_, err = c.SetImage(soon(t), nil, "ON")
	assert.Equal(t, fault.SettingUnfit, codeOf(t, err))
}

func TestKeyframesAndAddresses(t *testing.T) {
	t.Parallel()
	d, c := stage(t, device.Quirks{})
	require.NoError(t, c.Keyframe(soon(t)))
	require.NoError(t, c.Keyframe(soon(t)), "what was found is used again")
	assert.Equal(t, 2, d.State().Keyframes)
	address, err := c.StreamAddress(soon(t))
	require.NoError(t, err)
	assert.Equal(t, "rtsp://127.0.0.1:7654/main", address)
	u, err := url.Parse(d.URL())
	require.NoError(t, err)
	gone := onvif.Open(onvif.Config{URL: u, User: "viewer", Password: "funicular", AnswerTimeout: 5 * time.Second}, "9")
	t.Cleanup(gone.Close)
	assert.Equal(t, fault.ProfileGone, codeOf(t, gone.Keyframe(soon(t))))
	wrong := onvif.Open(onvif.Config{URL: u, User: "viewer", Password: "wrong", AnswerTimeout: 5 * time.Second}, "1")
	t.Cleanup(wrong.Close)
	assert.Equal(t, fault.SignInRefused, codeOf(t, wrong.Keyframe(soon(t))))
}
