package hls_test

import (
	"encoding/binary"
	"regexp"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/aac"
	"webostrum/core/fmp4"
	"webostrum/core/hls"
	"webostrum/core/media"
	"webostrum/testkit/pictures"
)

const unitTicks = 1024

func aacTrack(rate, channels int) *media.Track {
	return &media.Track{ID: 2, Kind: media.KindAudio, Codec: media.AAC, ClockRate: uint32(rate), Channels: channels, AAC: aac.LC(rate, channels)}
}

// duet writes pictures and audio as a camera sends them: audio comes a while after
// the pictures that it goes with.
type duet struct {
	*feeder
	track *media.Track
	a     *hls.Track
	w     *hls.AudioWriter
	heard int     // units so far
	fast  float64 // how fast the audio's clock runs
	late  time.Duration
	mute  bool
}

func newDuet(t *testing.T, track *media.Track) *duet {
	d := &duet{feeder: newFeeder(t, hls.Config{}), track: track, fast: 1}
	d.open()
	return d
}

func (d *duet) open() {
	d.t.Helper()
	var err error
	d.a = d.p.Open(hls.Audio)
	d.w, err = hls.NewAudioWriter(d.a, d.track)
	require.NoError(d.t, err)
}

// unit is when a unit was taken.
func (d *duet) unit(i int) time.Time {
	seconds := float64(i) * unitTicks / float64(d.track.ClockRate) / d.fast
	return noon.Add(time.Duration(seconds * float64(time.Second)))
}

// play writes so much, a keyframe every second.
func (d *duet) play(for_ time.Duration) {
	d.t.Helper()
	for end := d.at.Add(for_); d.at.Before(end); {
		s := d.write(1, 25)
		require.NoError(d.t, d.w.Frame(s))
		for ; d.unit(d.heard).Before(d.at.Add(-d.late)); d.heard++ {
			if !d.mute {
				require.NoError(d.t, d.w.Audio(&media.Sample{Track: d.track, Length: unitTicks, Captured: d.unit(d.heard), Key: true, Data: []byte{0xaa, byte(d.heard), byte(d.heard >> 8)}}))
			}
		}
	}
}

// audio reads the audio of all segments that are listed, and checks that it is
// without gap and each segment's own.
func (d *duet) audio() (all []fmp4.ReadSample) {
	d.t.Helper()
	text, ok := d.a.Media(false)
	require.True(d.t, ok)
	names := regexp.MustCompile(`(?m)^\S+-(\d+)\.m4s$`).FindAllStringSubmatch(string(text.Plain), -1)
	for _, name := range names {
		pictures, err := fmp4.ReadFragment(fileOf(d.t, d.g, "abc-"+name[1]+".m4s"), 1)
		require.NoError(d.t, err)
		audio, err := fmp4.ReadFragment(fileOf(d.t, d.a, name[0]), 2)
		require.NoError(d.t, err)
		require.NotEmpty(d.t, audio, name)
		last := pictures[len(pictures)-1]
		begin, end := pictures[0].DTS, last.DTS+uint64(last.Duration)
		scale := func(v uint64) float64 { return float64(v) / float64(d.track.ClockRate) * 90000 }
		unit := scale(unitTicks) + 10
		assert.InDelta(d.t, begin, scale(audio[0].DTS), unit, "%s begins with its pictures", name[0])
		s := audio[len(audio)-1]
		assert.InDelta(d.t, end, scale(s.DTS+uint64(s.Duration)), unit, "%s ends with its pictures", name[0])
		all = append(all, audio...)
	}
	for i := 1; i < len(all); i++ {
		require.Equal(d.t, all[i-1].DTS+uint64(all[i-1].Duration), all[i].DTS, "one directly behind the other")
	}
	return all
}

// real are those that are not filled in.
func real(all []fmp4.ReadSample) (list []fmp4.ReadSample) {
	for _, s := range all {
		if s.Data[0] == 0xaa {
			list = append(list, s)
		}
	}
	return list
}

func TestAudioGoesWithItsPictures(t *testing.T) {
	for _, track := range []*media.Track{aacTrack(48000, 2), aacTrack(8000, 1)} {
		d := newDuet(t, track)
		d.late = 400 * time.Millisecond
		d.play(9 * time.Second)
		all := d.audio()
		assert.Len(t, real(all), len(all), "nothing had to be filled in")
		for _, s := range all {
			n := int(s.Data[1]) | int(s.Data[2])<<8
			where := time.Duration(float64(s.DTS) / float64(track.ClockRate) * float64(time.Second))
			assert.InDelta(t, d.unit(n).Sub(noon), where, float64(time.Millisecond), "each is where it was taken")
		}
		v, ok := d.a.Measured()
		require.True(t, ok)
		assert.Equal(t, "mp4a.40.2", v.Codecs)
	}
}

// TestHourOfDrift has the audio's clock run fast and slow. It is made up for by units
// that are left out or come twice.
func TestHourOfDrift(t *testing.T) {
	for _, fast := range []float64{1 + 300e-6, 1 - 300e-6} {
		d := newDuet(t, aacTrack(48000, 1))
		d.fast = fast
		d.play(time.Hour)
		for _, s := range d.audio() {
			n := int(s.Data[1]) | int(s.Data[2])<<8
			n += (d.heard - n) &^ 0xffff // the bytes wrap
			where := time.Duration(float64(s.DTS) / 48000 * float64(time.Second))
			assert.InDelta(t, d.unit(n).Sub(noon), where, float64(14*time.Millisecond))
			assert.Equal(t, unitTicks, int(s.Duration), "players count what they decode")
		}
	}
}

func TestMissingAudioIsSilence(t *testing.T) {
	d := newDuet(t, aacTrack(48000, 1))
	d.play(3 * time.Second)
	d.mute = true
	d.play(700 * time.Millisecond)
	d.mute = false
	d.play(4 * time.Second)
	all := d.audio()
	assert.InDelta(t, 700*48/unitTicks, len(all)-len(real(all)), 2)
}

// TestSilentCamera offers audio and never sends any: its pictures are not held up.
func TestSilentCamera(t *testing.T) {
	d := newDuet(t, aacTrack(48000, 2))
	d.mute = true
	d.play(7 * time.Second)
	all := d.audio()
	assert.Empty(t, real(all))
	assert.InDelta(t, 6*48000/unitTicks, len(all), 2, "three segments are whole")
}

// TestAudioThatBeginsLater and in another coding: what is listed from there on goes with
// the frames.
func TestAudioThatBeginsLater(t *testing.T) {
	d := newDuet(t, aacTrack(48000, 2))
	d.play(3 * time.Second)
	d.p.Cuts().Discontinue()
	d.a.End()
	d.track = aacTrack(8000, 1)
	d.open()
	d.heard = int(d.at.Sub(noon).Seconds() * 8000 / unitTicks)
	d.play(6 * time.Second)
	text, ok := d.a.Media(false)
	require.True(t, ok)
	assert.Contains(t, string(text.Plain), "-init0.mp4")
	assert.Contains(t, d.media(), "#EXT-X-DISCONTINUITY")
	d.audio()
}

func TestInterruptedAudio(t *testing.T) {
	d := newDuet(t, aacTrack(48000, 2))
	d.late = 300 * time.Millisecond
	d.play(2500 * time.Millisecond)
	d.pause()
	require.NoError(t, d.w.Break())
	assert.NotEmpty(t, d.audio(), "what was there is published at once")
}

// TestAudioFromTheFuture comes from a camera whose audio is stamped an hour ahead for
// a moment. It takes nothing with it.
func TestAudioFromTheFuture(t *testing.T) {
	d := newDuet(t, aacTrack(48000, 2))
	d.play(3 * time.Second)
	require.NoError(t, d.w.Audio(&media.Sample{Track: d.track, Length: unitTicks, Captured: d.at.Add(time.Hour), Key: true, Data: []byte{0xbb, 0, 0}}))
	d.play(6 * time.Second)
	all := d.audio()
	assert.Len(t, real(all), len(all), "nothing is missing and nothing was filled in")
}

// FuzzAudio writes audio and pictures in any order and from any time, and looks at
// what comes out: every segment's audio is whole and in order.
func FuzzAudio(f *testing.F) {
	f.Add([]byte{1, 0, 2, 0, 3, 40, 0, 4, 0, 1, 0, 5, 9})
	f.Fuzz(func(t *testing.T, script []byte) {
		d := &duet{feeder: newFeeder(t, hls.Config{Run: "f", Start: time.Unix(5, 0), Wanted: 500 * time.Millisecond, Part: 200 * time.Millisecond, Listed: 3}), track: aacTrack(48000, 2)}
		d.open()
		d.n = 1
		epoch := uint64(0)
		for _, b := range script {
			switch b % 8 {
			case 0:
				for range 1 + int(b)/8 {
					require.NoError(t, d.w.Frame(d.write(1, 5)))
				}
			case 1, 3:
				if b%8 == 3 {
					d.pause()
					require.NoError(t, d.w.Break())
				}
				epoch++
				d.newEpoch(epoch, pictures.SPS)
				require.NoError(t, d.w.Frame(d.write(1, 1)))
			case 2:
				d.p.Cuts().Discontinue()
			default:
				off := (time.Duration(b) - 128) * 30 * time.Millisecond
				require.NoError(t, d.w.Audio(&media.Sample{Track: d.track, Length: unitTicks, Captured: d.feeder.at.Add(off), Key: true, Data: []byte{0xaa}}))
			}
		}
		text, ok := d.a.Media(false)
		if !ok {
			return
		}
		for _, name := range regexp.MustCompile(`(?m)^\S+\.m4s$`).FindAllString(string(text.Plain), -1) {
			audio, end := chunks(t, fileOf(t, d.a, name), 2), uint64(0)
			for _, s := range audio {
				require.GreaterOrEqual(t, s.DTS, end)
				end = s.DTS + uint64(s.Duration)
			}
			require.Less(t, len(audio), 200, "a segment of a few seconds holds no more")
		}
	})
}

// chunks reads the samples of all chunks of a segment.
func chunks(t testing.TB, data []byte, track int) (all []fmp4.ReadSample) {
	t.Helper()
	for len(data) > 0 {
		n := 0
		for range 2 { // moof, mdat
			require.Greater(t, len(data), n+8)
			n += int(binary.BigEndian.Uint32(data[n:]))
		}
		require.LessOrEqual(t, n, len(data))
		samples, err := fmp4.ReadFragment(data[:n], track)
		require.NoError(t, err)
		all, data = append(all, samples...), data[n:]
	}
	return all
}
