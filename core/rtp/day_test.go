package rtp_test

import (
	"math/rand/v2"
	"regexp"
	"runtime"
	"strconv"
	"testing"
	"time"

	prtp "github.com/pion/rtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/hls"
	"webostrum/core/media"
	"webostrum/core/rtp"
	"webostrum/core/timeline"
	"webostrum/testkit/cutting"
	"webostrum/testkit/pictures"
)

// TestADay takes 24 hours of one feed through receiver and segmenter: the RTP
// timestamp wraps, the sequence number wraps dozens of times, the camera's
// clock drifts by 50 parts in a million, packets arrive unevenly, and some are
// lost.
func TestADay(t *testing.T) {
	if testing.Short() {
		t.Skip("takes some seconds")
	}
	for _, reports := range []bool{true, false} {
		t.Run("sender reports "+strconv.FormatBool(reports), func(t *testing.T) {
			t.Parallel()
			aDay(t, reports)
		})
	}
}

func aDay(t *testing.T, reports bool) {
	const (
		pictureEvery = 40 * time.Millisecond
		day          = 24 * longRun
		drift        = 50e-6
	)
	g, err := cutting.New(hls.Config{Run: "day", Start: noon, Wanted: 2 * time.Second, Listed: 6})
	require.NoError(t, err)
	samples := 0
	var last *media.Sample
	r := receiver(rtp.ReceiverConfig{Publish: func(s *media.Sample) {
		samples++
		// Plain comparisons: this runs two million times.
		if last != nil && last.Epoch == s.Epoch && s.DTS <= last.DTS {
			t.Fatalf("decode time %d after %d", s.DTS, last.DTS)
		}
		last = s
		if err := g.Write(s); err != nil {
			t.Fatal(err)
		}
	}})
	rnd := rand.New(rand.NewPCG(1, 2))
	idr, p := pictures.IDR(60, 1), pictures.P(30, 2)
	base := uint32(0xfff00000)
	seq := uint16(65000)
	var heap uint64
	var worst time.Duration
	var at time.Time
	lost := 0
	for i := range int(day / pictureEvery) {
		taken := time.Duration(i) * pictureEvery
		ts := base + uint32(int64(float64(taken.Microseconds())*(1+drift)*0.09))
		at = noon.Add(taken)
		arrived := at.Add(20*time.Millisecond + time.Duration(rnd.IntN(15))*time.Millisecond)
		if reports && i%125 == 0 {
			r.Report(timeline.ToNTP(at), ts, arrived)
		}
		payload := p
		if i%50 == 0 {
			payload = idr
			r.Packet(sets(seq, ts), arrived)
			seq++
		}
		if i%100_003 == 77 {
			seq++ // one in a hundred thousand is lost
			lost++
			continue
		}
		r.Packet(&prtp.Packet{Header: prtp.Header{Version: 2, SequenceNumber: seq, Timestamp: ts, Marker: true}, Payload: payload}, arrived)
		seq++
		if i%50 == 0 && i > 25*60 {
			worst = max(worst, last.Captured.Sub(at).Abs())
		}
		if i == 25*3600 {
			heap = liveHeap()
		}
	}
	stats := r.Stats()
	assert.Equal(t, uint64(lost), stats.Lost)
	assert.Zero(t, stats.Jumps, "neither wrap nor drift is a jump")
	assert.Equal(t, uint64(0), last.Epoch.Number, "one epoch all day")
	assert.Less(t, worst, 40*time.Millisecond, "capture time")
	assert.Less(t, liveHeap(), heap+4<<20, "memory grew over the day")

	text, ok := g.Media(false)
	require.True(t, ok)
	dates := regexp.MustCompile(`PROGRAM-DATE-TIME:(\S+)`).FindAllStringSubmatch(string(text.Plain), -1)
	require.Len(t, dates, 6)
	newest, err := time.Parse(time.RFC3339Nano, dates[5][1])
	require.NoError(t, err)
	assert.WithinDuration(t, at.Add(-4*time.Second), newest, 2100*time.Millisecond, "the date of the newest segment")
}

func liveHeap() uint64 {
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return m.HeapAlloc
}
