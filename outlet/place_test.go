package outlet

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
)

func TestPlaces(t *testing.T) {
	root := t.TempDir()
	for _, right := range []string{"folder:gate", "folder:a/b", "https://www.example.org/dav/gate", "http://127.0.0.1:8080", "s3+https://store.example.org/bucket", "s3+http://127.0.0.1:9000/bucket/a/b"} {
		assert.NoError(t, Parse(right, root), right)
	}
	for _, wrong := range []string{"folder:", "folder:.", "folder:..", "folder:../x", "folder:/etc", `folder:a\b`, "gate", "ftp://x/y", "https://", "https://u:p@x/y", "https://x/y?z", "s3+https://store.example.org", "s3+file:///x"} {
		assert.Error(t, Parse(wrong, root), wrong)
	}
	assert.ErrorContains(t, Parse("folder:gate", ""), "--outlet-folder")
	assert.Equal(t, "www.example.org", Host("https://www.example.org/dav"))
	assert.Equal(t, "store.example.org", Host("s3+https://store.example.org/b"))
	assert.Empty(t, Host("folder:gate"))
}

func TestOverlap(t *testing.T) {
	for a, b := range map[string]string{"folder:gate": "folder:gate/", "folder:a": "folder:a/b", "https://www.example.org/dav/a/b": "https://www.example.org/dav"} {
		assert.True(t, Overlap(a, b) && Overlap(b, a), a)
	}
	for a, b := range map[string]string{"folder:gate": "folder:gate-2", "": "folder:gate", "https://www.example.org/a": "s3+https://www.example.org/a"} {
		assert.False(t, Overlap(a, b) || Overlap(b, a), a)
	}
	assert.False(t, Overlap("", ""))
}

// TestAFolderIsOurs when it is empty or marked, and what is put there is there whole.
func TestAFolderIsOurs(t *testing.T) {
	ctx := context.Background()
	dir := filepath.Join(t.TempDir(), "gate")
	f := folder(dir)
	there, err := f.claim(ctx)
	require.NoError(t, err)
	assert.Empty(t, there)
	require.NoError(t, f.put(ctx, "original/a.m4s", "", []byte("one")))
	require.NoError(t, f.put(ctx, "original/a.m4s", "", []byte("two")))
	there, err = f.claim(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"original/a.m4s"}, there, "and nothing that is half written")
	body, err := os.ReadFile(filepath.Join(dir, "original", "a.m4s"))
	require.NoError(t, err)
	assert.Equal(t, "two", string(body))
	require.NoError(t, f.remove(ctx, "original/a.m4s"))
	require.NoError(t, f.remove(ctx, "original/a.m4s"), "what is gone is gone")

	other := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(other, "index.html"), []byte("mine"), 0o600))
	_, err = folder(other).claim(ctx)
	var refused *fault.Error
	require.True(t, errors.As(err, &refused))
	assert.Equal(t, fault.OutletForeign, refused.Kind.Code)
	require.NoError(t, os.WriteFile(filepath.Join(other, markName), nil, 0o600))
	_, err = folder(other).claim(ctx)
	assert.NoError(t, err)
}

func TestWhatGoesWithARun(t *testing.T) {
	for name, want := range map[string]bool{"index.m3u8": true, "original/x-1.m4s": true, "x-init0.mp4": true, "still.jpg": true, "a.m4s.making": true, "index.html": false, "page.js": false, "logo.png": false} {
		assert.Equal(t, want, ours(name), name)
	}
	assert.Less(t, order("z/list.m3u8"), order("a/x.m4s"), "lists go first")
	assert.Equal(t, []string{"", "a", "a/b"}, parents("a/b/c.m4s"))
}
