package main

import (
	"errors"
	"fmt"
	"runtime"
	"sync/atomic"
	"syscall"
	"time"

	"webostrum/codecs/de265"
	"webostrum/codecs/openh264"
	"webostrum/codecs/picture"
	"webostrum/codecs/turbojpeg"
	"webostrum/codecs/yuv"
	"webostrum/core/h264"
	"webostrum/core/media"
	"webostrum/core/nalu"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
	"webostrum/sim/reel"
	"webostrum/sim/scene"
	"webostrum/testkit"
	"webostrum/transcode"
)

const (
	filmWidth, filmHeight = 1280, 720
	filmRate              = 25
	filmPictures          = 250 // painted and coded beforehand; played again and again
	filmClock             = 90000
	transcodeFor          = 1000 // pictures
	flatFor               = 10 * 60 * filmRate
	flatFrom              = 60 * filmRate
)

// film is coded video, without its parameter sets.
type film struct {
	in       workerproto.Input
	pictures [][]byte
	keys     []bool
}

func (f *film) stamp(n int) workerproto.Stamp {
	return workerproto.Stamp{
		PTS: int64(n) * filmClock / filmRate, Captured: time.Unix(0, 0).Add(time.Duration(n) * time.Second / filmRate).UnixNano(), Key: f.keys[n%len(f.keys)],
	}
}

func (f *film) picture(n int) []byte { return f.pictures[n%len(f.pictures)] }

// shoot films the demo's scene as a camera would.
func shoot(codec media.Codec) (*film, error) {
	if codec == media.H265 {
		return project(), nil
	}
	f := &film{in: workerproto.Input{Codec: codec, Width: filmWidth, Height: filmHeight}}
	order, _ := rendition.Rendition{Codec: codec, BitRate: 2_000_000, KeySeconds: 2, FrameRate: filmRate}.Resolve(filmWidth, filmHeight)
	order.FrameRate = filmRate
	encoder, err := encoderFor(order)
	if err != nil {
		return nil, err
	}
	defer encoder.Close()
	stage := scene.New(filmWidth, filmHeight, "bench")
	raw := make([]byte, stage.Size())
	var params h264.ParamKeeper
	for n := range filmPictures {
		at := time.Duration(n) * time.Second / filmRate
		stage.Paint(raw, time.Unix(1_800_000_000, 0).Add(at))
		key := n%(2*filmRate) == 0
		data, _, err := encoder.Encode(picture.Wrap(raw, filmWidth, filmHeight), at, key)
		if err != nil {
			return nil, err
		}
		if codec == media.H264 {
			data = params.TakeOut(nalu.FromByteStream(data))
		}
		f.pictures, f.keys = append(f.pictures, data), append(f.keys, key || codec == media.JPEG)
	}
	if config := params.Current(); config != nil {
		f.in.Sets = config.Sets
	}
	return f, nil
}

// project takes the film of the simulated camera, since nothing here encodes H.265.
func project() *film {
	frames, config := reel.Load()
	f := &film{in: workerproto.InputOf(media.VideoTrack(1, filmClock, config))}
	for _, x := range frames {
		f.pictures, f.keys = append(f.pictures, x.Data), append(f.keys, x.Key)
	}
	return f
}

func encoderFor(o rendition.Encoding) (picture.Encoder, error) {
	if o.Codec == media.JPEG {
		return turbojpeg.NewEncoder(o.Quality)
	}
	return openh264.NewEncoder(o, workerproto.ColourVideo)
}

func decoderFor(in workerproto.Input) (picture.Decoder, error) {
	if in.Codec == media.JPEG {
		return turbojpeg.NewDecoder()
	}
	if in.Codec == media.H265 {
		return de265.NewDecoder(in.Sets)
	}
	return openh264.NewDecoder(in.Sets)
}

// bareLoop calls the codec libraries and nothing else, and returns the processor
// time of its thread.
func bareLoop(f *film, o workerproto.Output) (time.Duration, error) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	decoder, err := decoderFor(f.in)
	if err != nil {
		return 0, err
	}
	defer decoder.Close()
	encoder, err := encoderFor(o.Encoding)
	if err != nil {
		return 0, err
	}
	defer encoder.Close()
	var scaled *picture.Picture
	begun := threadTime()
	for n := range transcodeFor {
		s := f.stamp(n)
		d, ok, err := decoder.Decode(f.picture(n), s)
		if err != nil {
			return 0, err
		}
		if !ok {
			continue
		}
		p := d.Picture
		if p.Width != o.Width || p.Height != o.Height {
			scaled = picture.Reuse(scaled, o.Width, o.Height)
			scaled.Colour = p.Colour
			yuv.Scale(scaled, p)
			p = scaled
		}
		if _, _, err := encoder.Encode(p, time.Duration(n)*time.Second/filmRate, n%(2*filmRate) == 0); err != nil {
			return 0, err
		}
	}
	return threadTime() - begun, nil
}

func threadTime() time.Duration {
	const thread = 1 // RUSAGE_THREAD
	var u syscall.Rusage
	if err := syscall.Getrusage(thread, &u); err != nil {
		return 0
	}
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

// throughWorker transcodes by the worker program and returns the processor time of
// both sides of the pipe, and how long it took.
func throughWorker(f *film, o workerproto.Output, pictures int, seen func(n int, w *transcode.Worker)) (cpu, took time.Duration, err error) {
	program, err := testkit.Program("webostrum-codecs")
	if err != nil {
		return 0, 0, err
	}
	var made atomic.Int64
	w, err := transcode.Start(program, transcode.Events{Coded: func(workerproto.Stamp, []byte) { made.Add(1) }})
	if err != nil {
		return 0, 0, err
	}
	defer w.Close()
	if err := errors.Join(w.Input(f.in), w.Output(o), w.Ask()); err != nil {
		return 0, 0, err
	}
	for w.LastMessage().Before(time.Unix(1, 0)) { // it is up
		time.Sleep(time.Millisecond)
	}
	start, err := transcode.ProcessUsage(w.PID())
	if err != nil {
		return 0, 0, err
	}
	begun := time.Now()
	before, err := usage()
	if err != nil {
		return 0, 0, err
	}
	for n := range pictures {
		if err := w.Frame(f.stamp(n), f.picture(n)); err != nil {
			return 0, 0, err
		}
		if seen != nil {
			seen(n, w)
		}
	}
	for last := int64(-1); made.Load() < int64(pictures) && made.Load() != last; time.Sleep(200 * time.Millisecond) {
		last = made.Load()
	}
	took = time.Since(begun)
	after, err := usage()
	if err != nil {
		return 0, 0, err
	}
	worker, err := transcode.ProcessUsage(w.PID())
	return after - before + worker.Processor - start.Processor, took, err
}

// transcoding compares the worker with the codec libraries alone.
func transcoding() ([]result, error) {
	var results []result
	for _, c := range []struct {
		what   string
		from   media.Codec
		width  int
		height int
	}{
		{"720p25 H.264 to 640x360 H.264", media.H264, 640, 360},
		{"720p25 Motion JPEG to 720p25 H.264", media.JPEG, filmWidth, filmHeight},
		{"H.265 of 640x360 to H.264 of 640x360", media.H265, reel.Width, reel.Height},
	} {
		f, err := shoot(c.from)
		if err != nil {
			return nil, err
		}
		e, _ := rendition.Rendition{Codec: media.H264, Size: rendition.Size{Width: c.width, Height: c.height}, FrameRate: filmRate, KeySeconds: 2}.Resolve(f.in.Width, f.in.Height)
		e.FrameRate = 0
		o := workerproto.Output{Number: 1, Encoding: e}
		var ours, bare []float64
		for range rounds {
			b, err := bareLoop(f, o)
			if err != nil {
				return nil, err
			}
			w, _, err := throughWorker(f, o, transcodeFor, nil)
			if err != nil {
				return nil, err
			}
			ours, bare = append(ours, w.Seconds()), append(bare, b.Seconds())
		}
		w, b := median(ours), median(bare)
		const film = float64(transcodeFor) / filmRate
		results = append(results, result{
			"transcoding " + c.what, fmt.Sprintf("%.1f times real time on one core", film/w), fmt.Sprintf("%.1f times by the libraries alone", film/b),
			fmt.Sprintf("%.3f", w/b), "under 1.05",
		})
	}
	return results, nil
}

// flat transcodes ten minutes of film and looks at the worker's memory after the
// first and at the end.
func flat() ([]result, error) {
	f, err := shoot(media.H264)
	if err != nil {
		return nil, err
	}
	e, _ := rendition.Rendition{Codec: media.H264, Size: rendition.Size{Width: 640, Height: 360}, KeySeconds: 2}.Resolve(filmWidth, filmHeight)
	o := workerproto.Output{Number: 1, Encoding: e}
	var early, late int64
	_, _, err = throughWorker(f, o, flatFor, func(n int, w *transcode.Worker) {
		if u, err := transcode.ProcessUsage(w.PID()); err == nil && (n == flatFrom || n == flatFor-1) {
			early, late = late, u.Memory
		}
	})
	if err != nil {
		return nil, err
	}
	return []result{{
		"memory of the worker after ten minutes of film, 720p25 to 640x360", fmt.Sprintf("%.1f MB", float64(late)/1e6), fmt.Sprintf("%.1f MB after one minute", float64(early)/1e6),
		fmt.Sprintf("%.2f", float64(late)/float64(early)), "flat",
	}}, nil
}
