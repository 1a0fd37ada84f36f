package rtmp_test

import (
	"bytes"
	"errors"
	"io"
	"net"
	"slices"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/rtmp"
)

func all(t *testing.T, r io.Reader) (list []rtmp.Message, err error) {
	t.Helper()
	in := rtmp.NewReader(r)
	for {
		m, err := in.Next()
		if err != nil {
			return list, err
		}
		m.Data = slices.Clone(m.Data) // which is good until the next call
		list = append(list, *m)
	}
}

func TestRoundTrip(t *testing.T) {
	messages := []rtmp.Message{
		{Kind: rtmp.KindCommand, Data: []byte("hello")},
		{Kind: rtmp.KindVideo, Stream: 1, Time: 40, Data: slices.Repeat([]byte("picture"), 3000)},
		{Kind: rtmp.KindAudio, Stream: 1, Time: 0xffffffff, Data: slices.Repeat([]byte{7}, 500)},
		{Kind: rtmp.KindVideo, Stream: 1, Time: 0x1000000, Data: []byte{1}},
	}
	for _, chunks := range []int{1, 128, 4096, 1 << 20} {
		b := rtmp.Append(nil, rtmp.ControlChunks, rtmp.Number(rtmp.KindChunkSize, uint32(chunks)), 128)
		for i, m := range messages {
			b = rtmp.Append(b, byte(3+i), &m, chunks)
		}
		for name, r := range map[string]io.Reader{"at once": bytes.NewReader(b), "by bytes": iotest.OneByteReader(bytes.NewReader(b))} {
			got, err := all(t, r)
			assert.ErrorIs(t, err, io.EOF)
			assert.Equal(t, messages, got, "chunks of %d, %s", chunks, name)
		}
		for at := range b[:min(len(b), 400)] {
			_, err := all(t, bytes.NewReader(b[:at]))
			assert.True(t, errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF), "cut at %d: %v", at, err)
		}
	}
}

// TestHeaders reads chunks that were written by hand after 5.3.1 of the specification.
func TestHeaders(t *testing.T) {
	b := []byte{
		0x04, 0, 0, 100, 0, 0, 2, 8, 1, 0, 0, 0, 'a', 'b', // type 0, chunk stream 4: time 100, 2 bytes, audio, stream 1
		0x44, 0, 0, 20, 0, 0, 1, 9, 'c', // type 1: 20 later, 1 byte, video
		0x84, 0, 0, 30, 'd', // type 2: 30 later
		0xc4, 'e', // type 3: the same step again
		0x00, 6, 0xff, 0xff, 0xff, 0, 0, 1, 8, 0, 0, 0, 0, 1, 0, 0, 0, 'f', // chunk stream 70, time 0x1000000
		0x41, 1, 1, 0xff, 0xff, 0xff, 0, 0, 1, 8, 0, 0, 0, 5, 'g', // type 1 on a stream that is new: 5 on from zero
	}
	got, err := all(t, bytes.NewReader(b))
	assert.ErrorIs(t, err, io.EOF)
	var times []uint32
	var text []byte
	for _, m := range got {
		times = append(times, m.Time)
		text = append(text, m.Data...)
	}
	assert.Equal(t, []uint32{100, 120, 150, 180, 0x1000000, 5}, times)
	assert.Equal(t, "abcdefg", string(text))
	assert.Equal(t, uint32(1), got[3].Stream)
	assert.Equal(t, rtmp.KindVideo, got[3].Kind)
}

func TestInterleavedAndAborted(t *testing.T) {
	long := slices.Repeat([]byte{9}, 200)
	video := rtmp.Append(nil, 6, &rtmp.Message{Kind: rtmp.KindVideo, Data: long}, 128)
	audio := rtmp.Append(nil, 4, &rtmp.Message{Kind: rtmp.KindAudio, Data: []byte("x")}, 128)
	first := video[:12+128]
	got, err := all(t, bytes.NewReader(slices.Concat(first, audio, video[len(first):])))
	assert.ErrorIs(t, err, io.EOF)
	require.Len(t, got, 2)
	assert.Equal(t, "x", string(got[0].Data))
	assert.Equal(t, long, got[1].Data)

	abort := rtmp.Append(nil, rtmp.ControlChunks, rtmp.Number(rtmp.KindAbort, 6), 128)
	got, err = all(t, bytes.NewReader(slices.Concat(first, abort, video)))
	assert.ErrorIs(t, err, io.EOF)
	require.Len(t, got, 1)
	assert.Equal(t, long, got[0].Data)
}

// TestExtendedTimeIsNotRepeated is of senders that leave it out where a message goes on.
func TestExtendedTimeIsNotRepeated(t *testing.T) {
	data := slices.Repeat([]byte{9}, 200)
	b := rtmp.Append(nil, 6, &rtmp.Message{Kind: rtmp.KindVideo, Time: 0x2000000, Data: data}, 128)
	const second = 12 + 4 + 128 + 1 // behind the head of the second chunk
	got, _ := all(t, bytes.NewReader(slices.Concat(b[:second], b[second+4:])))
	require.Len(t, got, 1)
	assert.Equal(t, data, got[0].Data)
}

func TestHostile(t *testing.T) {
	huge := []byte{0x06, 0, 0, 0, 0xff, 0xff, 0xff, 9, 1, 0, 0, 0} // 16 MiB are announced
	for name, b := range map[string][]byte{
		"message of 16 MiB":        append(slices.Clone(huge), 1, 2, 3),
		"chunks of no bytes":       rtmp.Append(nil, 2, rtmp.Number(rtmp.KindChunkSize, 0), 128),
		"chunks of 2 GiB and 1":    rtmp.Append(nil, 2, rtmp.Number(rtmp.KindChunkSize, 1<<31), 128),
		"type 3 with no other":     {0xc5},
		"one begun within another": slices.Concat([]byte{0x06, 0, 0, 0, 0, 1, 0, 9, 1, 0, 0, 0}, make([]byte, 128), huge),
	} {
		_, err := all(t, bytes.NewReader(b))
		assert.ErrorIs(t, err, rtmp.ErrMalformed, name)
	}
	var many []byte
	for id := range 40 {
		many = rtmp.Append(many, byte(3+id), &rtmp.Message{Kind: rtmp.KindAudio, Data: []byte{1}}, 128)
	}
	got, err := all(t, bytes.NewReader(many))
	assert.ErrorIs(t, err, rtmp.ErrMalformed)
	assert.Len(t, got, 32, "chunk streams are bounded")
}

func TestHandshake(t *testing.T) {
	a, b := net.Pipe()
	defer func() { _, _ = a.Close(), b.Close() }()
	served := make(chan error, 1)
	go func() { served <- rtmp.Accept(b, []byte("server")) }()
	require.NoError(t, rtmp.Greet(a, []byte("client")))
	require.NoError(t, <-served)

	err := rtmp.Accept(struct {
		io.Reader
		io.Writer
	}{io.MultiReader(bytes.NewReader([]byte{6}), bytes.NewReader(make([]byte, 4000))), io.Discard}, nil)
	assert.ErrorIs(t, err, rtmp.ErrMalformed)
}

func FuzzReader(f *testing.F) {
	f.Add(rtmp.Append(rtmp.Append(nil, 2, rtmp.Number(rtmp.KindChunkSize, 64), 128), 6, &rtmp.Message{Kind: rtmp.KindVideo, Data: make([]byte, 300)}, 64))
	f.Fuzz(func(t *testing.T, b []byte) {
		got, err := all(t, bytes.NewReader(b))
		total := 0
		for _, m := range got {
			total += len(m.Data)
		}
		if total > len(b) || err == nil {
			t.Fatalf("%d bytes out of %d, %v", total, len(b), err)
		}
	})
}
