package service

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/store"
)

// TestBackupsAreKeptByNumber, and what a wrong clock has dated into the time to come neither
// keeps others from being made nor has them removed.
func TestBackupsAreKeptByNumber(t *testing.T) {
	records, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer func() { assert.NoError(t, records.Close()) }()
	b := Backups{Folder: filepath.Join(t.TempDir(), "kept"), Every: 24 * time.Hour, Keep: 2, Passphrase: "seven otters at dawn"}
	now := time.Now()
	assert.Zero(t, b.Newest(now))

	dated := func(name string, at time.Time) {
		path := filepath.Join(b.Folder, name)
		require.NoError(t, os.WriteFile(path, nil, 0o600))
		require.NoError(t, os.Chtimes(path, at, at))
	}
	require.NoError(t, os.MkdirAll(b.Folder, 0o700))
	dated("webostrum-20990101-000000.backup", now.AddDate(1, 0, 0))
	dated(".making-1", now.Add(-2*time.Hour))
	dated("somebody's.txt", now.AddDate(-1, 0, 0))
	assert.Zero(t, b.Newest(now), "that one is not made yet")
	for i := range 4 {
		require.NoError(t, b.make(context.Background(), records, now.Add(time.Duration(i-10)*time.Second)))
	}
	list, err := b.list(time.Now())
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, "webostrum-"+now.Add(-7*time.Second).UTC().Format("20060102-150405")+".backup", filepath.Base(list[1].path))
	assert.Less(t, time.Since(b.Newest(time.Now())), time.Minute)
	for name, stays := range map[string]bool{"webostrum-20990101-000000.backup": true, "somebody's.txt": true, ".making-1": false} {
		_, err := os.Stat(filepath.Join(b.Folder, name))
		assert.Equal(t, stays, err == nil, name)
	}
	info, err := os.Stat(list[1].path)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode())
	second := t.TempDir()
	f, err := os.Open(list[1].path)
	require.NoError(t, err)
	defer func() { _ = f.Close() }()
	_, err = store.RestoreInto(second, f, b.Passphrase)
	assert.NoError(t, err)
}
