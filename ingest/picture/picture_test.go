package picture_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/ingest/picture"
	"webostrum/ingest/source"
)

func TestStamp(t *testing.T) {
	want := time.Date(2026, 6, 1, 12, 0, 0, 250e6, time.UTC)
	for _, text := range []string{
		"X-Timestamp: 1780315200.250000\r\n", "Content-Type: image/jpeg\r\nx-timestamp: 1780315200250\r\n",
		"X-Time-Stamp:1780315200250000\n", "X-TimeStamp: 2026-06-01T12:00:00.25Z\r\n", "--cut\r\nTimestamp: 1780315200.25\r\n\r\n",
	} {
		assert.WithinDuration(t, want, picture.Stamp([]byte(text)), time.Millisecond, text)
	}
	for _, text := range []string{"", "X-Timestamp:", "X-Timestamp: soon", "X-Timestamp: -5", "X-Timestamp: NaN", "X-Timestamp: 1e300", "X-Time: 1780315200"} {
		assert.Zero(t, picture.Stamp([]byte(text)), text)
	}
}

func TestPicturesWithoutSenseAreLeftOutForAWhile(t *testing.T) {
	p := picture.New(source.Config{Publish: func(*media.Sample) { t.Error("published") }, Started: func(source.Session) {}}, "stream")
	var err error
	n := 0
	for ; err == nil && n < 100; n++ {
		_, err = p.Take([]byte("\xff\xd8\xff\xd9"), time.Now(), time.Time{})
	}
	assert.Equal(t, fault.NoPicture, fault.As(err).Kind.Code)
	assert.Equal(t, 16, n)
	assert.EqualValues(t, n, p.Facts().Stats.Dropped)
}

func FuzzStamp(f *testing.F) {
	f.Add([]byte("X-Timestamp: 1780315200.25\r\n"))
	f.Add([]byte("--cut\nx-timestamp:2026-06-01T12:00:00Z"))
	f.Fuzz(func(t *testing.T, headers []byte) {
		if at := picture.Stamp(headers); !at.IsZero() && (at.Year() < 0 || at.Year() > 9999) {
			t.Errorf("%v", at)
		}
	})
}
