package transcode

import (
	"context"

	"webostrum/core/media"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
)

// Still decodes one keyframe and returns it as JPEG, no wider than width pixels. It takes
// a worker of its own.
func Still(ctx context.Context, program string, s *media.Sample, width int) ([]byte, error) {
	t := s.Track
	if t.Codec == media.JPEG && t.Width <= width {
		return s.Data, nil
	}
	if program == "" {
		return nil, ErrNoWorker
	}
	coded := make(chan []byte, 1)
	w, err := Start(program, Events{Coded: func(_ workerproto.Stamp, data []byte) {
		select {
		case coded <- data:
		default:
		}
	}})
	if err != nil {
		return nil, err
	}
	defer w.Close()
	e, _ := rendition.Rendition{Codec: media.JPEG, Size: rendition.Size{Width: min(width, t.Width)}}.Resolve(t.Width, t.Height)
	if err := w.Input(workerproto.InputOf(t)); err != nil {
		return nil, err
	}
	if err := w.Output(workerproto.Output{Number: 1, Encoding: e}); err != nil {
		return nil, err
	}
	if err := w.Frame(workerproto.Stamp{PTS: s.PTS, Captured: s.Captured.UnixNano(), Key: true}, s.Data); err != nil {
		return nil, err
	}
	if err := w.Ask(); err != nil {
		return nil, err
	}
	select {
	case data := <-coded:
		return data, nil
	case <-w.Done():
		return nil, w.err
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}
