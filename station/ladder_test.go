package station

import (
	"context"
	"maps"
	"regexp"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/hls"
	server "webostrum/deliver/rtsp"
	"webostrum/store"
	"webostrum/testkit"
	"webostrum/testkit/cam"
)

// TestRenditionsAreCutWhereTheOriginalIs: they stand in the multivariant playlist before
// they are made, begin at the presentation's current number, and agree in numbers, times
// and discontinuities.
func TestRenditionsAreCutWhereTheOriginalIs(t *testing.T) {
	t.Parallel()
	st, _ := working(t)
	_, url := cam.ServeReordered(t, server.Config{})
	f, err := st.Add(store.Feed{
		Name: "bridge", URL: url, Transport: "tcp", WithinMillis: 2000, SegmentMillis: 1000, PlaylistLength: 6, Enabled: true,
		Renditions: []store.Rendition{{Name: "small", Codec: "H264", Size: "1/2"}, {Name: "tiny", Codec: "H264", Size: "1/4", FrameRate: 5}, {Name: "panel", Codec: "JPEG"}},
	})
	require.NoError(t, err)
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	assert.Regexp(t, `(?s)original/list.m3u8.*RESOLUTION=160x120.*\nsmall/list.m3u8.*RESOLUTION=80x60.*\ntiny/list.m3u8\n$`, multivariant(ctx, t, f))
	assert.Nil(t, f.Made("small"), "nobody plays it")

	original := f.Made(hls.Original)
	entries := func(track *hls.Track) map[string]string { // PROGRAM-DATE-TIME by number
		text, ok := track.Media(false)
		require.True(t, ok)
		list := map[string]string{}
		for _, m := range regexp.MustCompile(`PROGRAM-DATE-TIME:(\S+)\n(?:#EXT-X-PART\S+\n)*#EXTINF\S+\n\S+-(\d+)\.m4s`).FindAllStringSubmatch(string(text.Plain), -1) {
			list[m[2]] = m[1]
		}
		return list
	}
	for _, name := range []string{"small", "tiny"} {
		before := slices.Max(slices.Collect(maps.Keys(entries(original))))
		track, err := f.Track(ctx, name)
		require.NoError(t, err)
		first := slices.Min(slices.Collect(maps.Keys(entries(track))))
		assert.GreaterOrEqual(t, first, before, "%s begins with the segment before the newest, or it", name)
		require.NoError(t, testkit.Eventually(ctx, func() bool {
			_, err := f.Track(ctx, name) // as players do
			return err == nil && len(entries(track)) >= 4
		}))
		same := entries(original)
		for number, at := range entries(track) {
			if same[number] != "" {
				assert.Equal(t, same[number], at, "%s, segment %s", name, number)
			}
		}
		text, _ := track.Media(false)
		breaks := regexp.MustCompile(`DISCONTINUITY-SEQUENCE:\d+`)
		ours, _ := original.Media(false)
		if !regexp.MustCompile(`#EXT-X-DISCONTINUITY\n`).Match(ours.Plain) {
			assert.Equal(t, breaks.FindString(string(ours.Plain)), breaks.FindString(string(text.Plain)))
		}
		assert.Contains(t, string(ours.Plain), "../"+name+"/list.m3u8", "players are told how far it is")
	}
}
