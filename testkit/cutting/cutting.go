// Package cutting cuts frames into segments for tests and measurements, as a feed's
// pipeline does with the camera's own video.
package cutting

import (
	"fmt"
	"io"

	"webostrum/core/hls"
	"webostrum/core/media"
)

// Cutter is a presentation with one track, the camera's own video.
type Cutter struct {
	Presentation *hls.Presentation
	*hls.Track
}

// New makes a cutter.
func New(cfg hls.Config) (*Cutter, error) {
	p, err := hls.New(cfg)
	if err != nil {
		return nil, err
	}
	return &Cutter{p, p.Open(hls.Original)}, nil
}

// Write takes the camera's next frame.
func (c *Cutter) Write(s *media.Sample) error {
	c.Presentation.Cuts().Observe(s)
	return c.WriteVideo(s)
}

// Read reads a piece that is finished.
func Read(p hls.Piece) ([]byte, error) {
	if p.Body == nil {
		return nil, fmt.Errorf("cutting: the piece is being made")
	}
	r, err := p.Body.Open()
	if err != nil {
		return nil, err
	}
	defer func() { _ = r.Close() }()
	whole, err := io.ReadAll(r)
	if err != nil {
		return nil, err
	}
	return whole[p.Offset : p.Offset+p.Size], nil
}
