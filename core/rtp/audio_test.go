package rtp_test

import (
	"bytes"
	"math/rand/v2"
	"testing"
	"time"

	prtp "github.com/pion/rtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/aac"
	"webostrum/core/media"
	"webostrum/core/rtp"
	"webostrum/core/sdp"
	"webostrum/core/timeline"
	"webostrum/testkit/pictures"
)

// format reads the first format of a media description.
func format(t *testing.T, lines string) sdp.Format {
	t.Helper()
	s, err := sdp.Parse([]byte(lines))
	require.NoError(t, err)
	return s.Media[0].Formats[0]
}

const (
	hbr   = "m=audio 0 RTP/AVP 97\na=rtpmap:97 mpeg4-generic/48000/2\na=fmtp:97 streamtype=5; mode=AAC-hbr; config=1190; SizeLength=13; IndexLength=3; IndexDeltaLength=3; Profile=1\n"
	lbr   = "m=audio 0 RTP/AVP 97\na=rtpmap:97 mpeg4-generic/8000/1\na=fmtp:97 mode=AAC-lbr;config=1588;sizeLength=6;indexLength=2;indexDeltaLength=2;constantDuration=1024\n"
	aux   = "m=audio 0 RTP/AVP 97\na=rtpmap:97 mpeg4-generic/48000/2\na=fmtp:97 mode=AAC-hbr;config=1190;sizelength=13;indexlength=3;indexdeltalength=3;ctsdeltalength=10;dtsdeltalength=10;randomaccessindication=1;streamstateindication=3;auxiliarydatasizelength=8\n"
	whole = "m=audio 0 RTP/AVP 97\na=rtpmap:97 mpeg4-generic/16000/1\na=fmtp:97 mode=generic;config=1408;constantsize=4;sizelength=0;indexlength=0;indexdeltalength=0\n"
	bare  = "m=audio 0 RTP/AVP 97\na=rtpmap:97 MPEG4-GENERIC/16000\n"
	latm  = "m=audio 0 RTP/AVP 97\na=rtpmap:97 MP4A-LATM/16000\na=fmtp:97 cpresent=0;config=400028103fc0\n"
	mu    = "m=audio 0 RTP/AVP 0\n"
	aLaw  = "m=audio 0 RTP/AVP 8\n"
	pcm16 = "m=audio 0 RTP/AVP 97\na=rtpmap:97 L16/16000/2\n"
	opus  = "m=audio 0 RTP/AVP 97\na=rtpmap:97 opus/48000/2\na=fmtp:97 sprop-stereo=1\n"
)

// hearing is a receiver and what it made.
type hearing struct {
	*rtp.AudioReceiver
	samples []*media.Sample
	seq     uint16
	ts      uint32
}

func hear(t *testing.T, lines string) *hearing {
	t.Helper()
	h := &hearing{}
	r, err := rtp.NewAudioReceiver(rtp.AudioConfig{Format: format(t, lines), Publish: func(s *media.Sample) { h.samples = append(h.samples, s) }})
	require.NoError(t, err)
	h.AudioReceiver = r
	return h
}

func (h *hearing) push(payload []byte, marker bool) {
	h.Packet(&prtp.Packet{Header: prtp.Header{Version: 2, SequenceNumber: h.seq, Timestamp: h.ts, Marker: marker}, Payload: payload}, noon.Add(time.Duration(h.seq)*20*time.Millisecond))
	h.seq++
}

func (h *hearing) data() (all [][]byte) {
	for _, s := range h.samples {
		all = append(all, s.Data)
	}
	return all
}

func TestAudioPackets(t *testing.T) {
	for _, tt := range []struct {
		name     string
		lines    string
		packet   []byte
		want     [][]byte
		length   int64
		codec    media.Codec
		channels int
	}{
		// AU-headers-length 32 bits; sizes 2 and 3, index 0 and delta 0.
		{"AAC-hbr, two units", hbr, []byte{0, 32, 0, 2 << 3, 0, 3 << 3, 1, 2, 3, 4, 5}, [][]byte{{1, 2}, {3, 4, 5}}, 1024, media.AAC, 2},
		// Headers of 8 bits.
		{"AAC-lbr", lbr, []byte{0, 16, 1 << 2, 2 << 2, 9, 7, 8}, [][]byte{{9}, {7, 8}}, 1024, media.AAC, 1},
		// 13 size, 3 index, CTS-flag 0, DTS-flag 0, RAP 1, state 101: 22 bits; then 4 bits of auxiliary data.
		{"AAC with everything", aux, []byte{0, 22, 0, 2 << 3, 0b00110100, 4, 0xf0, 1, 2}, [][]byte{{1, 2}}, 1024, media.AAC, 2},
		{"AAC of a constant size without headers", whole, []byte{1, 2, 3, 4, 5, 6, 7, 8}, [][]byte{{1, 2, 3, 4}, {5, 6, 7, 8}}, 1024, media.AAC, 1},
		{"AAC described by nothing", bare, []byte{0, 16, 0, 1 << 3, 5}, [][]byte{{5}}, 1024, media.AAC, 1},
		{"LATM", latm, []byte{2, 5, 6}, [][]byte{{5, 6}}, 1024, media.AAC, 1},
		{"mu-law", mu, []byte{1, 2, 3}, [][]byte{{1, 2, 3}}, 3, media.PCMU, 1},
		{"A-law", aLaw, []byte{1, 2}, [][]byte{{1, 2}}, 2, media.PCMA, 1},
		{"L16, and half a sample", pcm16, []byte{1, 2, 3, 4, 5}, [][]byte{{1, 2, 3, 4}}, 1, media.L16, 2},
		{"Opus", opus, []byte{31 << 3, 1}, [][]byte{{31 << 3, 1}}, 960, media.Opus, 2},
	} {
		t.Run(tt.name, func(t *testing.T) {
			h := hear(t, tt.lines)
			h.push(tt.packet, true)
			require.Equal(t, tt.want, h.data(), "%v", h.Err())
			assert.Equal(t, tt.codec, h.Track().Codec)
			assert.Equal(t, tt.channels, h.Track().Channels)
			for i, s := range h.samples {
				assert.Equal(t, tt.length, s.Length)
				assert.Equal(t, int64(i)*tt.length, s.PTS)
				assert.True(t, s.Key)
			}
		})
	}
}

// TestLongPacketsOfSamples has a camera that sends a packet four times a second, too
// long for a datagram to a browser.
func TestLongPacketsOfSamples(t *testing.T) {
	h := hear(t, mu)
	payload := make([]byte, 2001)
	for i := range payload {
		payload[i] = byte(i % 251)
	}
	h.push(payload, true)
	h.ts += uint32(len(payload))
	h.push(payload[:480], true)
	assert.Equal(t, append(append([]byte(nil), payload...), payload[:480]...), bytes.Join(h.data(), nil), "nothing is lost")
	require.Len(t, h.samples, 6)
	var end int64
	for _, s := range h.samples {
		assert.Equal(t, end, s.PTS)
		assert.LessOrEqual(t, s.Length, int64(480), "60 ms")
		assert.InDelta(t, 400, s.Length, 80, "no crumbs")
		end += s.Length
	}
	assert.Equal(t, h.Track().Duration(h.samples[4].PTS), h.samples[4].Captured.Sub(h.samples[0].Captured), "each was taken when it was")
}

func TestAudioThatIsNotTaken(t *testing.T) {
	for lines, why := range map[string]string{
		"m=audio 0 RTP/AVP 97\na=rtpmap:97 G726-32/8000\n":                                            "G726-32 is not handled; set the camera to",
		"m=audio 0 RTP/AVP 120\n":                                                                     "not handled",
		"m=audio 0 RTP/AVP 97\na=rtpmap:97 mpeg4-generic/12345/1\n":                                   "without its configuration",
		"m=audio 0 RTP/AVP 97\na=rtpmap:97 mpeg4-generic/48000\na=fmtp:97 config=f8e85000\n":          "cannot be used",
		"m=audio 0 RTP/AVP 97\na=rtpmap:97 mpeg4-generic/48000\na=fmtp:97 config=1190;sizelength=x\n": "makes no sense",
		"m=audio 0 RTP/AVP 97\na=rtpmap:97 mpeg4-generic/48000\na=fmtp:97 config=1190;sizelength=0\n": "no size",
		"m=audio 0 RTP/AVP 97\na=rtpmap:97 MP4A-LATM/16000\na=fmtp:97 cpresent=0\n":                   "without its configuration",
		"m=audio 0 RTP/AVP 97\na=rtpmap:97 L16/16000/99\n":                                            "with 99 channels",
	} {
		_, err := rtp.NewAudioReceiver(rtp.AudioConfig{Format: format(t, lines)})
		assert.ErrorAs(t, err, &rtp.UnsupportedError{}, lines)
		assert.ErrorContains(t, err, why)
	}
}

func TestAudioUnitOverSeveralPackets(t *testing.T) {
	h := hear(t, hbr)
	h.push([]byte{0, 16, 0, 4 << 3, 1, 2}, false)
	h.push([]byte{0, 16, 0, 4 << 3, 3, 4}, true)
	assert.Equal(t, [][]byte{{1, 2, 3, 4}}, h.data())

	h.push([]byte{0, 16, 0, 4 << 3, 1, 2}, false)
	h.seq++ // the rest is lost
	h.ts += 1024
	h.push([]byte{0, 16, 0, 2 << 3, 8, 9}, true)
	assert.Equal(t, []byte{8, 9}, h.data()[1], "nothing is spliced together")
	assert.Len(t, h.samples, 2)

	l := hear(t, latm)
	l.push([]byte{4, 1, 2}, false)
	l.push([]byte{3, 4}, true)
	l.push([]byte{4, 1, 2}, false)
	l.seq++
	l.push([]byte{3, 4}, true)
	l.ts += 1024
	l.push([]byte{1, 7}, true)
	assert.Equal(t, [][]byte{{1, 2, 3, 4}, {7}}, l.data())
}

func TestAudioPacketsThatMakeNoSense(t *testing.T) {
	h := hear(t, hbr)
	for _, bad := range [][]byte{{}, {0}, {0, 255, 1}, {0, 16, 0, 9 << 3, 1}, {0, 32, 0, 1 << 3, 0, 9 << 3, 1}, {0, 32, 0, 1 << 3, 0, 1<<3 | 1, 1, 2}, {0, 7, 3}} {
		h.push(bad, true)
		h.ts += 1024
	}
	assert.Empty(t, h.samples)
	assert.Positive(t, h.Stats().Dropped)
	assert.Error(t, h.Err())
}

// TestAudioComesBack takes a sender that restarts its clock, and one that repeats
// itself.
func TestAudioComesBack(t *testing.T) {
	h := hear(t, mu)
	block := make([]byte, 160)
	for range 5 {
		h.push(block, false)
		h.ts += 160
	}
	h.ts -= 320
	h.push(block, false)
	assert.Len(t, h.samples, 5, "what comes twice is left out")
	h.ts += 1 << 30
	h.push(block, false)
	require.Len(t, h.samples, 6)
	last := h.samples[5]
	assert.Equal(t, uint64(1), last.Epoch.Number)
	assert.Zero(t, last.PTS)
	assert.Equal(t, uint64(2), h.NextEpoch())
}

// TestPackedAudioIsUnpacked goes the way of a simulated camera and back.
func TestPackedAudioIsUnpacked(t *testing.T) {
	track := &media.Track{Kind: media.KindAudio, Codec: media.AAC, ClockRate: 48000, Channels: 2, AAC: aac.LC(48000, 2)}
	h := hear(t, hbr)
	for _, size := range []int{1, 300, 1400, 5000} {
		data := bytes.Repeat([]byte{byte(size)}, size)
		list := rtp.Payloads(&media.Sample{Track: track, Data: data}, 1200)
		for i, p := range list {
			assert.LessOrEqual(t, len(p), 1200-12)
			h.push(p, i == len(list)-1)
		}
		h.ts += 1024
		assert.Equal(t, data, h.samples[len(h.samples)-1].Data)
	}
	assert.Len(t, h.samples, 4)
}

// TestAnHourOfAudio has a camera whose audio runs fast by 200 parts in a million and
// whose picture runs slow, with and without sender reports, and with a clock that was
// never set. Audio stays beside its picture.
func TestAnHourOfAudio(t *testing.T) {
	for _, tt := range []struct {
		name                     string
		pictureReports, audioToo bool
		clockOff                 time.Duration
	}{
		{"reports", true, true, 0}, {"no reports", false, false, 0}, {"reports of the picture alone", true, false, 3 * time.Second},
		{"a clock that was never set", true, true, -20 * 365 * 24 * time.Hour},
	} {
		t.Run(tt.name, func(t *testing.T) { t.Parallel(); longAudio(t, tt.pictureReports, tt.audioToo, tt.clockOff) })
	}
}

func longAudio(t *testing.T, pictureReports, audioReports bool, clockOff time.Duration) {
	const (
		every   = 20 * time.Millisecond
		picture = 100 * time.Millisecond // of the test; five blocks of audio
		fast    = 1 + 200e-6
		slow    = 1 - 50e-6
	)
	rnd := rand.New(rand.NewPCG(3, 4))
	var video, audio *media.Sample
	v := receiver(rtp.ReceiverConfig{Publish: func(s *media.Sample) { video = s }})
	a, err := rtp.NewAudioReceiver(rtp.AudioConfig{Format: format(t, mu), Lead: v.Clock(), Publish: func(s *media.Sample) { audio = s }})
	require.NoError(t, err)
	seq := uint16(0)
	var worst time.Duration
	block := make([]byte, 160)
	idr := pictures.IDR(60, 1)
	for i := range int(longRun / every) {
		taken := time.Duration(i) * every
		at := noon.Add(taken)
		late := func() time.Duration { return 20*time.Millisecond + time.Duration(rnd.IntN(15))*time.Millisecond }
		ts := uint32(float64(taken.Microseconds()) * fast * 0.008)
		if audioReports && i%250 == 3 {
			a.Report(timeline.ToNTP(at.Add(clockOff)), ts, at.Add(late()))
		}
		a.Packet(&prtp.Packet{Header: prtp.Header{Version: 2, SequenceNumber: uint16(i), Timestamp: ts}, Payload: block}, at.Add(every+late()))
		if taken%picture != 0 {
			continue
		}
		pts := uint32(float64(taken.Microseconds()) * slow * 0.09)
		if pictureReports && i%250 == 0 {
			v.Report(timeline.ToNTP(at.Add(clockOff)), pts, at.Add(late()))
		}
		v.Packet(sets(seq, pts), at.Add(late()))
		v.Packet(&prtp.Packet{Header: prtp.Header{Version: 2, SequenceNumber: seq + 1, Timestamp: pts, Marker: true}, Payload: idr}, at.Add(late()))
		seq += 2
		if taken > 30*time.Second {
			worst = max(worst, audio.Captured.Sub(video.Captured).Abs())
		}
	}
	t.Logf("worst: %v", worst)
	assert.Less(t, worst, 40*time.Millisecond, "both were taken at the same moment")
	assert.Equal(t, uint64(0), audio.Epoch.Number, "drift begins no epoch")
}

func FuzzAudioPacket(f *testing.F) {
	formats := []string{hbr, lbr, aux, whole, latm, opus, mu, pcm16}
	f.Add(uint8(0), []byte{0, 32, 0, 2 << 3, 0, 3 << 3, 1, 2, 3, 4, 5}, []byte{0, 16, 0, 9 << 3, 1})
	f.Fuzz(func(t *testing.T, which uint8, one, two []byte) {
		h := hear(t, formats[int(which)%len(formats)])
		for i, p := range [][]byte{one, two, one} {
			h.push(p, i > 0)
			h.ts += 1024
		}
		total := 0
		for _, s := range h.samples {
			total += len(s.Data)
		}
		if total > 2*len(one)+len(two) {
			t.Fatalf("%d bytes out of %d", total, 2*len(one)+len(two))
		}
	})
}
