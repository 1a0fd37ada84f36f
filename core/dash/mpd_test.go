package dash_test

import (
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/dash"
)

// TestGolden writes two periods, the second with a sound that begins a little later.
func TestGolden(t *testing.T) {
	noon := time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)
	at := func(s float64) time.Time { return noon.Add(time.Duration(s * float64(time.Second))) }
	got, err := dash.Write(dash.Manifest{
		Published: at(10), Update: time.Second, Window: 12 * time.Second, Delay: 6 * time.Second, Clock: "https://cams.example.org/media/gate/time?as=iso",
		Sets: []dash.Set{
			{ContentType: "video", Timescale: 90000, Segments: []dash.Segment{
				{Number: 1000, Period: 3, Begins: at(0), Origin: 7200, Start: 7200, Duration: 180000}, {Number: 1001, Period: 3, Begins: at(0), Origin: 7200, Start: 187200, Duration: 180000},
				{Number: 1002, Period: 4, Begins: at(7), Start: 0, Duration: 90000},
			}, Tracks: []dash.Track{
				{ID: "original", Codecs: "avc1.42C01F", Width: 1280, Height: 720, FrameRate: 25, Bandwidth: 2_000_000.5},
				{ID: "small", Codecs: "avc1.42C015", Width: 320, Height: 180, FrameRate: 12.5, Bandwidth: 300_000},
			}},
			{ContentType: "audio", Timescale: 48000, Segments: []dash.Segment{{Number: 1002, Period: 4, Begins: at(7), Start: 480, Duration: 48128}},
				Tracks: []dash.Track{{ID: "audio", Codecs: "mp4a.40.2", SampleRate: 48000, Bandwidth: 128_000}}},
		},
	})
	require.NoError(t, err)
	const file = "testdata/two-periods.mpd"
	if os.Getenv("UPDATE") != "" {
		require.NoError(t, os.WriteFile(file, got, 0o644))
	}
	want, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, string(want), string(got))
}

func TestNothingYet(t *testing.T) {
	got, err := dash.Write(dash.Manifest{})
	require.NoError(t, err)
	assert.NotContains(t, string(got), "Period>")
}
