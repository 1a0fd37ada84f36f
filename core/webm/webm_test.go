package webm_test

import (
	"encoding/binary"
	"errors"
	"io"
	"math"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/webm"
)

// element is one of EBML, as read: its ID with the marker, and its content.
type element struct {
	id   uint32
	body []byte
}

// elements reads what stands in b, one level deep.
func elements(t *testing.T, b []byte) (list []element) {
	t.Helper()
	for len(b) > 0 {
		idLen := 1
		for mask := byte(0x80); mask != 0 && b[0]&mask == 0; mask >>= 1 {
			idLen++
		}
		id := uint32(0)
		for _, x := range b[:idLen] {
			id = id<<8 | uint32(x)
		}
		b = b[idLen:]
		sizeLen := 1
		mask := byte(0x80)
		for ; b[0]&mask == 0; mask >>= 1 {
			sizeLen++
		}
		size := uint64(b[0] &^ mask)
		for _, x := range b[1:sizeLen] {
			size = size<<8 | uint64(x)
		}
		b = b[sizeLen:]
		require.LessOrEqual(t, size, uint64(len(b)), "element %x", id)
		list = append(list, element{id, b[:size]})
		b = b[size:]
	}
	return list
}

func find(t *testing.T, b []byte, path ...uint32) []byte {
	t.Helper()
	for _, id := range path {
		found := false
		for _, e := range elements(t, b) {
			if e.id == id {
				b, found = e.body, true
				break
			}
		}
		require.True(t, found, "no element %x", id)
	}
	return b
}

// write makes a film of frames of 40 ms with a keyframe each four.
func write(t *testing.T, frames int) []byte {
	t.Helper()
	f, err := os.Create(filepath.Join(t.TempDir(), "film.webm"))
	require.NoError(t, err)
	defer func() { _ = f.Close() }()
	w := webm.New(f, 640, 360)
	for n := range frames {
		w.Frame([]byte{byte(n), 1, 2, 3}, time.Duration(n)*40*time.Millisecond, n%4 == 0)
	}
	require.NoError(t, w.Close(time.Duration(frames)*40*time.Millisecond))
	_, err = f.Seek(0, io.SeekStart)
	require.NoError(t, err)
	data, err := io.ReadAll(f)
	require.NoError(t, err)
	return data
}

func TestAFilm(t *testing.T) {
	data := write(t, 10)
	top := elements(t, data)
	require.Len(t, top, 2, "the head and one segment, whose size was written over")
	assert.EqualValues(t, 0x1A45DFA3, top[0].id)
	assert.Equal(t, "webm", string(find(t, top[0].body, 0x4282)))
	segment := top[1].body
	assert.Equal(t, 400.0, math.Float64frombits(binary.BigEndian.Uint64(find(t, segment, 0x1549A966, 0x4489))), "milliseconds")
	track := find(t, segment, 0x1654AE6B, 0xAE)
	assert.Equal(t, "V_VP9", string(find(t, track, 0x86)))
	assert.Equal(t, []byte{0x02, 0x80}, find(t, track, 0xE0, 0xB0))
	assert.Equal(t, []byte{0x01, 0x68}, find(t, track, 0xE0, 0xBA))

	var clusters []element
	for _, e := range elements(t, segment) {
		if e.id == 0x1F43B675 {
			clusters = append(clusters, e)
		}
	}
	require.Len(t, clusters, 3, "one begins with each keyframe")
	second := elements(t, clusters[1].body)
	assert.Equal(t, element{0xE7, []byte{160}}, second[0], "its time")
	assert.Equal(t, element{0xA3, []byte{0x81, 0, 0, 0x80, 4, 1, 2, 3}}, second[1], "a keyframe")
	assert.Equal(t, element{0xA3, []byte{0x81, 0, 40, 0, 5, 1, 2, 3}}, second[2], "40 ms later, no keyframe")

	cues := elements(t, find(t, segment, 0x1C53BB6B))
	require.Len(t, cues, 3)
	offset := find(t, cues[1].body, 0xB7, 0xF1)
	at := 0
	for _, b := range offset {
		at = at<<8 | int(b)
	}
	assert.Equal(t, []byte{0x1F, 0x43, 0xB6, 0x75}, segment[at:at+4], "it leads to a cluster")
}

func TestFramesInTheirOrder(t *testing.T) {
	for name, frames := range map[string][]time.Duration{"twice the same": {0, 0}, "backward": {80 * time.Millisecond, 0}} {
		f, err := os.Create(filepath.Join(t.TempDir(), "film.webm"))
		require.NoError(t, err)
		w := webm.New(f, 2, 2)
		for _, at := range frames {
			w.Frame([]byte{1}, at, true)
		}
		assert.ErrorIs(t, w.Close(0), webm.ErrOrder, name)
		_ = f.Close()
	}
	f, err := os.Create(filepath.Join(t.TempDir(), "film.webm"))
	require.NoError(t, err)
	defer func() { _ = f.Close() }()
	w := webm.New(f, 2, 2)
	w.Frame([]byte{1}, 0, false)
	assert.ErrorIs(t, w.Close(0), webm.ErrOrder, "it begins with a keyframe")
}

// fullDisk takes some bytes.
type fullDisk struct{ left int }

var errFull = errors.New("full")

func (d *fullDisk) Write(p []byte) (int, error) {
	if d.left -= len(p); d.left < 0 {
		return 0, errFull
	}
	return len(p), nil
}
func (d *fullDisk) Seek(int64, int) (int64, error) { return 0, nil }

func TestADiskThatIsFull(t *testing.T) {
	w := webm.New(&fullDisk{300}, 640, 360)
	for n := range 100 {
		w.Frame(make([]byte, 50), time.Duration(n)*time.Second, true)
	}
	assert.ErrorIs(t, w.Close(time.Minute), errFull)
}
