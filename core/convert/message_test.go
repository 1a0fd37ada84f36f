package convert_test

import (
	"bytes"
	"errors"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/convert"
)

var order = convert.EncodeOrder{Width: 640, Height: 360, FrameRate: 25, BitRate: 1_000_000, KeyEvery: 50}

func TestRoundTrip(t *testing.T) {
	var pipe bytes.Buffer
	c := convert.NewConn(&pipe, &pipe)
	require.NoError(t, c.WriteOrder(order))
	stamp := convert.Stamp{PTS: -5, Captured: 1764000000123456789, Key: true}
	require.NoError(t, c.WriteStamped(convert.KindPicture, stamp, []byte("raw")))
	require.NoError(t, c.Write(convert.KindFailed, []byte("no "), []byte("more")))

	kind, body, err := c.Read()
	require.NoError(t, err)
	assert.Equal(t, convert.KindEncode, kind)
	got, err := convert.ReadOrder(body)
	require.NoError(t, err)
	assert.Equal(t, order, got)

	kind, body, err = c.Read()
	require.NoError(t, err)
	assert.Equal(t, convert.KindPicture, kind)
	s, data, err := convert.ReadStamped(body)
	require.NoError(t, err)
	assert.Equal(t, stamp, s)
	assert.Equal(t, "raw", string(data))

	kind, body, err = c.Read()
	require.NoError(t, err)
	assert.Equal(t, convert.KindFailed, kind)
	assert.Equal(t, "no more", string(body))
	_, _, err = c.Read()
	assert.ErrorIs(t, err, io.EOF)
}

func TestGoldenBytes(t *testing.T) {
	var pipe bytes.Buffer
	require.NoError(t, convert.NewConn(nil, &pipe).WriteStamped(convert.KindCoded, convert.Stamp{PTS: 1, Captured: 2, Key: true}, []byte{0xaa}))
	assert.Equal(t, []byte{
		3, 0, 0, 0, // kind: coded picture
		0, 0, 0, 18, // length of the body
		0, 0, 0, 0, 0, 0, 0, 1, // PTS
		0, 0, 0, 0, 0, 0, 0, 2, // capture time
		1, // keyframe
		0xaa,
	}, pipe.Bytes())
}

func TestHostileBytes(t *testing.T) {
	read := func(b ...byte) error {
		_, _, err := convert.NewConn(bytes.NewReader(b), nil).Read()
		return err
	}
	assert.ErrorIs(t, read(1, 0, 0, 0, 0xff, 0xff, 0xff, 0xff), convert.ErrMalformed, "four gigabytes")
	assert.ErrorIs(t, read(1, 0, 0, 0, 0, 0, 0, 9, 1), io.ErrUnexpectedEOF)
	assert.ErrorIs(t, read(1, 0, 0), io.ErrUnexpectedEOF)
	_, _, err := convert.ReadStamped(make([]byte, 16))
	assert.ErrorIs(t, err, convert.ErrMalformed)
	_, err = convert.ReadOrder([]byte("{"))
	assert.ErrorIs(t, err, convert.ErrMalformed)
}

func TestOrdersThatCannotBeDone(t *testing.T) {
	require.NoError(t, order.Validate())
	assert.Equal(t, 640*360*3/2, order.PictureSize())
	for name, change := range map[string]func(*convert.EncodeOrder){
		"odd width":        func(o *convert.EncodeOrder) { o.Width = 641 },
		"odd height":       func(o *convert.EncodeOrder) { o.Height = 361 },
		"too small":        func(o *convert.EncodeOrder) { o.Width = 8 },
		"too large":        func(o *convert.EncodeOrder) { o.Height = 4000 },
		"no rate":          func(o *convert.EncodeOrder) { o.FrameRate = 0 },
		"no bits":          func(o *convert.EncodeOrder) { o.BitRate = 0 },
		"no keyframes":     func(o *convert.EncodeOrder) { o.KeyEvery = 0 },
		"absurdly fast":    func(o *convert.EncodeOrder) { o.FrameRate = 1e9 },
		"absurdly many":    func(o *convert.EncodeOrder) { o.BitRate = 1 << 40 },
		"negative numbers": func(o *convert.EncodeOrder) { o.Width = -640 },
	} {
		o := order
		change(&o)
		assert.Error(t, o.Validate(), name)
	}
	o := order
	o.Width = 533
	assert.ErrorContains(t, o.Validate(), "532x360 can", "says what can be done instead")
}

func FuzzRead(f *testing.F) {
	f.Add([]byte{3, 0, 0, 0, 0, 0, 0, 18, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 2, 1, 0xaa})
	f.Fuzz(func(t *testing.T, data []byte) {
		c := convert.NewConn(bytes.NewReader(data), nil)
		for {
			_, body, err := c.Read()
			if err != nil {
				if !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) && !errors.Is(err, convert.ErrMalformed) {
					t.Fatal(err)
				}
				return
			}
			if len(body) > len(data) {
				t.Fatal("more came out than went in")
			}
			_, _, _ = convert.ReadStamped(body)
		}
	})
}
