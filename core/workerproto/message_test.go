package workerproto_test

import (
	"bytes"
	"errors"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/media"
	"webostrum/core/workerproto"
)

func TestRoundTrip(t *testing.T) {
	var pipe bytes.Buffer
	c := workerproto.NewConn(&pipe, &pipe)
	in := workerproto.Input{Codec: media.H264, Width: 640, Height: 360, Colour: workerproto.ColourJPEG, Sets: [][]byte{{0x67}}}
	require.NoError(t, c.WriteJSON(workerproto.KindInput, in))
	stamp := workerproto.Stamp{Output: 7, PTS: -5, Captured: 1764000000123456789, Key: true, Late: true, Cut: true}
	require.NoError(t, c.WriteStamped(workerproto.KindFrame, stamp, []byte("raw")))
	require.NoError(t, c.Write(workerproto.KindFailed, []byte("no "), []byte("more")))

	kind, body, err := c.Read()
	require.NoError(t, err)
	assert.Equal(t, workerproto.KindInput, kind)
	var got workerproto.Input
	require.NoError(t, workerproto.ReadJSON(body, &got))
	assert.Equal(t, in, got)

	kind, body, err = c.Read()
	require.NoError(t, err)
	assert.Equal(t, workerproto.KindFrame, kind)
	s, data, err := workerproto.ReadStamped(body)
	require.NoError(t, err)
	assert.Equal(t, stamp, s)
	assert.Equal(t, "raw", string(data))

	kind, body, err = c.Read()
	require.NoError(t, err)
	assert.Equal(t, workerproto.KindFailed, kind)
	assert.Equal(t, "no more", string(body))
	_, _, err = c.Read()
	assert.ErrorIs(t, err, io.EOF)
}

func TestGoldenBytes(t *testing.T) {
	var pipe bytes.Buffer
	require.NoError(t, workerproto.NewConn(nil, &pipe).WriteStamped(workerproto.KindCoded, workerproto.Stamp{Output: 7, PTS: 1, Captured: 2, Key: true, Late: true}, []byte{0xaa}))
	assert.Equal(t, []byte{
		7, 0, 0, 0, // kind: coded frame
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
		_, _, err := workerproto.NewConn(bytes.NewReader(b), nil).Read()
		return err
	}
	assert.ErrorIs(t, read(1, 0, 0, 0, 0xff, 0xff, 0xff, 0xff), workerproto.ErrMalformed, "four gigabytes")
	assert.ErrorIs(t, read(1, 0, 0, 0, 0, 0, 0, 9, 1), io.ErrUnexpectedEOF)
	assert.ErrorIs(t, read(1, 0, 0), io.ErrUnexpectedEOF)
	_, _, err := workerproto.ReadStamped(make([]byte, 16))
	assert.ErrorIs(t, err, workerproto.ErrMalformed)
	assert.ErrorIs(t, workerproto.ReadJSON([]byte("{"), &workerproto.Input{}), workerproto.ErrMalformed)
}

func TestInputsThatCannotBe(t *testing.T) {
	good := workerproto.Input{Codec: media.JPEG, Width: 640, Height: 361}
	require.NoError(t, good.Validate())
	assert.Equal(t, 640*361+2*320*181, workerproto.RawSize(640, 361))
	for name, change := range map[string]func(*workerproto.Input){
		"codec":          func(i *workerproto.Input) { i.Codec = media.H265 },
		"no sets":        func(i *workerproto.Input) { i.Codec = media.H264 },
		"negative":       func(i *workerproto.Input) { i.Width = -640 },
		"no height":      func(i *workerproto.Input) { i.Height = 0 },
		"absurdly large": func(i *workerproto.Input) { i.Width = 1 << 30 },
	} {
		in := good
		change(&in)
		assert.ErrorIs(t, in.Validate(), workerproto.ErrMalformed, name)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte{7, 0, 0, 0, 0, 0, 0, 22, 0, 0, 0, 7, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 2, 1, 0xaa})
	f.Fuzz(func(t *testing.T, data []byte) {
		c := workerproto.NewConn(bytes.NewReader(data), nil)
		for {
			_, body, err := c.Read()
			if err != nil {
				if !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) && !errors.Is(err, workerproto.ErrMalformed) {
					t.Fatal(err)
				}
				return
			}
			if len(body) > len(data) {
				t.Fatal("more came out than went in")
			}
			_, _, _ = workerproto.ReadStamped(body)
		}
	})
}
