package pipe_test

import (
	"bytes"
	"context"
	"image/color"
	"io"
	"slices"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/aac"
	"webostrum/core/fault"
	"webostrum/core/fmp4"
	"webostrum/core/media"
	"webostrum/core/nalu"
	"webostrum/ingest/pipe"
	"webostrum/sim/reel"
	"webostrum/testkit/desk"
	"webostrum/testkit/film"
	"webostrum/testkit/pictures"
)

// play has a stream received to its end.
func play(t *testing.T, r io.Reader) (desk.Kept, error) {
	t.Helper()
	d := &desk.Desk{}
	d.Key = "right"
	place, err := d.Admit(t.Context(), request)
	require.NoError(t, err)
	err = place.Run(context.Background(), pipe.Play(r, pipe.From{Address: "192.0.2.9:1", Agent: "A test"}))
	return d.Kept(), err
}

func codeOf(err error) fault.Code { return fault.As(err).Kind.Code }

// byteStream is the film of H.265 behind start codes.
func byteStream() []byte {
	frames, config := reel.Load()
	var b []byte
	for _, f := range frames[:60] {
		if f.Key {
			for _, set := range config.Sets {
				b = nalu.AppendStart(b, set)
			}
		}
		for u := range nalu.Units(f.Data) {
			b = nalu.AppendStart(b, u)
		}
	}
	return b
}

func h264Stream(frames int) []byte {
	var b []byte
	for i := range frames {
		if i%10 == 0 {
			b = nalu.AppendStart(nalu.AppendStart(b, pictures.SPS), pictures.PPS)
			b = nalu.AppendStart(nalu.AppendStart(b, pictures.IDR(900, byte(i))), pictures.More(200, byte(i)))
			continue
		}
		b = nalu.AppendStart(b, pictures.P(300, byte(i)))
	}
	return b
}

// mp4 is a film in fragments of one frame each.
func mp4(t *testing.T, frames int) []byte {
	t.Helper()
	video := *pictures.Track(pictures.SPS)
	audio, ticks, err := aac.Track(aac.LC(48000, 2))
	require.NoError(t, err)
	b, err := fmp4.Init([]*media.Track{&video, audio})
	require.NoError(t, err)
	for i := range int64(frames) {
		runs := []fmp4.Run{
			{Track: &video, Begin: i * 3600, Durations: []uint32{3600}, Samples: []*media.Sample{{Track: &video, DTS: i * 3600, PTS: i * 3600, Key: true, Data: pictures.Data(pictures.IDR(500, byte(i)))}}},
			{Track: audio, Begin: i * ticks, Durations: []uint32{uint32(ticks)}, Samples: []*media.Sample{{Track: audio, DTS: i * ticks, PTS: i * ticks, Key: true, Length: ticks, Data: []byte{1, 2, byte(i)}}}},
		}
		b = append(b, slices.Concat(fmp4.Fragment(uint32(i+1), runs)...)...)
	}
	return b
}

func jpegs(n int) (b []byte) {
	for range n {
		b = append(b, pictures.JPEG(64, 48, color.RGBA{200, 20, 20, 255})...)
	}
	return b
}

// parts are pictures in a multipart body, each larger than what is looked at.
func parts(n int) (b []byte) {
	for range n {
		picture := pictures.JPEG(64, 48, color.RGBA{20, 200, 20, 255})
		b = append(b, "--next\r\nContent-Type: image/jpeg\r\n\r\n"...)
		b = append(b, picture[:2]...)
		for range 2 { // comments (ISO/IEC 10918-1, B.2.4.5)
			b = append(append(b, 0xff, 0xfe, 0xff, 0xf0), make([]byte, 0xffee)...)
		}
		b = append(append(b, picture[2:]...), "\r\n"...)
	}
	return b
}

func TestFormats(t *testing.T) {
	for name, tt := range map[string]struct {
		stream []byte
		codec  media.Codec
		frames int
		audio  int
	}{
		"transport stream": {film.New(30, true).Stream(0), media.H264, 30, 30},
		"H.264":            {h264Stream(30), media.H264, 30, 0},
		"H.265":            {byteStream(), media.H265, 60, 0},
		"Motion JPEG":      {jpegs(5), media.JPEG, 5, 0},
		"fragmented MP4":   {mp4(t, 20), media.H264, 20, 20},
	} {
		for way, r := range map[string]io.Reader{"whole": bytes.NewReader(tt.stream), "in halves": iotest.HalfReader(bytes.NewReader(tt.stream))} {
			k, err := play(t, r)
			assert.Equal(t, fault.PublisherLeft, codeOf(err), "%s, %s: %v", name, way, err)
			require.Len(t, k.Video, tt.frames, "%s, %s", name, way)
			assert.Len(t, k.Audio, tt.audio, name)
			assert.Equal(t, tt.codec, k.Video[0].Track.Codec, name)
			assert.True(t, k.Video[0].Key)
			f := k.Session.Facts()
			assert.Equal(t, []string{"pipe", "192.0.2.9:1", "A test"}, []string{f.Transport, f.From, f.Server}, name)
		}
	}
}

func TestFragmentsKeepTheirTimes(t *testing.T) {
	k, _ := play(t, bytes.NewReader(mp4(t, 10)))
	for i, s := range k.Video {
		assert.Equal(t, int64(i)*3600, s.PTS)
		assert.Equal(t, pictures.Data(pictures.IDR(500, byte(i))), s.Data)
	}
	assert.Equal(t, int64(1024), k.Audio[1].PTS)
	assert.Equal(t, []byte{1, 2, 1}, k.Audio[1].Data)
}

func TestWhatCannotBeUsed(t *testing.T) {
	fragment := mp4(t, 1)
	moov := bytes.Index(fragment, []byte("moof")) - 4
	for name, tt := range map[string]struct {
		stream string
		want   fault.Code
	}{
		"nothing":                           {"", fault.PublisherLeft},
		"text":                              {strings.Repeat("some text\n", 100), fault.PublisherGarbled},
		"a byte stream without sets":        {string(nalu.AppendStart(nil, pictures.P(900, 1))), fault.PublisherKeyframe},
		"fragments without a head":          {"\x00\x00\x00\x10styp\x00\x00\x00\x00\x00\x00\x00\x00" + string(fragment[moov:]), fault.PublisherGarbled},
		"a box of 4 GiB":                    {"\x00\x00\x00\x08ftyp\xff\xff\xff\xffmoov" + strings.Repeat("x", 300), fault.PublisherGarbled},
		"MP4 that is cut":                   {string(fragment[:len(fragment)-3]), fault.PublisherLeft},
		"no transport stream after a while": {string(append(film.New(1, false).Stream(0)[:400], make([]byte, 3000)...)), fault.PublisherLeft},
	} {
		k, err := play(t, strings.NewReader(tt.stream))
		assert.Equal(t, tt.want, codeOf(err), "%s: %v", name, err)
		assert.Empty(t, k.Audio, name)
	}
}

func FuzzPlay(f *testing.F) {
	f.Add(h264Stream(3))
	f.Add(jpegs(2))
	f.Add(film.New(2, true).Stream(0))
	f.Fuzz(func(t *testing.T, b []byte) {
		k, err := play(t, bytes.NewReader(b))
		if err == nil {
			t.Fatal("a stream that ends says so")
		}
		total := 0
		for _, s := range k.Video {
			total += len(s.Data)
		}
		if total > 3*len(b)+4096 {
			t.Fatalf("%d bytes of %d", total, len(b))
		}
	})
}

// slowly reads less than a packet at a time.
type slowly struct{ io.Reader }

// Read implements io.Reader.
func (s slowly) Read(b []byte) (int, error) { return s.Reader.Read(b[:min(len(b), 150)]) }

// TestJoinedInTheMiddle begins with what another service was sent the beginning of.
func TestJoinedInTheMiddle(t *testing.T) {
	long := nalu.AppendStart(nil, pictures.P(3000, 1))
	for range 100 { // 300 kB before the next parameter sets
		long = nalu.AppendStart(long, pictures.P(3000, 1))
	}
	for name, tt := range map[string]struct {
		stream []byte
		codec  media.Codec
		frames int // at least
	}{
		"transport stream": {film.New(60, true).Stream(0), media.H264, 20},
		"H.264":            {h264Stream(40), media.H264, 30},
		"H.264, long":      {append(long, h264Stream(20)...), media.H264, 20},
		"H.265":            {byteStream(), media.H265, 30},
		"Motion JPEG":      {jpegs(9), media.JPEG, 5},
		"JPEG in parts":    {parts(5), media.JPEG, 4},
	} {
		for _, at := range []int{1, 100, 331} {
			k, err := play(t, slowly{bytes.NewReader(tt.stream[at:])})
			assert.Equal(t, fault.PublisherLeft, codeOf(err), "%s, from %d: %v", name, at, err)
			require.GreaterOrEqual(t, len(k.Video), tt.frames, "%s, from %d", name, at)
			assert.Equal(t, tt.codec, k.Video[0].Track.Codec, name)
			assert.True(t, k.Video[0].Key, name)
		}
	}
}
