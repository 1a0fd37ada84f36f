package record_test

import (
	"io"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
	"webostrum/core/recording"
	"webostrum/record"
	"webostrum/store"
	"webostrum/testkit/objects"
)

// away is a house whose one recording was copied to a store.
type away struct {
	*house
	bucket *objects.Store
	file   recording.File
}

func newAway(t *testing.T) *away {
	t.Helper()
	a := &away{bucket: objects.New("cams")}
	server := httptest.NewServer(a.bucket)
	t.Cleanup(server.Close)
	a.house = newHouse(t, filepath.Join(t.TempDir(), "recordings"), true, store.Recording{})
	a.stop()
	a.config.Copies = record.Copies{To: "s3+" + server.URL + "/kept/cameras", AccessKey: "cams", SecretKey: "otter", Days: 30}
	a.open()
	a.library.Begin(feed, 0)
	a.until("two seconds are recorded", func() bool { return a.length() > 2*time.Second })
	a.library.Stop(feed)
	a.until("it is copied", func() bool {
		_, waiting, _ := a.library.Copying()
		return waiting == 0 && len(a.files()) == 1 && !a.files()[0].Open && len(a.bucket.Names()) == 1
	})
	a.file = a.files()[0]
	return a
}

func (a *away) local() string { return filepath.Join(a.folder, filepath.FromSlash(a.file.Path)) }

// read reads what can be had of the recording: the file as players do, an export, a keyframe.
func (a *away) read() (file, export, frame []byte, err error) {
	a.t.Helper()
	f, size, err := a.library.Open(feed, a.file.ID)
	if err != nil {
		return nil, nil, nil, err
	}
	defer func() { _ = f.Close() }()
	if file, err = io.ReadAll(io.NewSectionReader(f, 0, size)); err != nil {
		return nil, nil, nil, err
	}
	e, err := a.library.Export(feed, a.file.Begins, a.file.Ends, recording.AtKeyframes)
	if err != nil {
		return nil, nil, nil, err
	}
	defer e.Close()
	if export, err = io.ReadAll(e); err != nil {
		return nil, nil, nil, err
	}
	s, err := a.library.Keyframe(feed, a.file.Begins.Add(time.Second))
	if err != nil {
		return nil, nil, nil, err
	}
	return file, export, s.Data, nil
}

// TestWhatMakesWayPlaysFromTheStore as if it were here: files, exports, keyframes, playlists.
func TestWhatMakesWayPlaysFromTheStore(t *testing.T) {
	t.Parallel()
	a := newAway(t)
	list := func() string {
		text, _, err := a.library.Playlist(feed, a.file.Begins, a.file.Ends, func(int64) string { return "x.mp4" })
		require.NoError(t, err)
		return text
	}
	file, export, frame, err := a.read()
	require.NoError(t, err)
	before := list()

	require.NoError(t, a.library.MakeWay(a.file.ID))
	assert.NoFileExists(t, a.local())
	a.stop()
	a.open() // nothing of it is in memory any more
	require.Len(t, a.files(), 1)
	assert.True(t, a.files()[0].Away)
	room, err := a.library.Room()
	require.NoError(t, err)
	assert.Equal(t, []int64{0, 0, 1, a.file.Bytes}, []int64{int64(room.Files), room.Bytes, int64(room.Away), room.AwayBytes})
	file2, export2, frame2, err := a.read()
	require.NoError(t, err)
	assert.Equal(t, file, file2)
	assert.Equal(t, export, export2)
	assert.Equal(t, frame, frame2)
	assert.Equal(t, before, list())

	a.stop()
	a.open()
	a.bucket.Break(true)
	_, _, _, err = a.read()
	assert.Equal(t, fault.CopiesAway, fault.As(err).Kind.Code, "%v", err)
	_, _, err = a.library.Remove(feed, a.file.Begins.Add(-time.Second), a.file.Ends.Add(time.Second))
	assert.Equal(t, fault.CopiesAway, fault.As(err).Kind.Code, "what cannot be removed there is not forgotten: %v", err)
	require.Len(t, a.files(), 1)
	a.bucket.Break(false)

	_, err = a.library.Keep(feed, a.file.Begins, a.file.Ends, true)
	require.NoError(t, err)
	require.NoError(t, a.library.Expire(time.Now().Add(40*24*time.Hour)))
	require.Len(t, a.files(), 1, "what is marked stays")
	_, err = a.library.Keep(feed, a.file.Begins, a.file.Ends, false)
	require.NoError(t, err)
	require.NoError(t, a.library.Expire(time.Now().Add(20*24*time.Hour)))
	require.Len(t, a.files(), 1, "it is not old enough")
	require.NoError(t, a.library.Expire(time.Now().Add(40*24*time.Hour)))
	assert.Empty(t, a.files())
	assert.Empty(t, a.bucket.Names())
}

// TestAnIndexIsMadeOfWhatIsInTheStore where it is lost with the disk, and what the store has
// removed by its own rules is forgotten.
func TestAnIndexIsMadeOfWhatIsInTheStore(t *testing.T) {
	t.Parallel()
	a := newAway(t)
	a.stop()
	require.NoError(t, os.Remove(a.local()))
	require.NoError(t, a.records.ForgetRecordedFile(a.file.ID))
	a.bucket.Put("kept/cameras/notes.txt", []byte("somebody else's"))
	a.bucket.Put("kept/cameras/"+feed+"/2026-11-27/"+feed+"-20261127T083000.250Z.mp4", []byte("torn"))
	a.open()
	a.until("it is found", func() bool { return len(a.files()) == 1 })
	found := a.files()[0]
	assert.True(t, found.Away)
	found.ID, found.Away, found.Why, found.Follows = a.file.ID, false, a.file.Why, a.file.Follows
	assert.Equal(t, a.file, found, "all but why it was recorded")

	for _, name := range a.bucket.Names() {
		a.bucket.Remove(name)
	}
	_, _, err := a.library.Playlist(feed, a.file.Begins, a.file.Ends, func(int64) string { return "x" })
	assert.Equal(t, fault.RecordingNone, fault.As(err).Kind.Code)
	assert.Empty(t, a.files())
}

// TestRemovingRemovesCopies: what somebody wants gone is gone everywhere.
func TestRemovingRemovesCopies(t *testing.T) {
	t.Parallel()
	a := newAway(t)
	n, _, err := a.library.Remove(feed, a.file.Begins.Add(-time.Second), a.file.Ends.Add(time.Second))
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	assert.NoFileExists(t, a.local())
	assert.Empty(t, a.bucket.Names())
	assert.Empty(t, a.files())
}

// TestAFileThatIsLostHereIsAway, and one that is put back is here again.
func TestAFileThatIsLostHereIsAway(t *testing.T) {
	t.Parallel()
	a := newAway(t)
	a.stop()
	kept := filepath.Join(t.TempDir(), "kept.mp4")
	require.NoError(t, os.Rename(a.local(), kept))
	a.open()
	a.until("it is away", func() bool { return len(a.files()) == 1 && a.files()[0].Away })
	a.stop()
	require.NoError(t, os.Rename(kept, a.local()))
	a.open()
	a.until("it is here", func() bool { return len(a.files()) == 1 && !a.files()[0].Away })
	a.stop()
	a.config.Copies = record.Copies{}
	require.NoError(t, os.Remove(a.local()))
	a.open()
	a.until("without a store it is forgotten", func() bool { return len(a.files()) == 0 })
	assert.True(t, strings.HasPrefix(a.bucket.Names()[0], "kept/cameras/"), "and the copy stays there")
}
