package codecs_test

import (
	"bytes"
	"io"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/codecs"
	"webostrum/core/convert"
	"webostrum/core/h264"
)

// work runs the worker on orders and returns what it sent.
func work(t *testing.T, send func(*convert.Conn)) (*convert.Conn, error) {
	t.Helper()
	var in, out bytes.Buffer
	send(convert.NewConn(nil, &in))
	err := codecs.Serve(&in, &out)
	return convert.NewConn(&out, nil), err
}

// grey is a picture whose luma is one value.
func grey(o convert.EncodeOrder, luma byte) []byte {
	b := bytes.Repeat([]byte{128}, o.PictureSize())
	for i := range o.Width * o.Height {
		b[i] = luma + byte(i%13)
	}
	return b
}

func TestEncodes(t *testing.T) {
	o := convert.EncodeOrder{Width: 320, Height: 240, FrameRate: 25, BitRate: 500_000, KeyEvery: 5}
	const pictures = 12
	conn, err := work(t, func(c *convert.Conn) {
		require.NoError(t, c.WriteOrder(o))
		for i := range int64(pictures) {
			s := convert.Stamp{PTS: i * 3600, Captured: time.Unix(1, 0).Add(time.Duration(i) * 40 * time.Millisecond).UnixNano(), Key: i == 7}
			require.NoError(t, c.WriteStamped(convert.KindPicture, s, grey(o, byte(40+i))))
		}
	})
	require.NoError(t, err)
	var keys []int64
	for i := range int64(pictures) {
		kind, body, err := conn.Read()
		require.NoError(t, err)
		require.Equal(t, convert.KindCoded, kind)
		s, data, err := convert.ReadStamped(body)
		require.NoError(t, err)
		assert.Equal(t, i*3600, s.PTS, "no reordering, no delay")
		if s.Key {
			keys = append(keys, i)
			look(t, data)
		}
	}
	assert.Contains(t, keys, int64(0))
	assert.Contains(t, keys, int64(7), "one was asked for")
	assert.GreaterOrEqual(t, len(keys), 3)
	_, _, err = conn.Read()
	assert.ErrorIs(t, err, io.EOF)
}

// look checks a keyframe: parameter sets of the right size in front of it.
func look(t *testing.T, data []byte) {
	t.Helper()
	var kinds []h264.NALType
	for nal := range h264.NALs(data) {
		kinds = append(kinds, h264.TypeOf(nal))
		if h264.TypeOf(nal) == h264.NALSPS {
			sps, err := h264.ParseSPS(nal)
			require.NoError(t, err)
			assert.Equal(t, [2]int{320, 240}, [2]int{sps.Width, sps.Height})
			assert.Equal(t, "Constrained Baseline", sps.ProfileName())
			assert.Zero(t, sps.Reorder)
			assert.False(t, sps.FullRange)
		}
	}
	assert.Equal(t, []h264.NALType{h264.NALSPS, h264.NALPPS, h264.NALIDR}, kinds)
}

func TestTellsWhyItEnds(t *testing.T) {
	good := convert.EncodeOrder{Width: 320, Height: 240, FrameRate: 25, BitRate: 500_000, KeyEvery: 5}
	odd := good
	odd.Width = 321
	for name, send := range map[string]func(*convert.Conn){
		"picture before any order": func(c *convert.Conn) { _ = c.WriteStamped(convert.KindPicture, convert.Stamp{}, []byte{1}) },
		"odd size":                 func(c *convert.Conn) { _ = c.WriteOrder(odd) },
		"picture too short": func(c *convert.Conn) {
			_ = c.WriteOrder(good)
			_ = c.WriteStamped(convert.KindPicture, convert.Stamp{}, []byte{1})
		},
		"unknown message":       func(c *convert.Conn) { _ = c.Write(convert.Kind(77)) },
		"order that is no JSON": func(c *convert.Conn) { _ = c.Write(convert.KindEncode, []byte("{")) },
	} {
		conn, err := work(t, send)
		require.Error(t, err, name)
		kind, body, readErr := conn.Read()
		require.NoError(t, readErr, name)
		assert.Equal(t, convert.KindFailed, kind, name)
		assert.Equal(t, err.Error(), string(body), name)
	}
}

func TestNewOrderReplacesTheEncoder(t *testing.T) {
	a := convert.EncodeOrder{Width: 320, Height: 240, FrameRate: 25, BitRate: 500_000, KeyEvery: 50}
	b := a
	b.Width, b.Height = 64, 48
	conn, err := work(t, func(c *convert.Conn) {
		for _, o := range []convert.EncodeOrder{a, b} {
			require.NoError(t, c.WriteOrder(o))
			require.NoError(t, c.WriteStamped(convert.KindPicture, convert.Stamp{Captured: 1}, grey(o, 90)))
		}
	})
	require.NoError(t, err)
	for range 2 {
		_, body, err := conn.Read()
		require.NoError(t, err)
		s, _, err := convert.ReadStamped(body)
		require.NoError(t, err)
		assert.True(t, s.Key, "each encoder begins with a keyframe")
	}
}

func TestManyWorkersAtOnce(t *testing.T) {
	o := convert.EncodeOrder{Width: 64, Height: 48, FrameRate: 25, BitRate: 100_000, KeyEvery: 5}
	var wg sync.WaitGroup
	for range 4 {
		wg.Go(func() {
			_, err := work(t, func(c *convert.Conn) {
				_ = c.WriteOrder(o)
				for i := range int64(20) {
					_ = c.WriteStamped(convert.KindPicture, convert.Stamp{Captured: i + 1}, grey(o, byte(i)))
				}
			})
			assert.NoError(t, err)
		})
	}
	wg.Wait()
}
