package mpegts_test

import (
	"bytes"
	"encoding/binary"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/media"
	"webostrum/core/mpegts"
	"webostrum/core/program"
	"webostrum/testkit/film"
)

var noon = time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)

const size = mpegts.PacketSize

// got is what a receiver has made.
type got struct {
	video, audio []*media.Sample
	tracks       []*media.Track
	started      int
	r            *mpegts.Receiver
	now          time.Time
}

func receive(number uint16) *got {
	g := &got{now: noon}
	g.r = mpegts.NewReceiver(program.Config{
		FirstEpoch: 4, Publish: func(s *media.Sample) { g.video = append(g.video, s) }, Audio: func(s *media.Sample) { g.audio = append(g.audio, s) },
		AudioTrack: func(t *media.Track) { g.tracks = append(g.tracks, t) }, Started: func() { g.started++ },
	}, number)
	return g
}

// write takes bytes in pieces, as time goes by.
func (g *got) write(b []byte, piece int) {
	for part := range slices.Chunk(b, piece) {
		g.now = g.now.Add(time.Duration(len(part)) * 10 * time.Microsecond)
		g.r.Write(part, g.now)
	}
}

func TestStreamComesThrough(t *testing.T) {
	f := film.New(50, true)
	for _, piece := range []int{1, 7 * size, 1000, 65536} {
		g := receive(0)
		g.write(f.Stream(1<<33-30*film.Ticks), piece) // the stamps wrap on the way
		require.NoError(t, g.r.Trouble())
		require.Len(t, g.video, 50, "pieces of %d bytes", piece)
		assert.Equal(t, 1, g.started)
		for i, s := range g.video {
			assert.Equal(t, f.Samples[2*i].Data, s.Data)
			assert.Equal(t, f.Samples[2*i].Key, s.Key)
			assert.Equal(t, int64(i)*film.Ticks, s.PTS)
			assert.Same(t, g.video[0].Epoch, s.Epoch, "a wrap is no break")
		}
		require.Len(t, g.audio, 50)
		assert.Equal(t, f.Samples[1].Data, g.audio[0].Data)
		assert.Equal(t, g.video[0].Captured, g.audio[0].Captured, "the same stamp is the same moment")
		assert.Equal(t, []*media.Track{g.audio[0].Track}, g.tracks, "told once, before the first picture")
		assert.Zero(t, g.r.Stats().Lost)
		assert.Zero(t, g.r.Facts().Counts.Dropped)
	}
}

func TestFramings(t *testing.T) {
	plain := film.New(20, false).Stream(0)
	time := byte(0)
	for name, frame := range map[string]func([]byte) []byte{
		"192 bytes": func(p []byte) []byte { time++; return append([]byte{0, time, time * 7, 0x47 + time}, p...) },
		"204 bytes": func(p []byte) []byte { return append(slices.Clone(p), make([]byte, 16)...) },
	} {
		var b []byte
		for p := range slices.Chunk(plain, size) {
			b = append(b, frame(p)...)
		}
		g := receive(0)
		g.write(append([]byte{0x47, 0, 0x47}, b...), 500)
		assert.Len(t, g.video, 20, name)
	}
}

func TestGarbageBetweenPackets(t *testing.T) {
	plain := film.New(40, false).Stream(0)
	at := len(plain) / 2 / size * size
	b := slices.Concat(plain[:at], slices.Repeat([]byte{0xaa}, 1000), plain[at:])
	g := receive(0)
	g.write(b, 1316)
	assert.GreaterOrEqual(t, g.r.Stats().Resyncs, uint64(1))
	assert.Greater(t, len(g.video), 25, "it goes on at a keyframe")
	assertDecodable(t, g.video)
}

// assertDecodable looks at what a decoder would see: within an epoch no frame is missing
// between keyframes.
func assertDecodable(t *testing.T, samples []*media.Sample) {
	t.Helper()
	frames := film.New(60, false).Samples
	expect := -1
	for i, s := range samples {
		n := slices.IndexFunc(frames, func(f *media.Sample) bool { return bytes.Equal(f.Data, s.Data) })
		require.GreaterOrEqual(t, n, 0, "sample %d is no frame of the film", i)
		if s.Key {
			expect = n
		}
		require.Equal(t, expect, n, "sample %d", i)
		expect = n + 1
	}
}

func TestLossDropsToTheNextKeyframe(t *testing.T) {
	plain := film.New(60, false).Stream(0)
	packets := slices.Collect(slices.Chunk(plain, size))
	for missing := 6; missing < len(packets)-1; missing += 7 {
		g := receive(0)
		g.write(slices.Concat(slices.Concat(packets[:missing]...), slices.Concat(packets[missing+1:]...)), 7*size)
		assertDecodable(t, g.video)
		assert.Greater(t, len(g.video), 39, "packet %d is missing", missing)
	}
}

func TestDuplicatesAndDamage(t *testing.T) {
	plain := film.New(30, false).Stream(0)
	var twice []byte
	for p := range slices.Chunk(plain, size) {
		twice = append(append(twice, p...), p...)
	}
	g := receive(0)
	g.write(twice, 4*size)
	assert.Len(t, g.video, 30)

	damaged := slices.Clone(plain)
	damaged[12*size+1] |= 0x80 // transport_error_indicator
	g = receive(0)
	g.write(damaged, 7*size)
	assert.Equal(t, uint64(1), g.r.Stats().Damaged)
	assert.Equal(t, uint64(1), g.r.Stats().Lost)
	assertDecodable(t, g.video)
}

func TestBitErrorsDoNoHarm(t *testing.T) {
	plain := film.New(60, true).Stream(0)
	for seed := range 40 {
		b := slices.Clone(plain)
		for i := seed * 31; i < len(b); i += 977 + seed {
			b[i] ^= 1 << (i % 8)
		}
		g := receive(0)
		g.write(b, 1316)
	}
}

func TestJoinsWithinAGroup(t *testing.T) {
	b := film.New(45, false).Stream(0)
	for from := size; from < 30*size; from += 3*size + 11 {
		g := receive(0)
		g.write(b[from:], 1316)
		require.NotEmpty(t, g.video)
		assert.True(t, g.video[0].Key)
		assertDecodable(t, g.video)
	}
}

func TestClockSetAnew(t *testing.T) {
	g := receive(0)
	a, b := film.New(20, false).Stream(0), film.New(20, false).Stream(3_000_000_000)
	g.write(slices.Concat(a, b), 1316)
	require.NotEmpty(t, g.video)
	last := g.video[len(g.video)-1]
	assert.NotSame(t, g.video[0].Epoch, last.Epoch)
	assert.Greater(t, last.Epoch.Number, g.video[0].Epoch.Number)
}

func TestProgramTables(t *testing.T) {
	f := film.New(30, false)
	w := mpegts.NewWriter(f.Video, nil)
	var b []byte
	for _, s := range f.Samples { // another version before each frame
		b = w.AppendTables(b)
		w.Renew()
		b = w.AppendSample(b, s, uint64(s.PTS), uint64(s.PTS))
	}
	g := receive(0)
	g.write(b, 1316)
	assert.Len(t, g.video, 30, "the same streams go on")
	assert.Equal(t, uint64(29), g.r.Stats().Tables)

	other := receive(7)
	other.write(b, 1316)
	assert.ErrorIs(t, other.r.Trouble(), mpegts.ErrProgram)
	assert.ErrorContains(t, other.r.Trouble(), "7; there is 1")
}

// renamed changes the type of the video stream in all program maps.
func renamed(stream []byte, kind byte) []byte {
	out := slices.Clone(stream)
	for p := range slices.Chunk(out, size) {
		if binary.BigEndian.Uint16(p[1:])&0x1fff == 0x100 {
			section := p[5:]
			section[12] = kind
			n := 3 + int(binary.BigEndian.Uint16(section[1:])&0xfff)
			binary.BigEndian.PutUint32(section[n-4:], mpegts.CRC(section[:n-4]))
		}
	}
	return out
}

func TestWhatIsNotHandledHasAName(t *testing.T) {
	plain := film.New(12, false).Stream(0)
	for kind, want := range map[byte]string{0x02: "MPEG-2 video", 0x10: "MPEG-4 part 2", 0x33: "H.266"} {
		g := receive(0)
		g.write(renamed(plain, kind), 1316)
		assert.ErrorIs(t, g.r.Trouble(), mpegts.ErrCodec)
		assert.ErrorContains(t, g.r.Hopeless(), want)
		assert.Empty(t, g.video)
	}
	g := receive(0)
	g.write(renamed(plain, 0x04), 1316)
	assert.ErrorIs(t, g.r.Trouble(), mpegts.ErrNoVideo)
	assert.ErrorContains(t, g.r.LeftOut(), "layer II")

	g = receive(0)
	g.write(slices.Repeat([]byte("no transport stream at all"), 100), 1316)
	assert.ErrorIs(t, g.r.Trouble(), mpegts.ErrNoPackets)

	scrambled := slices.Clone(plain)
	for p := range slices.Chunk(scrambled, size) {
		if binary.BigEndian.Uint16(p[1:])&0x1fff == 0x101 {
			p[3] |= 0x80
		}
	}
	g = receive(0)
	g.write(scrambled, 1316)
	assert.ErrorIs(t, g.r.Trouble(), mpegts.ErrScrambled)
}

// TestPacketBytes compares with a packet that was written by hand after the standard.
func TestPacketBytes(t *testing.T) {
	f := film.New(1, false)
	b := f.Stream(0x1_2345_6789)
	assert.Equal(t, []byte{
		0x47, 0x40, 0x00, 0x10, // PID 0, start, payload only, counter 0
		0x00,             // pointer
		0x00, 0xb0, 0x0d, // PAT, 13 bytes behind
		0x00, 0x01, 0xc1, 0x00, 0x00, // stream 1, version 0, in force, section 0 of 0
		0x00, 0x01, 0xe1, 0x00, // program 1 is mapped in PID 256
	}, b[:17])
	video := b[2*size:]
	assert.Equal(t, []byte{
		0x47, 0x41, 0x01, 0x30, // PID 257, start, adaptation and payload, counter 0
		video[4], 0x10, // PCR
		0x91, 0xa2, 0xb3, 0xc4, 0xfe, 0x00, // 0x123456789 is 33 bits: 91A2B3C4 and 1
	}, video[:12])
	pes := video[5+int(video[4]):]
	assert.Equal(t, []byte{
		0, 0, 1, 0xe0, 0, 0, 0x80, 0x80, 5,
		0x29, 0x8d, 0x15, 0xcf, 0x13, // 0010 100 1, 10001101 0001010 1, 11001111 0001001 1
	}, pes[:14])
}

func FuzzReceiver(f *testing.F) {
	f.Add(film.New(3, true).Stream(0), 188)
	f.Add(renamed(film.New(3, false).Stream(1<<33-1), 2), 7)
	f.Fuzz(func(t *testing.T, data []byte, piece int) {
		g := receive(0)
		g.write(data, max(piece&0x7ff, 1))
		total := 0
		for _, s := range g.video {
			total += len(s.Data)
		}
		if total > 2*len(data)+1<<10 {
			t.Fatalf("%d bytes of pictures out of %d", total, len(data))
		}
		_ = g.r.Trouble()
	})
}
