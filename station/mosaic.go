package station

import (
	"context"
	"image"
	"strings"
	"time"

	"webostrum/core/fault"
	"webostrum/core/h264"
	"webostrum/core/hub"
	"webostrum/core/jpeg"
	"webostrum/core/media"
	"webostrum/core/rendition"
	"webostrum/core/tiles"
	"webostrum/core/workerproto"
	"webostrum/ingest/source"
	"webostrum/station/pipeline"
	"webostrum/transcode"
)

const (
	mosaicRate   = 10              // fps
	mosaicWait   = 2 * time.Second // for a source
	mosaicClock  = 90_000
	mosaicCoded  = 16 // frames that wait to be published
	tileDarkFrom = 5 * time.Second
)

// tile is one source of a mosaic.
type tile struct {
	feed   string
	jpeg   *pipeline.JPEG
	reader *hub.Reader
	frame  *image.YCbCr
	at     time.Time // when the frame came
	tried  time.Time
}

func (t *tile) close() {
	if t.jpeg != nil {
		t.reader.Close()
		t.jpeg.Release()
		t.jpeg = nil
	}
}

// mosaic shows up to nine feeds as one picture.
func (r *run) mosaic(ctx context.Context, cfg source.Config) (uint64, error) {
	st, c := r.feed.station, r.record.Combined
	if st.cfg.Codecs == "" {
		return cfg.FirstEpoch, fault.New(fault.TranscoderMissing, transcode.ErrNoWorker, "")
	}
	size, err := rendition.ParseSize(c.Size)
	if err != nil || size.Width == 0 || size.Height == 0 {
		size = rendition.Size{Width: usualTurnsW, Height: usualTurnsH}
	}
	rate := c.Rate
	if rate == 0 {
		rate = mosaicRate
	}
	m := &mosaicMaker{run: r, cfg: cfg, grid: tiles.GridOf(len(c.Sources), size.Width&^1, size.Height&^1), rate: rate, coded: make(chan codedFrame, mosaicCoded)}
	for _, s := range c.Sources {
		m.tiles = append(m.tiles, &tile{feed: s.Feed})
	}
	defer func() {
		for _, t := range m.tiles {
			t.close()
		}
	}()
	err = m.play(ctx)
	return m.next(), err
}

type codedFrame struct {
	stamp workerproto.Stamp
	data  []byte
}

type mosaicMaker struct {
	run    *run
	cfg    source.Config
	grid   tiles.Grid
	rate   float64
	tiles  []*tile
	coded  chan codedFrame
	keeper h264.ParamKeeper
	epoch  *media.Epoch
	count  uint64
	begun  time.Time
}

func (m *mosaicMaker) next() uint64 { return m.cfg.FirstEpoch + m.count }

func (m *mosaicMaker) play(ctx context.Context) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	worker, err := transcode.Start(m.run.feed.station.cfg.Codecs, transcode.Events{Coded: func(s workerproto.Stamp, data []byte) {
		select {
		case m.coded <- codedFrame{s, data}:
		case <-ctx.Done():
		}
	}})
	if err != nil {
		return err
	}
	defer worker.Close()
	defer cancel() // before the worker is waited for
	w, h := m.grid.Width, m.grid.Height
	if err := worker.Input(workerproto.Input{Codec: workerproto.Raw, Width: w, Height: h, Colour: workerproto.ColourJPEG}); err != nil {
		return err
	}
	const keySeconds = 2
	e, _ := rendition.Rendition{Codec: media.H264, FrameRate: m.rate, KeySeconds: keySeconds}.Resolve(w, h)
	if err := worker.Output(workerproto.Output{Number: 1, Encoding: e}); err != nil {
		return err
	}
	ticker := time.NewTicker(time.Duration(float64(time.Second) / m.rate))
	defer ticker.Stop()
	canvas := tiles.NewCanvas(w, h)
	m.begun = time.Now()
	for {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-worker.Done():
			return fault.New(fault.Failed, nil, "The codec worker ended.")
		case f := <-m.coded:
			if err := m.publish(f); err != nil {
				return err
			}
		case now := <-ticker.C:
			if !m.look(ctx, now) {
				return fault.New(fault.SourcesAway, nil, "%s", strings.Join(m.names(), ", "))
			}
			m.paint(canvas, now)
			stamp := workerproto.Stamp{PTS: int64(now.Sub(m.begun) * mosaicClock / time.Second), Captured: now.UnixNano(), Key: true}
			if err := worker.Frame(stamp, canvas.Pixels); err != nil {
				return fault.New(fault.Failed, err, "%v", err)
			}
		}
	}
}

func (m *mosaicMaker) names() (list []string) {
	for _, t := range m.tiles {
		list = append(list, t.feed)
	}
	return list
}

// look takes the newest frames of the sources, and opens those that have come back. It says
// whether any is there.
func (m *mosaicMaker) look(ctx context.Context, now time.Time) (any bool) {
	for _, t := range m.tiles {
		if t.jpeg == nil && now.Sub(t.tried) > time.Second {
			t.tried = now
			m.open(ctx, t)
		}
		if t.jpeg == nil {
			continue
		}
		any = true
		var newest *media.Sample
		for s := t.reader.Try(); s != nil; s = t.reader.Try() {
			newest = s
		}
		f, err := m.run.feed.station.Get(t.feed)
		if err != nil || !f.live() {
			t.close()
			continue
		}
		if newest == nil {
			continue
		}
		if frame, err := jpeg.Pixels(newest.Data, mostTile); err == nil && len(frame.Cb) > 0 {
			t.frame, t.at = frame, now
		}
	}
	return any || now.Sub(m.begun) < startsWithin
}

func (m *mosaicMaker) open(ctx context.Context, t *tile) {
	f, err := m.run.feed.station.Get(t.feed)
	if err != nil {
		return
	}
	f.touch()
	if !f.live() {
		return
	}
	ctx, cancel := context.WithTimeout(ctx, mosaicWait)
	defer cancel()
	q := pipeline.JPEGRequest{Size: rendition.Size{Width: m.grid.TileWidth, Height: m.grid.TileHeight}, FrameRate: m.rate}
	if m.run.record.Combined.Names {
		q.Text = "{place}"
	}
	j, err := f.JPEG(ctx, q)
	if err != nil {
		return
	}
	t.jpeg, t.reader = j, j.Hub.NewReader()
}

const mostTile = 4096 * 2304 // pixels

// paint puts the tiles on the canvas; one whose camera is away is dark.
func (m *mosaicMaker) paint(canvas *tiles.Canvas, now time.Time) {
	for i, t := range m.tiles {
		frame := t.frame
		if now.Sub(t.at) > tileDarkFrom {
			frame = nil
		}
		canvas.Put(m.grid, i, len(m.tiles), frame)
	}
}

func (m *mosaicMaker) publish(f codedFrame) error {
	picture := m.keeper.TakeOut(f.data)
	config := m.keeper.Current()
	if config == nil || picture == nil {
		return nil
	}
	if m.epoch == nil || !m.epoch.Tracks[0].Video.Equal(config) {
		m.epoch = &media.Epoch{Number: m.next(), Tracks: []*media.Track{media.VideoTrack(1, mosaicClock, config)}}
		m.count++
	}
	first := m.count == 1 && m.run.liveSince.IsZero()
	if first {
		m.cfg.AudioTrack(nil)
	}
	m.cfg.Publish(&media.Sample{Epoch: m.epoch, Track: m.epoch.Tracks[0], DTS: f.stamp.PTS, PTS: f.stamp.PTS, Captured: time.Unix(0, f.stamp.Captured), Key: f.stamp.Key, Data: picture})
	if first {
		m.cfg.Started(combined{KindMosaic, m.run.pipelineTrack})
	}
	return nil
}
