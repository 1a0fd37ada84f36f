// Package fragments sends a feed as one answer that never ends: an initialisation section
// and a CMAF chunk a frame (ISO/IEC 23000-19), for pages that give them to Media Source
// Extensions as they come. It takes nothing but the HTTP port, and is a frame behind.
//
// Limits: a viewer has no more than 128 KiB waiting in the kernel, and 10 s to take a
// frame; one that is slower goes on with the newest keyframe.
package fragments

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"sync/atomic"
	"time"

	"webostrum/core/aac"
	"webostrum/core/cmaf"
	"webostrum/core/fault"
	"webostrum/core/fmp4"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/deliver/problem"
	"webostrum/deliver/socket"
)

const (
	writeTimeout = 10 * time.Second
	firstTimeout = 10 * time.Second
	// tellEvery is how often the viewer is told when a frame was captured.
	tellEvery = 2 * time.Second
	// earlier is how much before the first frame audio begins: the unit that it falls into.
	earlier = 200 * time.Millisecond
	// Audio that was taken so much later than the newest frame comes from a clock that has
	// jumped.
	mostAhead = 2 * time.Second
)

// Stream is what a viewer gets.
type Stream struct {
	Video *hub.Hub       // H.264
	Audio *hub.Hub       // AAC; nil for none
	Track *media.Track   // of audio
	Sent  *atomic.Uint64 // counts bytes; may be nil
}

// Serve sends a stream until the viewer, the hub or ctx ends, or its coding changes: then
// the viewer asks anew.
func Serve(ctx context.Context, w http.ResponseWriter, r *http.Request, s Stream) {
	reader := s.Video.NewReader()
	defer reader.Close()
	wait, cancel := context.WithTimeout(ctx, firstTimeout)
	first, _, err := reader.Next(wait)
	cancel()
	if err != nil {
		problem.Write(w, fault.New(fault.FeedNotReady, err, "The camera sends no frames at the moment."))
		return
	}
	v := &viewer{w: w, control: http.NewResponseController(w), stream: s, first: first}
	init, kind, err := v.init()
	if err != nil {
		problem.Write(w, fault.New(fault.Failed, err, "%v", err))
		return
	}
	header := w.Header()
	header.Set("Content-Type", kind)
	header.Set("Cache-Control", "no-store")
	header.Set("X-Accel-Buffering", "no") // proxies that know it pass on what comes at once
	w.WriteHeader(http.StatusOK)
	if r.Method == http.MethodHead {
		return
	}
	socket.KeepShort(r.Context())
	if s.Audio != nil {
		v.audio = s.Audio.NewReaderFrom(first.Captured.Add(-earlier))
		defer v.audio.Close()
	}
	if v.write([][]byte{init}) != nil {
		return
	}
	v.run(ctx, reader)
}

// viewer is one answer.
type viewer struct {
	w       http.ResponseWriter
	control *http.ResponseController
	stream  Stream
	first   *media.Sample
	video   cmaf.Timeline
	audio   *hub.Reader
	line    *cmaf.AudioLine
	chunks  uint32
	told    time.Time // capture time that the viewer was told of last
	refresh time.Time // when the deadline is set anew
}

// init makes the initialisation section, and what it is called (RFC 6381).
func (v *viewer) init() (data []byte, kind string, err error) {
	tracks := []*media.Track{v.first.Track}
	if v.stream.Audio != nil {
		tracks = append(tracks, v.stream.Track)
	}
	if data, err = fmp4.Init(tracks); err != nil {
		return nil, "", err
	}
	codecs := []string{v.first.Track.Video.CodecString}
	if v.stream.Audio != nil {
		c, err := aac.ParseConfig(v.stream.Track.AAC)
		if err != nil {
			return nil, "", err
		}
		codecs = append(codecs, c.CodecString())
	}
	return data, fmt.Sprintf("video/mp4; codecs=%q", strings.Join(codecs, ",")), nil
}

func (v *viewer) run(ctx context.Context, reader *hub.Reader) {
	s, missed := v.first, uint64(0)
	for {
		if s.Epoch != v.first.Epoch {
			return // the viewer asks anew, and gets another initialisation section
		}
		if missed > 0 {
			v.video.Begin() // it begins with a keyframe, wherever that is
		}
		if v.send(s) != nil {
			return
		}
		var err error
		if s, missed, err = reader.Next(ctx); err != nil {
			return
		}
	}
}

// send sends a frame, and the audio that has come.
func (v *viewer) send(s *media.Sample) error {
	begin, duration := v.video.Place(s)
	runs := []fmp4.Run{{Track: s.Track, Begin: begin, Samples: []*media.Sample{s}, Durations: []uint32{duration}}}
	if v.audio != nil {
		if run := v.hear(s); len(run.Samples) > 0 {
			runs = append(runs, run)
		}
	}
	v.chunks++
	parts := fmp4.Fragment(v.chunks, runs)
	if s.Captured.Sub(v.told) >= tellEvery {
		v.told = s.Captured
		parts = append([][]byte{fmp4.ReferenceTime(s.Track, begin+s.PTS-s.DTS, s.Captured)}, parts...)
	}
	return v.write(parts)
}

// hear takes the audio that has come, laid beside a frame.
func (v *viewer) hear(frame *media.Sample) fmp4.Run {
	track := v.stream.Track
	at := track.Ticks(frame.Track.Duration(frame.PTS))
	if v.line == nil {
		v.line = cmaf.NewAudioLine(track, at)
	}
	for s := v.audio.Try(); s != nil; s = v.audio.Try() {
		if off := s.Captured.Sub(frame.Captured); off < mostAhead && media.SameAudio(s.Track, track) {
			v.line.Write(s, at+track.Ticks(off))
		}
	}
	v.line.Reach(at)
	begin, samples, durations := v.line.Drain()
	return fmp4.Run{Track: track, Begin: begin, Samples: samples, Durations: durations}
}

func (v *viewer) write(parts [][]byte) error {
	if now := time.Now(); now.After(v.refresh) {
		_ = v.control.SetWriteDeadline(now.Add(writeTimeout))
		v.refresh = now.Add(time.Second)
	}
	for _, p := range parts {
		n, err := v.w.Write(p)
		if v.stream.Sent != nil {
			v.stream.Sent.Add(uint64(n))
		}
		if err != nil {
			return err
		}
	}
	return v.control.Flush()
}
