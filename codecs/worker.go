// Package codecs is the inside of the codec worker: it reads orders and
// pictures from one pipe and writes coded pictures to another, until the first
// one ends.
package codecs

import (
	"errors"
	"fmt"
	"io"
	"time"

	"webostrum/codecs/openh264"
	"webostrum/core/convert"
	"webostrum/core/h264"
)

// Serve works until in ends. An error was also told to the other side.
func Serve(in io.Reader, out io.Writer) error {
	w := &worker{conn: convert.NewConn(in, out)}
	defer w.close()
	err := w.work()
	if err != nil {
		_ = w.conn.Write(convert.KindFailed, []byte(err.Error()))
	}
	return err
}

type worker struct {
	conn    *convert.Conn
	encoder *openh264.Encoder
	first   int64 // capture time of the first picture
}

func (w *worker) close() {
	if w.encoder != nil {
		w.encoder.Close()
	}
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

func (w *worker) handle(kind convert.Kind, body []byte) error {
	switch kind {
	case convert.KindEncode:
		return w.order(body)
	case convert.KindPicture:
		return w.picture(body)
	}
	return fmt.Errorf("%w: kind %d", convert.ErrMalformed, kind)
}

func (w *worker) order(body []byte) error {
	order, err := convert.ReadOrder(body)
	if err != nil {
		return err
	}
	w.close()
	w.encoder, err = openh264.NewEncoder(order)
	w.first = 0
	return err
}

func (w *worker) picture(body []byte) error {
	stamp, raw, err := convert.ReadStamped(body)
	if err != nil {
		return err
	}
	if w.encoder == nil {
		return fmt.Errorf("%w: a picture before any order", convert.ErrMalformed)
	}
	if w.first == 0 {
		w.first = stamp.Captured
	}
	stream, key, err := w.encoder.Encode(raw, time.Duration(stamp.Captured-w.first), stamp.Key)
	if err != nil || stream == nil {
		return err
	}
	stamp.Key = key
	return w.conn.WriteStamped(convert.KindCoded, stamp, h264.FromAnnexB(stream))
}
