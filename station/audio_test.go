package station

import (
	"context"
	"log/slog"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/hls"
	"webostrum/core/media"
	"webostrum/core/plan"
	server "webostrum/deliver/rtsp"
	"webostrum/station/pipeline"
	"webostrum/store"
	"webostrum/testkit"
	"webostrum/testkit/cam"
	"webostrum/transcode"
)

// working is a station with the real worker.
func working(t *testing.T) (*Station, *store.Store) {
	t.Helper()
	worker, err := testkit.Program(transcode.Program)
	require.NoError(t, err)
	records, err := store.Open(t.TempDir())
	require.NoError(t, err)
	st, err := Open(Config{Store: records, Log: slog.New(slog.DiscardHandler), Codecs: worker, AAC: true})
	require.NoError(t, err)
	t.Cleanup(func() { st.Close(); assert.NoError(t, records.Close()) })
	st.lease = 2 * time.Second
	return st, records
}

// listening is a station with one feed that has audio.
func listening(t *testing.T, track *media.Track, change func(*store.Feed)) (*Feed, *Station) {
	t.Helper()
	st, _ := working(t)
	_, url := cam.ServeWithAudio(t, server.Config{}, track)
	record := store.Feed{Name: "hall", URL: url, Transport: "tcp", SegmentMillis: 500, PlaylistLength: 3, Enabled: true, Audio: "automatic"}
	if change != nil {
		change(&record)
	}
	f, err := st.Add(record)
	require.NoError(t, err)
	require.NoError(t, testkit.Eventually(soon(t), func() bool { return f.Condition().State == StateLive }))
	return f, st
}

func soon(t *testing.T) context.Context {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	t.Cleanup(cancel)
	return ctx
}

var (
	micAAC = &media.Track{ID: 2, Kind: media.KindAudio, Codec: media.AAC, ClockRate: 48000, Channels: 2, AAC: []byte{0x11, 0x90}}
	micMu  = &media.Track{ID: 2, Kind: media.KindAudio, Codec: media.PCMU, ClockRate: 8000, Channels: 1}
)

// codecs waits for the multivariant playlist and returns what it promises.
func codecs(t *testing.T, f *Feed) string {
	t.Helper()
	return multivariant(soon(t), t, f)
}

func TestAudioThatHLSCarriesIsThereAllTheTime(t *testing.T) {
	t.Parallel()
	f, _ := listening(t, micAAC, nil)
	require.NoError(t, testkit.Eventually(soon(t), func() bool { return f.Made(hls.Audio) != nil }), "nobody has asked for it")
	assert.Contains(t, codecs(t, f), "mp4a.40.2")
	v, err := f.Stream(soon(t), pipeline.Ask{Delivery: plan.WebRTC, Audio: true})
	require.NoError(t, err)
	defer v.Release()
	assert.Equal(t, media.Opus, v.Audio.Track.Codec)
	silent, err := f.Stream(soon(t), pipeline.Ask{Delivery: plan.WebRTC})
	require.NoError(t, err)
	defer silent.Release()
	assert.Nil(t, silent.Audio)
}

func TestAudioIsTranscodedWhileSomebodyListens(t *testing.T) {
	t.Parallel()
	f, _ := listening(t, micMu, nil)
	assert.Contains(t, codecs(t, f), "mp4a.40.2")
	assert.Nil(t, f.Made(hls.Audio), "it is made for whoever asks")
	_, err := f.Track(soon(t), hls.Audio)
	require.NoError(t, err)
	require.NoError(t, testkit.Eventually(soon(t), func() bool { return f.Made(hls.Audio) == nil }), "and no longer than that")

	v, err := f.Stream(soon(t), pipeline.Ask{Delivery: plan.WebRTC, Audio: true})
	require.NoError(t, err)
	defer v.Release()
	assert.Equal(t, media.PCMU, v.Audio.Track.Codec, "WebRTC carries it as it is")
	reader := v.Audio.Hub.NewReader()
	defer reader.Close()
	s, _, err := reader.Next(soon(t))
	require.NoError(t, err)
	assert.True(t, media.SameAudio(micMu, s.Track))
}

func TestAudioByMode(t *testing.T) {
	t.Parallel()
	f, st := listening(t, micMu, func(r *store.Feed) { r.AudioHLS = "on" })
	require.NoError(t, testkit.Eventually(soon(t), func() bool { return f.Made(hls.Audio) != nil }), "transcoded all the time")
	assert.Contains(t, codecs(t, f), "mp4a.40.2")
	run := f.Status().Run
	_, err := st.Edit("hall", "no audio", func(r *store.Feed) error { r.AudioHLS = "off"; return nil })
	require.NoError(t, err)
	require.NoError(t, testkit.Eventually(soon(t), func() bool { return !strings.Contains(codecs(t, f), "mp4a") }))
	assert.Equal(t, run, f.Status().Run, "nothing is interrupted for it")
	assert.Equal(t, "Audio is switched off.", f.Status().Audio.Plans[plan.HLS].Why)
	assert.Equal(t, media.PCMU, f.Status().Audio.Plans[plan.WebRTC].Codec)
}
