package store_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"filippo.io/age"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/store"
)

const phrase = "seven otters at dawn"

func backup(t *testing.T, s *store.Store) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, s.Backup(context.Background(), &b, phrase, "test", time.Now()))
	return b.Bytes()
}

// TestACopyThatWasLeftBehind by a service that was killed while it made a backup goes with the
// next start: it is not sealed.
func TestACopyThatWasLeftBehind(t *testing.T) {
	folder := t.TempDir()
	for _, name := range []string{"backup-1.db", "backup-1.db-journal", "mine.db"} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte("x"), 0o600))
	}
	open(t, folder)
	left, err := filepath.Glob(filepath.Join(folder, "*-1.db*"))
	require.NoError(t, err)
	assert.Empty(t, left)
	assert.FileExists(t, filepath.Join(folder, "mine.db"))
}

// TestBackupAndRestore in another folder, with credentials and certificates, while somebody
// writes.
func TestBackupAndRestore(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	f := feed("gate")
	require.NoError(t, s.AddFeed(&f))
	require.NoError(t, os.MkdirAll(filepath.Join(folder, "certificates"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "certificates", "cams.example.org"), []byte("pem"), 0o600))
	var writing sync.WaitGroup
	stop := make(chan struct{})
	writing.Go(func() {
		for i := 0; ; i++ {
			select {
			case <-stop:
				return
			default:
				assert.NoError(t, s.AddEvent(&store.Event{At: time.Now(), Kind: "change", Text: fmt.Sprint(i)}))
			}
		}
	})
	sealed := backup(t, s)
	close(stop)
	writing.Wait()
	assert.NotContains(t, string(sealed), "opensesame")
	left, err := filepath.Glob(filepath.Join(folder, "backup-*"))
	require.NoError(t, err)
	assert.Empty(t, left)

	second := t.TempDir()
	other := open(t, second)
	g := feed("yard")
	require.NoError(t, other.AddFeed(&g))
	m, err := store.StageRestore(second, bytes.NewReader(sealed), phrase)
	require.NoError(t, err)
	assert.Equal(t, "test", m.Version)
	_, err = other.Feed("yard")
	require.NoError(t, err, "nothing changes before the next start")
	require.NoError(t, other.Close())
	other = open(t, second)
	got, err := other.Feed("gate")
	require.NoError(t, err)
	assert.Equal(t, "opensesame", got.Password)
	_, err = other.Feed("yard")
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = os.Stat(filepath.Join(second, "certificates", "cams.example.org"))
	require.NoError(t, err)
	before, err := filepath.Glob(filepath.Join(second, "before-restore-*", "webostrum.db"))
	require.NoError(t, err)
	assert.Len(t, before, 1, "what it replaced is kept")
}

// TestARestoreThatIsCutOff is gone on with.
func TestARestoreThatIsCutOff(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	f := feed("gate")
	require.NoError(t, s.AddFeed(&f))
	sealed := backup(t, s)
	require.NoError(t, s.Close())
	second := t.TempDir()
	require.NoError(t, open(t, second).Close())
	_, err := store.StageRestore(second, bytes.NewReader(sealed), phrase)
	require.NoError(t, err)
	// The machine stops after the first file was moved.
	require.NoError(t, os.Rename(filepath.Join(second, "restore-ready", "webostrum.db"), filepath.Join(second, "webostrum.db")))
	again := open(t, second)
	got, err := again.Feed("gate")
	require.NoError(t, err)
	assert.Equal(t, "opensesame", got.Password)
}

// TestBackupsThatAreNone leave everything as it was.
func TestBackupsThatAreNone(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	f := feed("gate")
	require.NoError(t, s.AddFeed(&f))
	sealed := backup(t, s)
	restore := func(b []byte, phrase string) error {
		_, err := store.StageRestore(folder, bytes.NewReader(b), phrase)
		return err
	}
	assert.ErrorIs(t, restore(sealed, "wrong"), store.ErrPassphrase)
	assert.ErrorIs(t, restore([]byte("no backup"), phrase), store.ErrNotBackup)
	for _, n := range []int{len(sealed) - 1, len(sealed) / 2, 400} {
		assert.Error(t, restore(sealed[:n], phrase), n)
	}
	assert.ErrorIs(t, restore(sealed[:len(sealed)-1], phrase), store.ErrCut)
	broken := bytes.Clone(sealed)
	broken[len(broken)/2] ^= 1
	assert.Error(t, restore(broken, phrase))
	recipient, err := age.NewScryptRecipient(phrase)
	require.NoError(t, err)
	recipient.SetWorkFactor(10)
	var other bytes.Buffer
	w, err := age.Encrypt(&other, recipient)
	require.NoError(t, err)
	_, err = io.Copy(w, strings.NewReader("sealed, and something else"))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	assert.ErrorIs(t, restore(other.Bytes(), phrase), store.ErrCut)

	require.NoError(t, s.Exec(`INSERT INTO migrations (number, at) VALUES (99, '2030-01-01')`))
	assert.ErrorIs(t, restore(backup(t, s), phrase), store.ErrNewer, "of a newer version")
	require.NoError(t, s.Exec(`DELETE FROM migrations WHERE number = 99`))
	for _, left := range []string{"restore-new", "restore-ready"} {
		_, err := os.Stat(filepath.Join(folder, left))
		assert.ErrorIs(t, err, os.ErrNotExist, left)
	}
	got, err := s.Feed("gate")
	require.NoError(t, err)
	assert.Equal(t, "opensesame", got.Password)
}
