package jpeg_test

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/color"
	stdjpeg "image/jpeg"
	"io"
	"strconv"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/jpeg"
)

// picture makes a JPEG of a size, its content by a seed.
func picture(t testing.TB, w, h, seed int) []byte {
	t.Helper()
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		img.Set(i%w, i/w, color.RGBA{uint8(i * seed), uint8(i / w * 3), uint8(seed), 255})
	}
	var b bytes.Buffer
	require.NoError(t, stdjpeg.Encode(&b, img, nil))
	return b.Bytes()
}

// without takes the segments of a marker out.
func without(data []byte, marker byte) []byte {
	out := append([]byte(nil), data[:2]...)
	for at := 2; ; {
		n := int(data[at+2])<<8 | int(data[at+3])
		if data[at+1] == 0xda {
			return append(out, data[at:]...)
		}
		if data[at+1] != marker {
			out = append(out, data[at:at+2+n]...)
		}
		at += 2 + n
	}
}

// frame replaces the frame header.
func frame(data []byte, marker byte, body ...byte) []byte {
	i := bytes.Index(data, []byte{0xff, 0xc0})
	n := int(data[i+2])<<8 | int(data[i+3])
	out := append([]byte(nil), data[:i]...)
	out = append(out, 0xff, marker, 0, byte(len(body)+2))
	out = append(out, body...)
	return append(out, data[i+2+n:]...)
}

func TestParse(t *testing.T) {
	h, err := jpeg.Parse(picture(t, 65, 33, 1))
	require.NoError(t, err)
	assert.Equal(t, [2]int{65, 33}, [2]int{h.Width, h.Height})
	assert.Equal(t, "4:2:0", h.Sampling)
	assert.True(t, h.HuffmanTables)
	assert.Zero(t, h.RestartInterval)
	h, err = jpeg.Parse(picture(t, 1, 1, 1))
	require.NoError(t, err)
	assert.Equal(t, 1, h.Width)

	grey := frame(picture(t, 8, 8, 1), 0xc0, 8, 0, 8, 0, 8, 1, 1, 0x11, 0)
	h, err = jpeg.Parse(grey)
	require.NoError(t, err)
	assert.Equal(t, "4:0:0", h.Sampling)

	restarts := append([]byte{0xff, 0xd8, 0xff, 0xdd, 0, 4, 0, 40}, picture(t, 8, 8, 1)[2:]...)
	h, err = jpeg.Parse(restarts)
	require.NoError(t, err)
	assert.Equal(t, 40, h.RestartInterval)
}

func TestMissingTablesArePutIn(t *testing.T) {
	whole := picture(t, 40, 24, 5)
	bare := without(whole, 0xc4)
	_, err := stdjpeg.Decode(bytes.NewReader(bare))
	require.Error(t, err, "no decoder takes it like that")
	h, err := jpeg.Parse(bare)
	require.NoError(t, err)
	assert.False(t, h.HuffmanTables)
	want, err := stdjpeg.Decode(bytes.NewReader(whole))
	require.NoError(t, err)
	got, err := stdjpeg.Decode(bytes.NewReader(h.Complete(bare)))
	require.NoError(t, err)
	assert.Equal(t, want, got, "the same pixels")

	h, err = jpeg.Parse(whole)
	require.NoError(t, err)
	assert.Equal(t, whole, h.Complete(whole))
}

func TestParseRefuses(t *testing.T) {
	good := picture(t, 16, 16, 1)
	three := []byte{1, 0x22, 0, 2, 0x11, 1, 3, 0x11, 1}
	body := func(precision byte, h, w int, components ...byte) []byte {
		return append([]byte{precision, byte(h >> 8), byte(h), byte(w >> 8), byte(w), byte(len(components) / 3)}, components...)
	}
	tests := []struct {
		name string
		data []byte
		want error
		text string
	}{
		{"nothing", nil, jpeg.ErrMalformed, "want ffd8"},
		{"a page", []byte("<html>"), jpeg.ErrMalformed, "want ffd8"},
		{"lossless", frame(good, 0xc3, body(8, 16, 16, three...)...), jpeg.ErrUnsupported, "coding process"},
		{"lossless", frame(good, 0xc3, body(8, 16, 16, three...)...), jpeg.ErrUnsupported, "neither"},
		{"16 bits", frame(good, 0xc1, body(16, 16, 16, three...)...), jpeg.ErrUnsupported, "16 bits"},
		{"CMYK", frame(good, 0xc0, body(8, 16, 16, append(three, 4, 0x11, 0)...)...), jpeg.ErrUnsupported, "CMYK"},
		{"huge", frame(good, 0xc0, body(8, 20000, 20000, three...)...), jpeg.ErrUnsupported, "20000x20000"},
		{"no lines", frame(good, 0xc0, body(8, 0, 16, three...)...), jpeg.ErrMalformed, "16x0"},
		{"odd sampling", frame(good, 0xc0, body(8, 16, 16, 1, 0x33, 0, 2, 0x11, 1, 3, 0x11, 1)...), jpeg.ErrUnsupported, "sampling"},
		{"components missing", frame(good, 0xc0, 8, 0, 16, 0, 16, 3, 1), jpeg.ErrMalformed, "3 components"},
		{"scan at once", []byte{0xff, 0xd8, 0xff, 0xda, 0, 2}, jpeg.ErrMalformed, "before any frame"},
		{"ends at once", []byte{0xff, 0xd8, 0xff, 0xd9}, jpeg.ErrMalformed, "before the first scan"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			_, err := jpeg.Parse(tt.data)
			require.ErrorIs(t, err, tt.want)
			assert.ErrorContains(t, err, tt.text)
		})
	}
	h, err := jpeg.Parse(good)
	require.NoError(t, err)
	for n := range bytes.Index(good, []byte{0xff, 0xda}) {
		_, err := jpeg.Parse(good[:n])
		require.ErrorIs(t, err, jpeg.ErrMalformed, "cut at %d of %v", n, h)
	}
}

// stream joins pictures the way a kind of camera does.
func stream(kind string, pictures ...[]byte) []byte {
	var b bytes.Buffer
	for _, p := range pictures {
		switch kind {
		case "as it should be":
			fmt.Fprintf(&b, "--frame\r\nContent-Type: image/jpeg\r\nContent-Length: %d\r\n\r\n%s\r\n", len(p), p)
		case "no length, LF only":
			fmt.Fprintf(&b, "--frame\nContent-Type: image/jpeg\n\n%s\n", p)
		case "a length that lies":
			fmt.Fprintf(&b, "frame\r\nContent-Length: %d\r\n\r\n%s", len(p)*3, p)
		case "nothing between":
			b.Write(p)
		}
	}
	return b.Bytes()
}

func TestScanner(t *testing.T) {
	pictures := [][]byte{picture(t, 16, 16, 1), picture(t, 200, 150, 7), picture(t, 33, 17, 3)}
	for _, kind := range []string{"as it should be", "no length, LF only", "a length that lies", "nothing between"} {
		t.Run(kind, func(t *testing.T) {
			s := jpeg.NewScanner(iotest.OneByteReader(bytes.NewReader(stream(kind, pictures...))))
			for _, want := range pictures {
				got, between, err := s.Next()
				require.NoError(t, err)
				assert.Equal(t, want, got)
				if kind == "as it should be" {
					assert.Contains(t, string(between), fmt.Sprintf("Content-Length: %d", len(want)))
				}
			}
			_, _, err := s.Next()
			assert.ErrorIs(t, err, io.EOF)
			assert.Zero(t, s.Cut())
		})
	}
}

// TestScannerWaitsForNothing hands out a picture while the stream still has
// nothing behind it.
func TestScannerWaitsForNothing(t *testing.T) {
	want := picture(t, 16, 16, 1)
	r, w := io.Pipe()
	defer func() { _ = w.Close() }()
	go func() {
		_, _ = w.Write(stream("no length, LF only", want)[:len("--frame\nContent-Type: image/jpeg\n\n")+len(want)])
	}()
	got, _, err := jpeg.NewScanner(r).Next()
	require.NoError(t, err)
	assert.Equal(t, want, got)
}

func TestScannerLeavesCutPicturesOut(t *testing.T) {
	a, b := picture(t, 64, 64, 1), picture(t, 64, 64, 2)
	for _, n := range []int{3, 30, len(a) / 2, len(a) - 2} {
		s := jpeg.NewScanner(bytes.NewReader(append(append([]byte(nil), a[:n]...), stream("as it should be", b, b)...)))
		got, _, err := s.Next()
		require.NoError(t, err, "cut at %d", n)
		if !bytes.Equal(got, b) {
			t.Fatalf("cut at %d: two pictures were spliced together", n)
		}
	}
	_, _, err := jpeg.NewScanner(bytes.NewReader(a[:len(a)-5])).Next()
	assert.ErrorIs(t, err, io.ErrUnexpectedEOF)
}

func TestScannerFindsNoPicture(t *testing.T) {
	_, _, err := jpeg.NewScanner(strings.NewReader("<html><title>Sign in</title></html>")).Next()
	require.ErrorIs(t, err, jpeg.ErrNoPicture)
	assert.ErrorContains(t, err, "Sign in")
	_, _, err = jpeg.NewScanner(strings.NewReader(strings.Repeat("x", 1<<20))).Next()
	assert.ErrorIs(t, err, jpeg.ErrNoPicture, "a boundary that never comes")
	huge := append([]byte{0xff, 0xd8, 0xff, 0xda, 0, 2}, bytes.Repeat([]byte{1}, 20<<20)...)
	_, _, err = jpeg.NewScanner(bytes.NewReader(huge)).Next()
	assert.Error(t, err, "a part without end")
}

func FuzzParse(f *testing.F) {
	f.Add(picture(f, 16, 16, 1))
	f.Add(without(picture(f, 16, 16, 1), 0xc4))
	f.Fuzz(func(t *testing.T, data []byte) {
		h, err := jpeg.Parse(data)
		if err != nil {
			if !errors.Is(err, jpeg.ErrMalformed) && !errors.Is(err, jpeg.ErrUnsupported) {
				t.Fatal(err)
			}
			return
		}
		if h.Width <= 0 || h.Height <= 0 || h.Width*h.Height > 64<<20 {
			t.Fatalf("accepted %dx%d", h.Width, h.Height)
		}
		if again, err := jpeg.Parse(h.Complete(data)); err != nil || !again.HuffmanTables {
			t.Fatalf("completed, it does not parse: %v", err)
		}
	})
}

// endless is a stream of pictures without their end markers, of which head stands before each.
func endless(head string, pictures ...[]byte) []byte {
	var b bytes.Buffer
	for _, p := range pictures {
		b.WriteString(head)
		b.Write(p[:len(p)-2])
		b.WriteString("\r\n--b\r\n")
	}
	return b.Bytes()
}

// TestAHeadThatIsNoText: bytes that are no UTF-8 stand before a picture without its end.
func TestAHeadThatIsNoText(t *testing.T) {
	p := picture(t, 8, 8, 1)
	head := strings.Repeat("\x80", 900) + "Content-Length: " + strconv.Itoa(len(p)-2) + "\r\n\r\n"
	s := jpeg.NewScanner(bytes.NewReader(endless(head, p, p, p)))
	for range 2 {
		got, _, err := s.Next()
		require.NoError(t, err)
		assert.Equal(t, p, got)
	}
}

func FuzzScanner(f *testing.F) {
	f.Add(stream("as it should be", picture(f, 16, 16, 1), picture(f, 8, 8, 2)))
	f.Add(endless("\x80\x80 Content-Length: 600\r\n\r\n", picture(f, 16, 16, 1), picture(f, 8, 8, 2), picture(f, 8, 8, 3)))
	f.Fuzz(func(t *testing.T, data []byte) {
		s := jpeg.NewScanner(bytes.NewReader(data))
		total := 0
		for {
			p, _, err := s.Next()
			if err != nil {
				return
			}
			if !bytes.HasPrefix(p, []byte{0xff, 0xd8}) || !bytes.HasSuffix(p, []byte{0xff, 0xd9}) {
				t.Fatalf("a picture from %x to %x", p[:2], p[len(p)-2:])
			}
			if total += len(p) - len("\xff\xd9"); total > len(data) { // an end marker may have been put to it
				t.Fatal("more came out than went in")
			}
		}
	})
}
