package convert_test

import (
	"bytes"
	"errors"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/convert"
	"webostrum/core/media"
)

func TestRoundTrip(t *testing.T) {
	var pipe bytes.Buffer
	c := convert.NewConn(&pipe, &pipe)
	in := convert.Input{Codec: media.H264, Width: 640, Height: 360, Colour: convert.ColourJPEG, Sets: &media.ParameterSets{SPS: []byte{0x67}}}
	require.NoError(t, c.WriteJSON(convert.KindInput, in))
	stamp := convert.Stamp{Output: 7, PTS: -5, Captured: 1764000000123456789, Key: true, Late: true}
	require.NoError(t, c.WriteStamped(convert.KindPicture, stamp, []byte("raw")))
	require.NoError(t, c.Write(convert.KindFailed, []byte("no "), []byte("more")))

	kind, body, err := c.Read()
	require.NoError(t, err)
	assert.Equal(t, convert.KindInput, kind)
	var got convert.Input
	require.NoError(t, convert.ReadJSON(body, &got))
	assert.Equal(t, in, got)

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
	require.NoError(t, convert.NewConn(nil, &pipe).WriteStamped(convert.KindCoded, convert.Stamp{Output: 7, PTS: 1, Captured: 2, Key: true, Late: true}, []byte{0xaa}))
	assert.Equal(t, []byte{
		7, 0, 0, 0, // kind: coded picture
		0, 0, 0, 22, // length of the body
		0, 0, 0, 7, // output
		0, 0, 0, 0, 0, 0, 0, 1, // PTS
		0, 0, 0, 0, 0, 0, 0, 2, // capture time
		3, // keyframe, late
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
	assert.ErrorIs(t, convert.ReadJSON([]byte("{"), &convert.Input{}), convert.ErrMalformed)
}

func TestInputsThatCannotBe(t *testing.T) {
	good := convert.Input{Codec: media.JPEG, Width: 640, Height: 361}
	require.NoError(t, good.Validate())
	assert.Equal(t, 640*361+2*320*181, convert.RawSize(640, 361))
	for name, change := range map[string]func(*convert.Input){
		"codec":          func(i *convert.Input) { i.Codec = media.H265 },
		"no sets":        func(i *convert.Input) { i.Codec = media.H264 },
		"negative":       func(i *convert.Input) { i.Width = -640 },
		"no height":      func(i *convert.Input) { i.Height = 0 },
		"absurdly large": func(i *convert.Input) { i.Width = 1 << 30 },
	} {
		in := good
		change(&in)
		assert.ErrorIs(t, in.Validate(), convert.ErrMalformed, name)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte{7, 0, 0, 0, 0, 0, 0, 22, 0, 0, 0, 7, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 2, 1, 0xaa})
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
