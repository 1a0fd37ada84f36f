// Package record records feeds into files and gives them out again: recorders beside the
// live path, the index and its repair, what is removed when, playlists, exports and stills.
//
// Limits: a recorder reads its feed's hub, which bounds what it may be behind; one that falls
// further behind leaves frames out and says so. 64 indexes of files are kept in memory.
package record

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"

	"webostrum/core/fault"
	"webostrum/core/recording"
	"webostrum/station"
	"webostrum/store"
)

const repairWithin = 5 * time.Second // for a disk that is slow

// Config says what a library works with.
type Config struct {
	Folder string // of the recordings; made when it is not there
	Own    bool   // the folder is in the service's own data folder, and may be made anew
	Worker string // path of the codec worker, for stills and motion; empty without

	Most int64 // bytes of all recordings together; 0 is no limit
	Free int64 // bytes that are to stay free on the disk

	Copies Copies

	Store   *store.Store
	Station *station.Station
	Log     *slog.Logger
}

// Library is all recordings. It is safe for concurrent use.
type Library struct {
	cfg   Config
	store *store.Store
	clock clockWatch // of what makes room

	copier    *copier    // nil for none
	copyClock clockWatch // of what copies

	mu      sync.Mutex
	copying *fault.Error               // why nothing is copied; guarded by mu
	open    map[string]*file           // by path; guarded by mu
	state   map[string]*State          // by feed; guarded by mu
	hand    map[string]time.Time       // until when a feed is recorded by hand; guarded by mu
	indexes map[int64]*recording.Index // of finished files; guarded by mu
	motion  map[string]*watched        // by feed; guarded by mu

	repaired chan struct{} // closed when the files of the time before are finished
	removed  sync.Mutex    // one removal at a time
}

// State is how recording a feed goes.
type State struct {
	Recording bool
	Why       string // always, timetable, hand or motion
	Since     time.Time
	Until     time.Time    // of what somebody began by hand; zero for no end
	Problem   *fault.Error // why nothing is written; nil while it is
	Left      uint64       // frames that were left out since the start, the disk being slow
}

// New makes a library. Run keeps it.
func New(cfg Config) (*Library, error) {
	l := &Library{cfg: cfg, store: cfg.Store, open: make(map[string]*file), state: make(map[string]*State), hand: make(map[string]time.Time), indexes: make(map[int64]*recording.Index), motion: make(map[string]*watched), repaired: make(chan struct{})}
	var err error
	if l.copier, err = newCopier(cfg.Copies); err != nil {
		return nil, err
	}
	if cfg.Own {
		if err := os.MkdirAll(cfg.Folder, folderRights); err != nil {
			return nil, err
		}
	}
	if err := l.checkFolder(); err != nil {
		cfg.Log.Warn("nothing can be recorded", "error", err)
	}
	go func() { // Run waits for it
		defer close(l.repaired)
		l.repair()
	}()
	select {
	case <-l.repaired: // before anybody asks what there is
	case <-time.After(repairWithin):
		cfg.Log.Warn("recordings are still being repaired")
	}
	return l, nil
}

// Folder is where the recordings are.
func (l *Library) Folder() string { return l.cfg.Folder }

func (l *Library) full(path string) string {
	return filepath.Join(l.cfg.Folder, filepath.FromSlash(path))
}

func (l *Library) begin(x *file) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.open[x.path] = x
}

func (l *Library) done(x *file) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.open[x.path] == x {
		delete(l.open, x.path)
	}
}

const (
	markName    = ".webostrum-recordings"
	settingMark = "recordings-folder"
)

// checkFolder sees that the folder is the one that recordings were written to before, so that
// a disk that is not mounted is not mistaken for an empty one, and nothing is removed in a
// folder of somebody else's.
func (l *Library) checkFolder() error {
	known, err := l.store.Setting(settingMark)
	if err != nil {
		return err
	}
	mark := filepath.Join(l.cfg.Folder, markName)
	body, err := os.ReadFile(mark)
	found := strings.TrimSpace(string(body))
	switch {
	case err == nil && found != "" && found == known:
		return nil
	case err != nil && !errors.Is(err, fs.ErrNotExist):
		return folderFault(err, "%s cannot be read.", mark)
	case err != nil && known != "" && !l.cfg.Own:
		return folderFault(nil, "%s is not there, so this is not the folder that recordings are in: is its disk mounted? If it is to be another folder from now on, make an empty file of that name.", mark)
	case err == nil && found != "":
		return l.remember(found) // records that were restored, or made anew: the files are ours
	}
	if err != nil && !l.cfg.Own {
		if err := l.newFolder(); err != nil {
			return err
		}
	}
	id := strings.ToLower(rand.Text())
	if err := os.WriteFile(mark, []byte(id+"\n"), ownerOnly); err != nil {
		return folderFault(err, "%s cannot be written.", mark)
	}
	return l.remember(id)
}

// newFolder sees that a folder that was named for the first time is empty, or makes it.
func (l *Library) newFolder() error {
	if err := os.MkdirAll(l.cfg.Folder, folderRights); err != nil {
		return folderFault(err, "%s cannot be made.", l.cfg.Folder)
	}
	entries, err := os.ReadDir(l.cfg.Folder)
	if err != nil {
		return folderFault(err, "%s cannot be read.", l.cfg.Folder)
	}
	for _, e := range entries {
		if e.Name() != "lost+found" {
			return folderFault(nil, "%s has other things in it, such as %q: choose an empty folder, or make an empty file %s in it.", l.cfg.Folder, e.Name(), markName)
		}
	}
	return nil
}

func (l *Library) remember(id string) error { return l.store.SetSetting(settingMark, id) }

func folderFault(err error, format string, args ...any) error {
	return fault.New(fault.RecordingFolder, err, format, args...)
}

// DiskFault is an error of a disk as a fault; other errors stay what they are.
func DiskFault(err error) *fault.Error {
	var f *fault.Error
	var path *fs.PathError
	switch {
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		return fault.New(fault.DiskFull, err, "Recordings cannot be written: %v.", err)
	case errors.As(err, &f):
		return f
	case errors.As(err, &path), errors.Is(err, syscall.EIO), errors.Is(err, syscall.EROFS):
		return fault.New(fault.RecordingDisk, err, "%v.", err)
	}
	if f := fault.As(err); f.Kind.Code != fault.Garbled {
		return f
	}
	return fault.New(fault.Failed, err, "%v", err)
}

// failed notes that recording a feed failed, or that its camera is away; it says whether a
// disk was to blame.
func (l *Library) failed(feed string, err error) (disk bool) {
	if err == nil {
		return false
	}
	f := DiskFault(err)
	switch f.Kind.Code {
	case fault.DiskFull, fault.RecordingDisk, fault.RecordingFolder, fault.RecordingUnfit, fault.Failed:
		disk = true
	default:
		return false // there is nothing to record at present, which the feed's own state tells
	}
	l.mu.Lock()
	s := l.stateLocked(feed)
	news, _ := fault.Changed(s.Problem, f)
	s.Problem = f
	l.mu.Unlock()
	if news {
		l.cfg.Station.By("", "").Warn(feed, f.Kind.Code, "not recorded: "+f.Error())
		l.cfg.Station.Changed()
	}
	return disk
}

// wrote notes that a fragment was written.
func (l *Library) wrote(feed string) {
	l.mu.Lock()
	s := l.stateLocked(feed)
	before := s.Problem
	s.Problem = nil
	l.mu.Unlock()
	if before != nil {
		l.cfg.Station.By("", "").Note(feed, station.EventChange, "it is recorded again")
		l.cfg.Station.Changed()
	}
}

// slow notes frames that were left out.
func (l *Library) slow(feed string, frames uint64) {
	l.mu.Lock()
	l.stateLocked(feed).Left += frames
	l.mu.Unlock()
	l.cfg.Station.By("", "").Note(feed, station.EventWarning, fmt.Sprintf("%d frames are not in the recording: the disk was too slow", frames))
}

func (l *Library) stateLocked(feed string) *State {
	s := l.state[feed]
	if s == nil {
		s = &State{}
		l.state[feed] = s
	}
	return s
}

// State returns how recording a feed goes.
func (l *Library) State(feed string) State {
	l.mu.Lock()
	defer l.mu.Unlock()
	if s := l.state[feed]; s != nil {
		return *s
	}
	return State{}
}

// Run records what is to be recorded until ctx ends, and finishes its files.
func (l *Library) Run(ctx context.Context) {
	<-l.repaired
	var going sync.WaitGroup
	going.Go(func() { l.keepRoom(ctx) })
	going.Go(func() {
		l.adopt(ctx) // before it is looked what the object store has, and nobody else
		l.copyFiles(ctx)
	})
	l.supervise(ctx)
	going.Wait()
}
