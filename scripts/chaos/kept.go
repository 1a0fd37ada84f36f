package main

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"webostrum/apitypes"
	"webostrum/core/recording"
	"webostrum/wait"
)

// What is kept and combined: one feed is recorded and has stills taken, one is connected while
// needed, and one takes turns between them.
const (
	recorded     = "gate"
	needed       = "yard"
	both         = "line"
	recordedMost = 8 << 20 // bytes of recordings that are kept
	recordsOn    = 6 * time.Second
)

// keep sets up what is kept.
func keep(in *apitypes.NewFeed) {
	switch in.Name {
	case recorded:
		in.Recording.Mode, in.Recording.Minutes, in.Recording.Bytes = "always", 1, recordedMost
		in.Stills = []apitypes.StillSchedule{{Name: "often", Seconds: 2, Days: 0.01}}
	case needed:
		in.WhileNeeded = true
	}
}

// addLine adds the feed that takes turns.
func (w *world) addLine() error {
	in := apitypes.NewFeed{Name: both, FeedSettings: apitypes.Defaults("")}
	in.Audience.Who = "everyone"
	in.Combined = apitypes.CombinedSettings{Kind: "turns", Sources: []apitypes.CombinedFeed{{Feed: recorded, Seconds: 25}, {Feed: needed, Seconds: 5}}}
	_, err := w.cl.AddFeed(context.Background(), in)
	return err
}

// files are the recordings on the disk.
func (w *world) files() (list []string) {
	_ = filepath.WalkDir(filepath.Join(w.data, "recordings"), func(path string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() && strings.HasSuffix(path, ".mp4") {
			list = append(list, path)
		}
		return nil
	})
	return list
}

// wholeFiles looks whether each recording can be played as it lies there, after the service
// has gone.
func (w *world) wholeFiles() {
	for _, path := range w.files() {
		if err := readable(path); err != nil {
			w.broke("a recording cannot be played after the service has gone: %s: %v", path, err)
		}
		w.mu.Lock()
		w.report.Files++
		w.mu.Unlock()
	}
}

func readable(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	x, err := recording.ReadIndex(f, info.Size())
	if err != nil {
		return err
	}
	if !x.Ends().After(x.Begins) {
		return fmt.Errorf("there is nothing in it, in %d bytes", info.Size())
	}
	return nil
}

// keeps looks in a calm whether the feed is recorded, the index is that of the files, and what
// was recorded can be had.
func (w *world) keeps(ctx context.Context) {
	why := "?"
	for range 10 {
		if why = w.kept(ctx); why == "" || ctx.Err() != nil {
			return
		}
		wait.For(ctx, time.Second)
	}
	w.broke("in a calm: %s", why)
}

// kept says what is wrong with what is kept; nothing is an empty text.
func (w *world) kept(ctx context.Context) string {
	r, err := w.cl.Recordings(ctx, recorded, time.Now().Add(-time.Minute), time.Now())
	switch n := len(w.files()); {
	case err != nil:
		return err.Error()
	case !r.State.Recording || r.State.Problem != "":
		return "it is not recorded: " + r.State.Problem
	case r.Newest == nil || time.Since(*r.Newest) > recordsOn:
		return fmt.Sprintf("the newest of what is recorded is of %v", r.Newest)
	case r.Files != n:
		return fmt.Sprintf("there are %d files, and the index has %d", n, r.Files)
	case r.Bytes > recordedMost+recordedMost/2:
		return fmt.Sprintf("%d bytes are kept, and %d are to be", r.Bytes, recordedMost)
	}
	var out counted
	if _, err := w.cl.ExportRecording(ctx, &out, recorded, time.Now().Add(-10*time.Second), time.Now(), false); err != nil || out == 0 {
		return fmt.Sprintf("nothing can be had of it: %d bytes, %v", out, err)
	}
	if t, err := w.cl.Turn(ctx, both); err != nil || t.On == "" {
		return fmt.Sprintf("nobody is on in %s: %v", both, err)
	}
	return ""
}

// counted counts what is written to it.
type counted int

func (c *counted) Write(b []byte) (int, error) { *c += counted(len(b)); return len(b), nil }
