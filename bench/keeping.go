package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"sync"
	"time"

	"golang.org/x/sys/unix"

	"webostrum/core/media"
	"webostrum/core/recording"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
	films "webostrum/film"
	"webostrum/testkit"
	"webostrum/testkit/pictures"
)

const (
	keptFeeds   = 8
	keptSeconds = 60 // of each, as fast as it goes
	keptBits    = 4_000_000
	keptRate    = 25
	exported    = 3600 // seconds
	perFile     = 600
	filmStills  = 2000
	seeks       = 20
)

// keptFrame is the n-th of a camera of 4 Mbit/s with a keyframe every two seconds.
func keptFrame(e *media.Epoch, data [2][]byte, n int) *media.Sample {
	const clock = 90_000 / keptRate
	s := &media.Sample{Epoch: e, Track: e.Tracks[0], DTS: int64(n) * clock, PTS: int64(n) * clock, Captured: time.Unix(1_800_000_000, 0).Add(time.Duration(n) * time.Second / keptRate), Data: data[1]}
	if n%(2*keptRate) == 0 {
		s.Key, s.Data = true, data[0]
	}
	return s
}

// keptData is a keyframe and another frame, which together make 4 Mbit/s.
func keptData() [2][]byte {
	const key, gop = 100_000, 2 * keptRate
	return [2][]byte{pictures.Data(pictures.IDR(key, 1)), pictures.Data(pictures.P((2*keptBits/8-key)/(gop-1), 2))}
}

// keeping measures recordings, exports, films, and going back in time.
func keeping() ([]result, error) {
	var results []result
	for _, measure := range []func() ([]result, error){recordingCost, exporting, filming, seeking} {
		r, err := measure()
		if err != nil {
			return nil, err
		}
		results = append(results, r...)
	}
	return results, nil
}

// recordingCost compares recording with writing the same bytes, half a second at a time, to
// the disk.
func recordingCost() ([]result, error) {
	folder, err := os.MkdirTemp(".", ".bench-")
	if err != nil {
		return nil, err
	}
	defer func() { _ = os.RemoveAll(folder) }()
	data := keptData()
	var ours, bare []float64
	var written, payload int64
	for round := range rounds {
		cpu, err := processorTime(func() error {
			return eachFeed(func(feed int) error {
				n, err := recordOne(filepath.Join(folder, fmt.Sprintf("ours-%d-%d", round, feed)), data)
				if feed == 0 {
					written = n
				}
				return err
			})
		})
		if err != nil {
			return nil, err
		}
		ours = append(ours, cpu.Seconds())
		cpu, err = processorTime(func() error {
			return eachFeed(func(feed int) error {
				n, err := writeOne(filepath.Join(folder, fmt.Sprintf("bare-%d-%d", round, feed)), data)
				if feed == 0 {
					payload = n
				}
				return err
			})
		})
		if err != nil {
			return nil, err
		}
		bare = append(bare, cpu.Seconds())
	}
	o, b := median(ours), median(bare)
	share := func(cpu float64) string { return fmt.Sprintf("%.2f %% of a core", 100*cpu/keptSeconds) }
	return []result{
		{"processor time for recording 8 feeds of 4 Mbit/s", share(o), share(b) + " to write the same bytes", fmt.Sprintf("%.2f", o/b), "under 1.5"},
		{"bytes written for them", fmt.Sprintf("%.2f MB a minute and feed", float64(written)/1e6), fmt.Sprintf("%.2f MB of pictures", float64(payload)/1e6), fmt.Sprintf("%.4f", float64(written)/float64(payload)), "under 1.5"},
	}, nil
}

func eachFeed(do func(feed int) error) error {
	errs := make([]error, keptFeeds)
	var going sync.WaitGroup
	for i := range keptFeeds {
		going.Go(func() { errs[i] = do(i) })
	}
	going.Wait()
	return errors.Join(errs...)
}

// recordOne writes a minute of a feed as a recorder does, and returns the bytes.
func recordOne(path string, data [2][]byte) (written int64, err error) {
	f, err := os.Create(path)
	if err != nil {
		return 0, err
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	_, written, err = recordInto(f, data, 0, keptSeconds*keptRate)
	return written, err
}

// recordInto writes frames into a file, with its index.
func recordInto(f *os.File, data [2][]byte, from, to int) (*recording.Index, int64, error) {
	e := &media.Epoch{Number: 1, Tracks: []*media.Track{pictures.Track(pictures.SPS)}}
	m, err := recording.NewMuxer(e.Tracks[0], nil)
	if err != nil {
		return nil, 0, err
	}
	var at int64
	var buffer []byte
	put := func(parts ...[]byte) error {
		buffer = buffer[:0]
		for _, p := range parts {
			buffer = append(buffer, p...)
		}
		n, err := f.WriteAt(buffer, at)
		at += int64(n)
		return errors.Join(err, unix.Fdatasync(int(f.Fd())))
	}
	if err := put(m.Init()); err != nil {
		return nil, 0, err
	}
	sequence := uint32(0)
	take := func(x *recording.Fragment) error {
		if x == nil {
			return nil
		}
		sequence++
		return put(x.Parts(sequence)...)
	}
	for n := from; n < to; n++ {
		if err := take(m.Video(keptFrame(e, data, n))); err != nil {
			return nil, 0, err
		}
	}
	if err := take(m.Flush()); err != nil {
		return nil, 0, err
	}
	x, err := recording.ReadIndex(f, at)
	if err != nil {
		return nil, 0, err
	}
	return x, at, put(x.Access())
}

// writeOne writes the same pictures, half a second at a time.
func writeOne(path string, data [2][]byte) (written int64, err error) {
	f, err := os.Create(path)
	if err != nil {
		return 0, err
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	var buffer []byte
	for n := range keptSeconds * keptRate {
		if n%(2*keptRate) == 0 {
			buffer = append(buffer, data[0]...)
		} else {
			buffer = append(buffer, data[1]...)
		}
		if (n+1)%(keptRate/2) != 0 && n+1 != keptSeconds*keptRate {
			continue
		}
		if _, err := f.WriteAt(buffer, written); err != nil {
			return written, err
		}
		written += int64(len(buffer))
		buffer = buffer[:0]
		if err := unix.Fdatasync(int(f.Fd())); err != nil {
			return written, err
		}
	}
	return written, nil
}

// exporting compares exporting an hour with copying its files.
func exporting() ([]result, error) {
	folder, err := os.MkdirTemp(".", ".bench-")
	if err != nil {
		return nil, err
	}
	defer func() { _ = os.RemoveAll(folder) }()
	var sources []recording.Source
	var files []*os.File
	data := keptData()
	for i := range exported / perFile {
		f, err := os.Create(filepath.Join(folder, fmt.Sprint(i)))
		if err != nil {
			return nil, err
		}
		defer func() { _ = f.Close() }()
		x, _, err := recordInto(f, data, i*perFile*keptRate, (i+1)*perFile*keptRate)
		if err != nil {
			return nil, err
		}
		files, sources = append(files, f), append(sources, recording.Source{Reader: f, Index: x})
	}
	var ours, bare []float64
	for range rounds {
		took, err := timed(func() error { return exportTo(filepath.Join(folder, "out"), files, sources) })
		if err != nil {
			return nil, err
		}
		ours = append(ours, took.Seconds())
		took, err = timed(func() error { return copyTo(filepath.Join(folder, "out"), files) })
		if err != nil {
			return nil, err
		}
		bare = append(bare, took.Seconds())
	}
	o, b := median(ours), median(bare)
	return []result{{"export of an hour of 4 Mbit/s as one MP4", fmt.Sprintf("%.2f s", o), fmt.Sprintf("%.2f s to copy the files", b), fmt.Sprintf("%.2f", o/b), "under 3"}}, nil
}

func timed(work func() error) (time.Duration, error) {
	begun := time.Now()
	err := work()
	return time.Since(begun), err
}

func exportTo(path string, files []*os.File, sources []recording.Source) (err error) {
	first := sources[0].Index.Begins
	e, err := recording.NewExport(sources, first, first.Add(exported*time.Second), recording.AtKeyframes)
	if err != nil {
		return err
	}
	out, err := os.Create(path)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, out.Close()) }()
	if _, err := out.Write(e.Head); err != nil {
		return err
	}
	buffer := make([]byte, 1<<20)
	for _, p := range e.Pieces {
		if _, err := io.CopyBuffer(struct{ io.Writer }{out}, io.NewSectionReader(files[p.Source], p.Offset, p.Size), buffer); err != nil {
			return err
		}
	}
	return nil
}

func copyTo(path string, files []*os.File) (err error) {
	out, err := os.Create(path)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, out.Close()) }()
	buffer := make([]byte, 1<<20)
	for _, f := range files {
		info, err := f.Stat()
		if err != nil {
			return err
		}
		if _, err := io.CopyBuffer(struct{ io.Writer }{out}, io.NewSectionReader(f, 0, info.Size()), buffer); err != nil {
			return err
		}
	}
	return nil
}

// filming compares making a film with the codec libraries alone.
func filming() ([]result, error) {
	f, err := shoot(media.JPEG)
	if err != nil {
		return nil, err
	}
	program, err := testkit.Program("webostrum-codecs")
	if err != nil {
		return nil, err
	}
	e, _ := rendition.Rendition{Codec: media.H264, Size: rendition.Size{Width: filmWidth, Height: filmHeight}, FrameRate: filmRate, KeySeconds: 2, Profile: rendition.Main}.Resolve(filmWidth, filmHeight)
	e.BitRate *= 3
	e.FrameRate = 0
	alone, err := timed(func() error {
		for range filmStills / transcodeFor {
			if _, err := bareLoop(f, workerproto.Output{Number: 1, Encoding: e}); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	out, err := os.CreateTemp("", "film-*.mp4")
	if err != nil {
		return nil, err
	}
	defer func() { _ = os.Remove(out.Name()); _ = out.Close() }()
	track := media.VideoTrack(1, filmClock, &media.VideoConfig{Codec: media.JPEG, Width: filmWidth, Height: filmHeight})
	ours, err := timed(func() error {
		_, err := films.Make(context.Background(), films.Config{Worker: program, Format: films.MP4, Count: filmStills, Picture: func(i int) (films.Picture, error) {
			return films.Picture{Track: track, Data: f.picture(i)}, nil
		}}, out)
		return err
	})
	if err != nil {
		return nil, err
	}
	return []result{{"film of 2,000 stills of 1280x720", fmt.Sprintf("%.1f s", ours.Seconds()), fmt.Sprintf("%.1f s by the libraries alone", alone.Seconds()), fmt.Sprintf("%.2f", ours.Seconds()/alone.Seconds()), "–"}}, nil
}

// seeking measures how long it takes from a press on the timeline to the picture.
func seeking() ([]result, error) {
	t, end, err := openTheatre()
	if err != nil {
		return nil, err
	}
	defer end()
	const recorded = 60 * time.Second
	time.Sleep(recorded)
	if err := t.open(""); err != nil {
		return nil, err
	}
	if err := t.page.Until(onShow, playsWithin); err != nil {
		return nil, err
	}
	const element = `document.querySelector("webostrum-player")`
	go_ := func(back int) error {
		return t.page.Run(fmt.Sprintf(`window.sought = 0; { const v = %[1]s.shadowRoot.querySelector("video"), begun = performance.now(), to = Date.now() - %[2]d; %[1]s.goTo(to); const look = () => { const d = Number(%[1]s.dataset.date); v.requestVideoFrameCallback(() => { if (%[1]s.state === "playing" && !v.seeking && Math.abs(Number(%[1]s.dataset.date) - to) < 1500) window.sought = performance.now() - begun; else look(); }); }; look(); }`, element, back))
	}
	var all []float64
	for n := range seeks + 1 {
		if err := go_(5000 + n*7919%40000); err != nil {
			return nil, err
		}
		if err := t.page.Until("window.sought > 0", playsWithin); err != nil {
			return nil, err
		}
		took, err := t.page.Number("window.sought")
		if err != nil {
			return nil, err
		}
		if n > 0 { // the first one loads what plays recordings
			all = append(all, took)
		}
		time.Sleep(time.Second)
	}
	m := median(all)
	return []result{{"from a press on the timeline to the picture", fmt.Sprintf("%.0f ms", m), "300 ms allowed", fmt.Sprintf("%.2f", m/300), "under 1"}}, nil
}
