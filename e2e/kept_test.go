package e2e

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/testkit"
)

// TestBackupByTheCommandLine while a feed is live; what cannot be restored changes nothing, and
// what can has the service start again with it.
func TestBackupByTheCommandLine(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s")
	w.addFeed()
	w.state("live")
	folder := t.TempDir()
	write := func(name string, body []byte) string {
		path := filepath.Join(folder, name)
		require.NoError(t, os.WriteFile(path, body, 0o600))
		return path
	}
	phrase, wrong := write("phrase", []byte("seven otters at dawn\n")), write("wrong", []byte("eight otters at dusk\n"))
	kept := filepath.Join(folder, "kept.backup")
	out, code := w.cli("backup", "--passphrase-file", phrase, kept)
	require.Zero(t, code, out)
	body, err := os.ReadFile(kept)
	require.NoError(t, err)
	assert.NotContains(t, string(body), password)

	out, code = w.cli("feed", "edit", "--title", "Changed since", feed)
	require.Zero(t, code, out)
	for _, bad := range []struct{ file, phrase, says string }{
		{kept, wrong, "passphrase"},
		{write("cut.backup", body[:len(body)/2]), phrase, "not whole"},
		{write("none.backup", []byte("none")), phrase, "no backup"},
	} {
		out, code = w.cli("restore", "--passphrase-file", bad.phrase, bad.file)
		assert.NotZero(t, code, bad.file)
		assert.Contains(t, out, bad.says)
	}
	out, _ = w.cli("feed", "show", feed)
	assert.Contains(t, out, "Changed since")

	out, code = w.cli("restore", "--passphrase-file", phrase, kept)
	require.Zero(t, code, out)
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	require.NoError(t, testkit.Eventually(ctx, func() bool {
		out, code := w.cli("feed", "show", feed)
		return code == 0 && strings.Contains(out, "Lower station")
	}))
	w.state("live")
}

// TestFeedsAsAFile go out and in again: the same changes nothing, and one that is wrong
// changes nothing either.
func TestFeedsAsAFile(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s")
	w.addFeed()
	file := filepath.Join(t.TempDir(), "feeds.yaml")
	out, code := w.cli("feed", "export", file)
	require.Zero(t, code, out)
	body, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Contains(t, string(body), "Lower station")
	again := func(body string, options ...string) (string, int) {
		require.NoError(t, os.WriteFile(file, []byte(body), 0o600))
		return w.cli(append(append([]string{"feed", "import"}, options...), file)...)
	}
	out, code = again(string(body))
	require.Zero(t, code, out)
	assert.Equal(t, "1 as they were\n", out)

	changed := strings.Replace(string(body), "Lower station", "The lower station", 1)
	out, code = again(changed, "--dry-run")
	require.Zero(t, code, out)
	assert.Contains(t, out, feed)
	f, err := w.client().Feed(t.Context(), feed)
	require.NoError(t, err)
	assert.Equal(t, "Lower station", f.Title)

	out, code = again(strings.Replace(changed, "rtsp://", "gopher://", 1))
	assert.NotZero(t, code)
	assert.Contains(t, out, feed)
	f, err = w.client().Feed(t.Context(), feed)
	require.NoError(t, err)
	assert.Equal(t, "Lower station", f.Title)

	out, code = again(changed)
	require.Zero(t, code, out)
	f, err = w.client().Feed(t.Context(), feed)
	require.NoError(t, err)
	assert.Equal(t, "The lower station", f.Title)
}
