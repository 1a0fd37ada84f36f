package store_test

import (
	"archive/tar"
	"compress/gzip"
	"io"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/store"
)

// unpackRelease puts the data folder of a released version into a new folder.
func unpackRelease(t *testing.T, version string) (folder string) {
	t.Helper()
	folder = t.TempDir()
	packed, err := os.Open(filepath.Join("testdata", "release", version+".tar.gz"))
	require.NoError(t, err)
	defer func() { _ = packed.Close() }()
	unzipped, err := gzip.NewReader(packed)
	require.NoError(t, err)
	for files := tar.NewReader(unzipped); ; {
		h, err := files.Next()
		if err == io.EOF {
			return folder
		}
		require.NoError(t, err)
		b, err := io.ReadAll(files)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(folder, filepath.Base(h.Name)), b, 0o600))
	}
}

// TestUpgradeFromTheFirstRelease opens a data folder that the released 0.1.0 wrote, twice: all
// that was in it is there, with its secrets, and works.
func TestUpgradeFromTheFirstRelease(t *testing.T) {
	folder := unpackRelease(t, "0.1.0")
	for range 2 {
		s := open(t, folder)
		lower, err := s.Feed("lower-station")
		require.NoError(t, err)
		assert.Contains(t, lower.URL, "?key=secret1")
		require.Len(t, lower.Renditions, 1)
		assert.Equal(t, "small", lower.Renditions[0].Name)
		links, err := s.Links("lower-station")
		require.NoError(t, err)
		require.Len(t, links, 1)
		assert.Equal(t, "town-hall", links[0].Name)
		phone, err := s.Feed("phone")
		require.NoError(t, err)
		assert.True(t, phone.Pushed)
		assert.NotEmpty(t, phone.PublishKey)
		winch, err := s.Feed("winch-room")
		require.NoError(t, err)
		assert.False(t, winch.Enabled)
		for name, password := range map[string]string{"engineer": "correct-horse-battery", "guest": "correct-horse"} {
			_, err := s.CheckPassword(name, password)
			assert.NoError(t, err, name)
		}
		require.NoError(t, s.Whole())
		require.NoError(t, s.AddStretches([]store.Stretch{{FeedID: lower.ID, Live: 60}}, time.Now()))
		require.NoError(t, s.Close())
	}
}
