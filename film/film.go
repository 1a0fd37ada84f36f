// Package film makes films of single pictures: H.264 in MP4, or VP9 in WebM, in a codec worker
// of its own.
//
// Limits: 20,000 pictures are shown, evenly chosen where there are more; a worker that gives nothing for 20 s is given up.
package film

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"webostrum/core/fmp4"
	"webostrum/core/h264"
	"webostrum/core/media"
	"webostrum/core/rendition"
	"webostrum/core/webm"
	"webostrum/core/workerproto"
	"webostrum/transcode"
)

// Format is what a film is written as.
type Format string

// The formats.
const (
	MP4  Format = "mp4"
	WebM Format = "webm"
)

// Most is how many pictures a film shows at most.
const Most = 20_000

// What a film may be shown at, pictures a second.
const (
	slowest = 4
	fastest = 30
	usual   = 25
)

const silence = 20 * time.Second // of a worker

// ErrNothing says that there are no pictures.
var ErrNothing = errors.New("there are no pictures for a film")

// Picture is one picture of a film: a JPEG, or a keyframe of H.264 or H.265. Its track says
// which.
type Picture struct {
	Track *media.Track
	Data  []byte
}

// Config says what a film is made of, and how.
type Config struct {
	Worker string // path of the codec worker
	Format Format
	Size   rendition.Size // the first picture's when zero
	Length time.Duration  // that is wanted; 0 has every picture at 25 a second

	Count    int                          // pictures that there are
	Picture  func(i int) (Picture, error) // the i-th; one with an error is left out
	Progress func(done, all int)          // may be nil
}

// Film is what came of it.
type Film struct {
	Width, Height int
	Pictures      int
	Left          int // pictures that could not be read
	Rate          float64
	Length        time.Duration
}

// Shown is how many of so many pictures a film of a length shows, 0 for every one.
func Shown(count int, length time.Duration) int {
	shown, _ := pace(min(count, Most), length)
	return shown
}

// pace says which pictures are shown, and how many a second.
func pace(count int, length time.Duration) (shown int, rate float64) {
	if length <= 0 {
		return count, usual
	}
	rate = min(max(float64(count)/length.Seconds(), slowest), fastest)
	return min(count, max(1, int(length.Seconds()*rate+0.5))), rate
}

// Make makes a film and writes it to a file.
func Make(ctx context.Context, cfg Config, out *os.File) (Film, error) {
	if cfg.Count == 0 {
		return Film{}, ErrNothing
	}
	if cfg.Worker == "" {
		return Film{}, transcode.ErrNoWorker
	}
	shown, rate := pace(min(cfg.Count, Most), cfg.Length)
	m := &maker{cfg: cfg, all: shown, film: Film{Rate: rate}, coded: make(chan coded, 64)}
	return m.make(ctx, out)
}

type coded struct {
	stamp workerproto.Stamp
	data  []byte
}

// muxer takes coded pictures.
type muxer interface {
	frame(data []byte, at time.Duration, key bool) error
	close(length time.Duration) error
}

type maker struct {
	cfg    Config
	all    int
	film   Film
	worker *transcode.Worker
	coded  chan coded
	input  *media.Track
	out    muxer
	sent   int
	taken  int
}

func (m *maker) make(ctx context.Context, out *os.File) (Film, error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	var err error
	m.worker, err = transcode.Start(m.cfg.Worker, transcode.Events{Coded: func(s workerproto.Stamp, data []byte) {
		select {
		case m.coded <- coded{s, data}:
		case <-ctx.Done():
		}
	}})
	if err != nil {
		return m.film, err
	}
	defer m.worker.Close()
	defer cancel() // before the worker is waited for
	for i := range m.all {
		if err := m.send(ctx, i, out); err != nil {
			return m.film, err
		}
		const ahead = 8
		if err := m.take(ctx, ahead); err != nil {
			return m.film, err
		}
	}
	if m.sent == 0 {
		return m.film, ErrNothing
	}
	if err := m.take(ctx, 0); err != nil {
		return m.film, err
	}
	m.film.Pictures, m.film.Length = m.taken, m.at(m.sent)
	return m.film, m.out.close(m.film.Length)
}

func (m *maker) at(n int) time.Duration {
	return time.Duration(float64(n) / m.film.Rate * float64(time.Second))
}

// send hands the i-th picture that is shown to the worker.
func (m *maker) send(ctx context.Context, i int, out *os.File) error {
	if ctx.Err() != nil {
		return ctx.Err()
	}
	p, err := m.cfg.Picture(i * m.cfg.Count / m.all)
	if err != nil {
		m.film.Left++
		return nil
	}
	if err := m.describe(p, out); err != nil {
		return err
	}
	at := m.at(m.sent)
	m.sent++
	return m.worker.Frame(workerproto.Stamp{PTS: int64(m.sent), Captured: int64(at) + 1, Key: true}, p.Data)
}

// describe tells the worker of what kind pictures are, and with the first one what is made.
func (m *maker) describe(p Picture, out *os.File) error {
	if m.input != nil && m.input.Video.Equal(p.Track.Video) {
		return nil
	}
	if err := m.worker.Input(workerproto.InputOf(p.Track)); err != nil {
		return err
	}
	first := m.input == nil
	m.input = p.Track
	if !first {
		return nil
	}
	codec := media.H264
	if m.cfg.Format == WebM {
		codec = media.VP9
	}
	e, _ := rendition.Rendition{Codec: codec, Size: m.cfg.Size, FrameRate: m.film.Rate, KeySeconds: keySeconds, Profile: rendition.Main}.Resolve(p.Track.Width, p.Track.Height)
	e.BitRate = min(e.BitRate*richer, mostBits)
	e.FrameRate = 0 // none is left out
	m.film.Width, m.film.Height = e.Width, e.Height
	if m.cfg.Format == WebM {
		m.out = &webmFile{webm.New(out, e.Width, e.Height)}
	} else {
		m.out = &mp4File{out: out, width: e.Width, height: e.Height, rate: m.film.Rate}
	}
	return m.worker.Output(workerproto.Output{Number: 1, Encoding: e})
}

const (
	keySeconds = 2
	richer     = 2 // each picture of a film of stills is another
	mostBits   = 20_000_000
)

// take takes coded pictures until no more than some are on their way.
func (m *maker) take(ctx context.Context, ahead int) error {
	for m.sent-m.taken > ahead {
		select {
		case c := <-m.coded:
			m.taken++
			if err := m.out.frame(c.data, m.at(int(c.stamp.PTS)-1), c.stamp.Key); err != nil {
				return err
			}
			if m.cfg.Progress != nil {
				m.cfg.Progress(m.taken, m.all)
			}
		case <-m.worker.Done():
			return errors.New("the codec worker ended while it made a film")
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(silence):
			return fmt.Errorf("the codec worker gave nothing for %v", silence)
		}
	}
	return nil
}

// webmFile is a film of VP9.
type webmFile struct{ w *webm.Writer }

func (f *webmFile) frame(data []byte, at time.Duration, key bool) error {
	f.w.Frame(data, at, key)
	return nil // the writer keeps its first error
}

func (f *webmFile) close(length time.Duration) error { return f.w.Close(length) }

// mp4File is a film of H.264 whose head, which is known at the end, stands in front.
type mp4File struct {
	out           *os.File
	width, height int
	rate          float64
	keeper        h264.ParamKeeper
	config        *media.VideoConfig
	list          []fmp4.Entry
	last          time.Duration
}

const mp4Clock = 90_000

func (f *mp4File) frame(data []byte, at time.Duration, key bool) error {
	picture := f.keeper.TakeOut(data)
	if f.config == nil {
		f.config = f.keeper.Current()
	}
	if _, err := f.out.Write(picture); err != nil {
		return err
	}
	if n := len(f.list); n > 0 {
		f.list[n-1].Duration = uint32((at - f.last) * mp4Clock / time.Second)
	}
	f.last = at
	f.list = append(f.list, fmp4.Entry{Size: uint32(len(picture)), Sync: key})
	return nil
}

// close writes the head in front of the data, which is moved for it.
func (f *mp4File) close(length time.Duration) error {
	if f.config == nil || len(f.list) == 0 {
		return errors.New("the codec worker sent no parameter sets")
	}
	f.list[len(f.list)-1].Duration = uint32((length - f.last) * mp4Clock / time.Second)
	init, err := fmp4.Init([]*media.Track{media.VideoTrack(1, mp4Clock, f.config)})
	if err != nil {
		return err
	}
	entries, err := fmp4.SampleEntries(init)
	if err != nil {
		return err
	}
	size := int64(0)
	for _, s := range f.list {
		size += int64(s.Size)
	}
	track := fmp4.FlatTrack{Kind: media.KindVideo, Timescale: mp4Clock, Width: f.width, Height: f.height, Entry: entries[1], Samples: f.list}
	head, err := fmp4.Flat([]fmp4.FlatTrack{track}, []fmp4.Chunk{{Count: len(f.list), Size: size}})
	if err != nil {
		return err
	}
	if err := moveUp(f.out, size, int64(len(head))); err != nil {
		return err
	}
	_, err = f.out.WriteAt(head, 0)
	return err
}

// moveUp makes room at the beginning of a file.
func moveUp(f *os.File, size, by int64) error {
	const block = 1 << 20
	buffer := make([]byte, block)
	for end := size; end > 0; {
		begin := max(0, end-block)
		b := buffer[:end-begin]
		if _, err := f.ReadAt(b, begin); err != nil && !errors.Is(err, io.EOF) {
			return err
		}
		if _, err := f.WriteAt(b, begin+by); err != nil {
			return err
		}
		end = begin
	}
	return nil
}
