// Package codecs is the inside of the codec worker: it reads messages and
// frames from one pipe, decodes each frame once, encodes it for each output, and
// writes coded frames to another pipe, until the first one ends.
//
// Limits: 16 outputs. One frame is worked on at a time, so the worker takes no
// more than one core; what it holds is a few frames an output.
package codecs

import (
	"errors"
	"fmt"
	"io"
	"runtime"
	"time"

	"webostrum/codecs/de265"
	"webostrum/codecs/openh264"
	"webostrum/codecs/picture"
	"webostrum/codecs/turbojpeg"
	"webostrum/codecs/vpx"
	"webostrum/core/media"
	"webostrum/core/workerproto"
)

const (
	mostOutputs = 16
	tallyEvery  = time.Second
)

// Serve works until in ends. An error was also told to the other side.
func Serve(in io.Reader, out io.Writer) error {
	runtime.LockOSThread() // what is spent is measured by the thread
	defer runtime.UnlockOSThread()
	w := &worker{conn: workerproto.NewConn(in, out), outputs: make(map[uint32]*output), tally: workerproto.Tally{Outputs: make(map[uint32]workerproto.Work)}}
	defer w.close()
	err := w.work()
	if err != nil {
		_ = w.conn.Write(workerproto.KindFailed, []byte(err.Error()))
	}
	return err
}

type worker struct {
	conn    *workerproto.Conn
	decoder picture.Decoder
	outputs map[uint32]*output
	order   []uint32        // of the outputs, as they came
	latest  picture.Decoded // valid until the next is decoded; without picture when there is none
	audio   audioStage
	tally   workerproto.Tally
	told    time.Time
}

func (w *worker) close() {
	if w.decoder != nil {
		w.decoder.Close()
	}
	for _, o := range w.outputs {
		o.close()
	}
	w.audio.close()
}

func (w *worker) work() error {
	for {
		kind, body, err := w.conn.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err == nil {
			err = w.handle(kind, body)
		}
		if err != nil {
			return err
		}
	}
}

func (w *worker) handle(kind workerproto.Kind, body []byte) error {
	switch kind {
	case workerproto.KindInput:
		return read(body, w.input)
	case workerproto.KindOutput:
		return read(body, w.output)
	case workerproto.KindEndOutput:
		return read(body, w.endOutput)
	case workerproto.KindFrame:
		return w.picture(body)
	case workerproto.KindRepeat:
		return w.repeat(body)
	case workerproto.KindAsk:
		w.told = time.Time{}
		return w.tell()
	case workerproto.KindAudioInput:
		return read(body, w.audio.input)
	case workerproto.KindAudioOutput:
		return read(body, w.audio.output)
	case workerproto.KindAudio:
		return w.audioUnit(body)
	}
	return fmt.Errorf("%w: kind %d", workerproto.ErrMalformed, kind)
}

func (w *worker) input(in workerproto.Input) error {
	if err := in.Validate(); err != nil {
		return err
	}
	if w.decoder != nil {
		w.decoder.Close()
		w.decoder = nil
	}
	w.latest = picture.Decoded{}
	decoder, err := newDecoder(in)
	if err == nil {
		w.decoder = decoder
	}
	return err
}

func newDecoder(in workerproto.Input) (picture.Decoder, error) {
	switch in.Codec {
	case media.H264:
		return openh264.NewDecoder(in.Sets)
	case media.H265:
		return de265.NewDecoder(in.Sets)
	case media.JPEG:
		return turbojpeg.NewDecoder()
	case media.VP8:
		return vpx.NewDecoder()
	default:
		return rawDecoder{in}, nil
	}
}

// rawDecoder takes pictures that need no decoding.
type rawDecoder struct{ in workerproto.Input }

func (d rawDecoder) Decode(data []byte, stamp workerproto.Stamp) (picture.Decoded, bool, error) {
	if want := workerproto.RawSize(d.in.Width, d.in.Height); len(data) != want {
		return picture.Decoded{}, false, fmt.Errorf("%w: raw picture of %d bytes, want %d", workerproto.ErrMalformed, len(data), want)
	}
	p := picture.Wrap(data, d.in.Width, d.in.Height)
	p.Colour = d.in.Colour
	return picture.Decoded{Picture: p, Stamp: stamp}, true, nil
}

func (rawDecoder) Close() {}

func (w *worker) output(o workerproto.Output) error {
	if err := o.Validate(); err != nil {
		return err
	}
	w.drop(o.Number)
	if len(w.outputs) >= mostOutputs {
		return fmt.Errorf("%w: more than %d outputs", workerproto.ErrMalformed, mostOutputs)
	}
	made, err := newOutput(o)
	if err != nil {
		return err
	}
	w.outputs[o.Number] = made
	w.order = append(w.order, o.Number)
	return nil
}

func (w *worker) endOutput(o workerproto.Output) error {
	w.drop(o.Number)
	w.audio.drop(o.Number)
	return nil
}

// read decodes a message and hands it to what acts on it.
func read[T any](body []byte, act func(T) error) error {
	var m T
	if err := workerproto.ReadJSON(body, &m); err != nil {
		return err
	}
	return act(m)
}

// audioUnit transcodes a unit of audio. One that cannot be decoded is counted and left out.
func (w *worker) audioUnit(body []byte) error {
	stamp, data, err := workerproto.ReadStamped(body)
	if err != nil {
		return err
	}
	begun := cpuTime()
	undecoded, err := w.audio.unit(stamp, data, func(s workerproto.Stamp, data []byte) error {
		return w.conn.WriteStamped(workerproto.KindCoded, s, data)
	})
	w.tally.Decoded.Busy += cpuTime() - begun
	if undecoded != nil {
		w.tally.Undecoded++
		w.tally.LastError = undecoded.Error()
	} else {
		w.tally.Decoded.Frames++
	}
	if err != nil {
		return err
	}
	return w.tell()
}

func (w *worker) drop(number uint32) {
	o, ok := w.outputs[number]
	if !ok {
		return
	}
	o.close()
	delete(w.outputs, number)
	delete(w.tally.Outputs, number)
	for i, n := range w.order {
		if n == number {
			w.order = append(w.order[:i], w.order[i+1:]...)
			break
		}
	}
}

// picture decodes a picture and makes what is wanted of it. One that cannot be
// decoded is counted and left out.
func (w *worker) picture(body []byte) error {
	stamp, data, err := workerproto.ReadStamped(body)
	if err != nil {
		return err
	}
	if w.decoder == nil {
		return fmt.Errorf("%w: a picture before any input", workerproto.ErrMalformed)
	}
	w.cut(stamp)
	w.latest = picture.Decoded{}
	begun := cpuTime()
	decoded, ok, err := w.decoder.Decode(data, stamp)
	w.tally.Decoded.Busy += cpuTime() - begun
	if errors.Is(err, workerproto.ErrMalformed) {
		return err
	}
	if err != nil {
		w.tally.Undecoded++
		w.tally.LastError = err.Error()
	} else if ok {
		w.tally.Decoded.Frames++
		w.latest = decoded
		if !decoded.Stamp.Late {
			if err := w.make(decoded, false); err != nil {
				return err
			}
		}
	}
	return w.tell()
}

// repeat makes the latest picture once more: a camera that sends a picture every
// few seconds still has to give a steady video.
func (w *worker) repeat(body []byte) error {
	stamp, _, err := workerproto.ReadStamped(body)
	if err != nil {
		return err
	}
	if _, raw := w.decoder.(rawDecoder); raw {
		return fmt.Errorf("%w: a raw picture cannot be repeated", workerproto.ErrMalformed)
	}
	if w.latest.Picture == nil {
		return nil
	}
	w.cut(stamp)
	if err := w.make(picture.Decoded{Picture: w.latest.Picture, Stamp: stamp}, true); err != nil {
		return err
	}
	return w.tell()
}

// cut tells all outputs that a segment begins.
func (w *worker) cut(s workerproto.Stamp) {
	if !s.Cut {
		return
	}
	for _, o := range w.outputs {
		o.cut(s.PTS)
	}
}

func (w *worker) make(d picture.Decoded, repeated bool) error {
	for _, number := range w.order {
		o := w.outputs[number]
		if repeated && o.spec.Codec == media.JPEG {
			continue
		}
		begun := cpuTime()
		data, stamp, err := o.encode(d, w.latest.Stamp)
		work := w.tally.Outputs[number]
		work.Busy += cpuTime() - begun
		if data != nil {
			work.Frames++
		}
		w.tally.Outputs[number] = work
		if err != nil {
			return err
		}
		if data == nil {
			continue
		}
		if err := w.conn.WriteStamped(workerproto.KindCoded, stamp, data); err != nil {
			return err
		}
	}
	return nil
}

// tell sends the tally when it is time to.
func (w *worker) tell() error {
	now := time.Now()
	if now.Sub(w.told) < tallyEvery {
		return nil
	}
	w.told = now
	return w.conn.WriteJSON(workerproto.KindTally, w.tally)
}
