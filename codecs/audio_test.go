package codecs_test

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/codecs/audio"
	"webostrum/codecs/faad"
	"webostrum/codecs/opus"
	"webostrum/core/aac"
	"webostrum/core/media"
	"webostrum/core/pcm"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
)

const begins = 1_000 * int64(time.Second)

// click is two seconds of a faint tone with a loud click at one second.
func click(rate, channels int) []int16 {
	out := make([]int16, 2*rate*channels)
	for i := range out {
		at := i / channels
		v := 300 * math.Sin(2*math.Pi*300*float64(at)/float64(rate))
		if at >= rate && at < rate+rate/200 {
			v = 20000 * math.Sin(2*math.Pi*1500*float64(at-rate)/float64(rate))
		}
		out[i] = int16(v)
	}
	return out
}

// hear sends audio to a worker in packets of 20 ms and returns what it made.
func hear(t *testing.T, track *media.Track, units [][]byte, stamps []int64, codec media.Codec) []coded {
	t.Helper()
	encoding, _ := rendition.AudioFor(track, codec)
	o := workerproto.AudioOutput{Number: 3, AudioEncoding: encoding}
	made, tally, failed, err := work(t, func(c *workerproto.Conn) {
		require.NoError(t, c.WriteJSON(workerproto.KindAudioInput, workerproto.AudioInputOf(track)))
		require.NoError(t, c.WriteJSON(workerproto.KindAudioOutput, o))
		for i, u := range units {
			require.NoError(t, c.WriteStamped(workerproto.KindAudio, workerproto.Stamp{Captured: stamps[i]}, u))
		}
		require.NoError(t, c.Write(workerproto.KindAsk))
	})
	require.NoError(t, err)
	require.Empty(t, failed)
	require.Zero(t, tally.Undecoded, tally.LastError)
	return made
}

// packets cuts samples into packets of 20 ms.
func packets(samples []int16, rate, channels int, code func([]int16) []byte) (units [][]byte, stamps []int64) {
	n := rate / 50 * channels
	for i := 0; i+n <= len(samples); i += n {
		units = append(units, code(samples[i:i+n]))
		stamps = append(stamps, begins+int64(i/channels)*int64(time.Second)/int64(rate))
	}
	return units, stamps
}

// clickAt decodes and tells at what capture time the click is.
func clickAt(t *testing.T, d audio.Decoder, made []coded) time.Duration {
	t.Helper()
	for _, m := range made {
		b, err := d.Decode(m.data)
		require.NoError(t, err)
		for i := 0; i < len(b.Samples); i += b.Channels {
			if b.Samples[i] > 8000 || b.Samples[i] < -8000 {
				return time.Duration(m.Captured-begins) + time.Duration(i/b.Channels)*time.Second/time.Duration(b.Rate)
			}
		}
	}
	t.Fatal("no click")
	return 0
}

func l16(rate, channels int) *media.Track {
	return &media.Track{ID: 2, Kind: media.KindAudio, Codec: media.L16, ClockRate: uint32(rate), Channels: channels}
}

// TestClickStaysWhereItIs takes a click through every coding and looks at what
// time it comes out.
func TestClickStaysWhereItIs(t *testing.T) {
	const near = 3 * time.Millisecond
	for _, tt := range []struct{ rate, channels int }{{48000, 2}, {8000, 1}, {16000, 1}, {44100, 2}} {
		track := l16(tt.rate, tt.channels)
		units, stamps := packets(click(tt.rate, tt.channels), tt.rate, tt.channels, pcm.Big)
		made := hear(t, track, units, stamps, media.Opus)
		d, err := opus.NewDecoder(tt.channels)
		require.NoError(t, err)
		assert.InDelta(t, time.Second, clickAt(t, d, made), float64(near), "Opus of %v", tt)

		if !faad.Present {
			continue
		}
		_, coded := rendition.AudioFor(track, media.AAC)
		made = hear(t, track, units, stamps, media.AAC)
		f, err := faad.NewDecoder(coded.AAC)
		require.NoError(t, err)
		assert.InDelta(t, time.Second, clickAt(t, f, made), float64(near), "AAC of %v", tt)
		f.Close()

		units, stamps = nil, nil
		for _, m := range made {
			units, stamps = append(units, m.data), append(stamps, m.Captured)
		}
		made = hear(t, coded, units, stamps, media.Opus)
		d, err = opus.NewDecoder(tt.channels)
		require.NoError(t, err)
		assert.InDelta(t, time.Second, clickAt(t, d, made), float64(2*near), "Opus of AAC of %v", tt)
	}
}

func TestG711IsTranscoded(t *testing.T) {
	for codec, code := range map[media.Codec]func([]int16) []byte{media.PCMU: pcm.EncodeMu, media.PCMA: pcm.EncodeA} {
		track := l16(8000, 1)
		track.Codec = codec
		units, stamps := packets(click(8000, 1), 8000, 1, code)
		d, err := opus.NewDecoder(1)
		require.NoError(t, err)
		assert.InDelta(t, time.Second, clickAt(t, d, hear(t, track, units, stamps, media.Opus)), float64(3*time.Millisecond), codec)
	}
}

// TestLostAudioIsBridged leaves out 200 ms, and two seconds.
func TestLostAudioIsBridged(t *testing.T) {
	for _, lost := range []int{10, 100} {
		units, stamps := packets(append(click(16000, 1), click(16000, 1)...), 16000, 1, pcm.Big)
		units = append(units[:20:20], units[20+lost:]...)
		stamps = append(stamps[:20:20], stamps[20+lost:]...)
		made := hear(t, l16(16000, 1), units, stamps, media.Opus)
		last := made[len(made)-1]
		assert.InDelta(t, 4*16000, last.PTS, 16000/10, "ticks go on as time does")
		assert.InDelta(t, begins+4*int64(time.Second), last.Captured, float64(100*time.Millisecond))
		assert.Equal(t, lost == 10, len(made) > 190, "a short gap is filled, a long one is not")
	}
}

// TestSilence has our own silent units decoded.
func TestSilence(t *testing.T) {
	if !faad.Present {
		t.Skip("the worker is built without decoding AAC")
	}
	for channels := 1; channels <= 2; channels++ {
		config := aac.LC(48000, channels)
		c, err := aac.ParseConfig(config)
		require.NoError(t, err)
		d, err := faad.NewDecoder(config)
		require.NoError(t, err)
		defer d.Close()
		for i := range 5 {
			b, err := d.Decode(aac.Silence(c))
			require.NoError(t, err)
			if i > 0 {
				assert.Equal(t, 1024, b.Len())
			}
			for _, s := range b.Samples {
				require.Zero(t, s)
			}
		}
	}
}

func TestDamagedAudioIsLeftOut(t *testing.T) {
	if !faad.Present {
		t.Skip("the worker is built without decoding AAC")
	}
	track := l16(48000, 1)
	units, stamps := packets(click(48000, 1), 48000, 1, pcm.Big)
	_, coded := rendition.AudioFor(track, media.AAC)
	made := hear(t, track, units, stamps, media.AAC)
	o, _ := rendition.AudioFor(coded, media.Opus)
	opusMade, tally, failed, err := work(t, func(c *workerproto.Conn) {
		require.NoError(t, c.WriteJSON(workerproto.KindAudioInput, workerproto.AudioInputOf(coded)))
		require.NoError(t, c.WriteJSON(workerproto.KindAudioOutput, o))
		for i, m := range made {
			data := m.data
			if i == 10 {
				data = []byte{0xff, 0xff, 0x12}
			}
			require.NoError(t, c.WriteStamped(workerproto.KindAudio, m.Stamp, data))
		}
		require.NoError(t, c.Write(workerproto.KindAsk))
	})
	require.NoError(t, err)
	assert.Empty(t, failed)
	assert.EqualValues(t, 1, tally.Undecoded)
	assert.Greater(t, len(opusMade), 80)
}

func TestAudioMessagesThatMakeNoSense(t *testing.T) {
	for name, send := range map[string]func(*workerproto.Conn) error{
		"input": func(c *workerproto.Conn) error {
			return c.WriteJSON(workerproto.KindAudioInput, workerproto.AudioInput{Codec: "G722"})
		},
		"output": func(c *workerproto.Conn) error {
			return c.WriteJSON(workerproto.KindAudioOutput, workerproto.AudioOutput{})
		},
		"early": func(c *workerproto.Conn) error {
			return c.WriteStamped(workerproto.KindAudio, workerproto.Stamp{}, []byte{1})
		},
	} {
		_, _, failed, err := work(t, func(c *workerproto.Conn) { require.NoError(t, send(c)) })
		assert.Error(t, err, name)
		assert.NotEmpty(t, failed, name)
	}
}

// TestDriftIsMadeUpFor has a microphone whose clock is off by a thousandth: what comes
// out lies where it was captured all the same.
func TestDriftIsMadeUpFor(t *testing.T) {
	for _, fast := range []float64{1.001, 0.999} {
		one, _ := packets(click(16000, 1), 16000, 1, pcm.Big)
		var units [][]byte
		var stamps []int64
		for i := range 30 * len(one) {
			units = append(units, one[i%len(one)])
			stamps = append(stamps, begins+int64(float64(i)*0.02/fast*float64(time.Second)))
		}
		made := hear(t, l16(16000, 1), units, stamps, media.Opus)
		for i := 1; i < len(made); i++ {
			require.Equal(t, made[i-1].PTS+320, made[i].PTS, "one directly behind the other")
		}
		d, err := opus.NewDecoder(1)
		require.NoError(t, err)
		at := clickAt(t, d, made[len(made)-150:])
		fromStart := float64(at) / float64(time.Second) * fast // in the microphone's time
		assert.InDelta(t, 1, math.Mod(fromStart, 2), 0.012, "by 60 s it would be off by 60 ms")
	}
}

// TestAClockThatJumpsAndComesBack does not silence what comes after it.
func TestAClockThatJumpsAndComesBack(t *testing.T) {
	units, stamps := packets(append(click(16000, 1), click(16000, 1)...), 16000, 1, pcm.Big)
	for i := 40; i < 50; i++ {
		stamps[i] += int64(time.Hour)
	}
	made := hear(t, l16(16000, 1), units, stamps, media.Opus)
	assert.Greater(t, len(made), 180)
	last := made[len(made)-1]
	assert.InDelta(t, begins+4*int64(time.Second), last.Captured, float64(200*time.Millisecond))
}
