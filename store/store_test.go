package store_test

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/bcrypt"

	"webostrum/store"
)

func open(t *testing.T, folder string) *store.Store {
	t.Helper()
	s, err := store.Open(folder)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

func feed(name string) store.Feed {
	return store.Feed{Name: name, Title: name, URL: "rtsp://192.0.2.7/a", User: "someuser", Password: "opensesame", Transport: "auto", SegmentMillis: 2000, PlaylistLength: 6}
}

func TestFeedsSurviveAndCredentialsAreSealed(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	f := feed("gate")
	require.NoError(t, s.AddFeed(&f))
	again := feed("gate")
	assert.ErrorIs(t, s.AddFeed(&again), store.ErrTaken)
	require.NoError(t, s.Close())

	files, err := filepath.Glob(filepath.Join(folder, "*"))
	require.NoError(t, err)
	for _, name := range files {
		body, err := os.ReadFile(name)
		require.NoError(t, err)
		assert.False(t, bytes.Contains(body, []byte("opensesame")), "the password stands in %s", name)
		assert.False(t, bytes.Contains(body, []byte("someuser")), "the user stands in %s", name)
	}
	s = open(t, folder)
	got, err := s.Feed("gate")
	require.NoError(t, err)
	assert.Equal(t, []string{"someuser", "opensesame"}, []string{got.User, got.Password})
	_, err = s.Feed("other")
	assert.ErrorIs(t, err, store.ErrNotFound)
	assert.ErrorIs(t, s.RemoveFeed("other"), store.ErrNotFound)
	require.NoError(t, s.RemoveFeed("gate"))
}

func TestKeyFileIsLookedAfter(t *testing.T) {
	folder := t.TempDir()
	require.NoError(t, open(t, folder).Close())
	key := filepath.Join(folder, "seal.key")
	require.NoError(t, os.Chmod(key, 0o644))
	_, err := store.Open(folder)
	assert.ErrorContains(t, err, "chmod 600")
	require.NoError(t, os.Chmod(key, 0o600))
	require.NoError(t, os.WriteFile(key, []byte("short"), 0o600))
	_, err = store.Open(folder)
	assert.ErrorContains(t, err, "restore it")
}

func TestAnotherKeyOpensNothing(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	f := feed("gate")
	require.NoError(t, s.AddFeed(&f))
	require.NoError(t, s.Close())
	require.NoError(t, os.WriteFile(filepath.Join(folder, "seal.key"), make([]byte, 32), 0o600))
	s = open(t, folder)
	_, err := s.Feeds()
	assert.ErrorContains(t, err, "does not belong")
}

func TestAccountsAndTokens(t *testing.T) {
	s := open(t, t.TempDir())
	a, err := s.AddAccount("engineer", store.RoleEngineer, "secret words")
	require.NoError(t, err)
	_, err = s.CheckPassword("engineer", "secret words")
	require.NoError(t, err)
	_, err = s.CheckPassword("engineer", "wrong")
	assert.ErrorIs(t, err, store.ErrPassword)
	_, err = s.CheckPassword("nobody", "wrong")
	assert.ErrorIs(t, err, store.ErrPassword, "the same answer for a name that is not there")

	now := time.Now()
	token, err := s.NewToken(a, store.TokenSession, now.Add(time.Hour))
	require.NoError(t, err)
	who, err := s.ByToken(token, now)
	require.NoError(t, err)
	assert.Equal(t, "engineer", who.Name)
	_, err = s.ByToken(token, now.Add(2*time.Hour))
	assert.ErrorIs(t, err, store.ErrNotFound, "expired")
	require.NoError(t, s.DropToken(token))
	_, err = s.ByToken(token, now)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestUnknownNameCostsAsMuchAsAWrongPassword(t *testing.T) {
	cost, err := bcrypt.Cost(store.UnknownHash())
	require.NoError(t, err)
	assert.Equal(t, 12, cost)
}

func TestEventsAreBounded(t *testing.T) {
	s := open(t, t.TempDir())
	for i := range 5 {
		require.NoError(t, s.AddEvent(&store.Event{At: time.Now(), Feed: []string{"a", "b"}[i%2], Kind: "state", Text: "x"}))
	}
	events, err := s.Events(store.EventQuery{Feed: "a", Limit: 2})
	require.NoError(t, err)
	require.Len(t, events, 2)
	assert.Greater(t, events[0].ID, events[1].ID, "newest first")
	events, err = s.Events(store.EventQuery{After: 3, Limit: 10})
	require.NoError(t, err)
	assert.Len(t, events, 2)
}

func TestNewerDatabaseIsRefused(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	require.NoError(t, s.Exec(`INSERT INTO migrations (number, at) VALUES (999, '2026-01-01')`))
	require.NoError(t, s.Close())
	_, err := store.Open(folder)
	assert.ErrorContains(t, err, "newer version")
}
