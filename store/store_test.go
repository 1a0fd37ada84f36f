package store_test

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"sync"
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

	holdsNowhere(t, folder, "opensesame")
	holdsNowhere(t, folder, "someuser")
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
	token, err := s.NewToken(a, &store.Token{Kind: store.TokenSession, ExpiresAt: now.Add(time.Hour)})
	require.NoError(t, err)
	who, _, err := s.ByToken(token, now)
	require.NoError(t, err)
	assert.Equal(t, "engineer", who.Name)
	_, _, err = s.ByToken(token, now.Add(2*time.Hour))
	assert.ErrorIs(t, err, store.ErrNotFound, "expired")
	require.NoError(t, s.DropToken(token))
	_, _, err = s.ByToken(token, now)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestUnknownNameCostsAsMuchAsAWrongPassword(t *testing.T) {
	cost, err := bcrypt.Cost(store.UnknownHash())
	require.NoError(t, err)
	assert.Equal(t, 12, cost)
}

func TestEvents(t *testing.T) {
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

// TestEventsAreBounded fills the table to its bound at one stroke; the event that comes
// then has the oldest ones go.
func TestEventsAreBounded(t *testing.T) {
	s := open(t, t.TempDir())
	require.NoError(t, s.Exec(fmt.Sprintf(`INSERT INTO events (at, feed, kind, code, text)
		WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < %d)
		SELECT '2026-11-26 08:00:00', 'gate', 'state', '', 'number ' || i FROM n`, store.MostEvents+200)))
	for range 300 { // it is looked after now and then, not at each
		require.NoError(t, s.AddEvent(&store.Event{At: time.Now(), Feed: "gate", Kind: "state", Text: "newest"}))
	}
	events, err := s.Events(store.EventQuery{Limit: 2 * store.MostEvents})
	require.NoError(t, err)
	assert.InDelta(t, store.MostEvents, len(events), 300)
	assert.Less(t, len(events), store.MostEvents+200, "the oldest went")
	assert.Equal(t, "newest", events[0].Text)
	assert.NotEqual(t, "number 1", events[len(events)-1].Text)
}

func TestNewerDatabaseIsRefused(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	require.NoError(t, s.Exec(`INSERT INTO migrations (number, at) VALUES (999, '2026-01-01')`))
	require.NoError(t, s.Close())
	_, err := store.Open(folder)
	assert.ErrorContains(t, err, "newer version")
}

// TestAnEarlierDatabase of step 3 is brought up to date: nothing is lost, and what was
// readable in it is sealed.
func TestAnEarlierDatabase(t *testing.T) {
	folder := t.TempDir()
	restore := store.OnlySteps(3)
	s, err := store.Open(folder)
	require.NoError(t, err)
	for _, sql := range []string{
		`INSERT INTO feeds (id, name, title, url, transport, fingerprint, segment_millis, list_size, public, enabled, created_at, updated_at, sound)
			VALUES (1, 'gate', 'Gate', 'http://192.0.2.7/video?key=opensesame', 'auto', '', 2000, 9, 1, 1, '2026-11-01', '2026-11-01', 'on')`,
		`INSERT INTO camera_requests (feed_id, name, method, target, body, at_connection) VALUES (1, 'set', 'POST', '/set?pin=opensesame', 'pass=opensesame', 1)`,
		`INSERT INTO feeds (id, name, title, url, transport, fingerprint, segment_millis, list_size, public, enabled, created_at, updated_at)
			VALUES (2, 'yard', 'Yard', 'rtsp://192.0.2.7/', 'auto', '', 2000, 9, 0, 1, '2026-11-01', '2026-11-01')`,
		`INSERT INTO links (id, feed_id, name, sum, created_at) VALUES (7, 2, 'panel', x'0102', '2026-11-01')`,
		`INSERT INTO accounts (id, name, role, hash, created_at) VALUES (1, 'engineer', 'engineer', x'00', '2026-11-01')`,
		`INSERT INTO tokens (kind, sum, account_id, expires_at, created_at) VALUES ('session', x'03', 1, '2036-11-01', '2026-11-01')`,
		`INSERT INTO events (at, feed, kind, code, text) VALUES ('2026-11-01', 'gate', 'state', '', 'live')`,
	} {
		require.NoError(t, s.Exec(sql))
	}
	require.NoError(t, s.Close())
	restore()

	s = open(t, folder)
	f, err := s.Feed("gate")
	require.NoError(t, err)
	assert.Equal(t, "http://192.0.2.7/video?key=opensesame", f.URL)
	assert.Equal(t, "http://192.0.2.7/video", f.Address)
	assert.Equal(t, 9, f.PlaylistLength)
	assert.Equal(t, "on", f.Audio)
	assert.Equal(t, 5000, f.AnswerMillis)
	assert.Equal(t, "everyone", f.Audience, "it was public")
	yard, err := s.Feed("yard")
	require.NoError(t, err)
	assert.Equal(t, "signed-in", yard.Audience)
	links, err := s.Links("yard")
	require.NoError(t, err)
	require.Len(t, links, 1)
	assert.Equal(t, []any{int64(7), int64(0), []byte{1, 2}}, []any{links[0].ID, links[0].KeyID, links[0].Sum})
	require.NoError(t, s.SaveFeed(&yard), "what is not changed stays")
	_, err = s.RemoveLink("yard", "panel")
	require.NoError(t, err)
	l := store.Link{Name: "panel"}
	require.NoError(t, s.AddLink("yard", &l))
	assert.Equal(t, int64(8), l.ID, "no ID comes twice")
	sessions, err := s.Tokens(store.TokenSession, "engineer", time.Now())
	require.NoError(t, err)
	assert.Len(t, sessions, 1)
	require.Len(t, f.Requests, 1)
	assert.Equal(t, []string{"/set?pin=opensesame", "pass=opensesame"}, []string{f.Requests[0].Target, f.Requests[0].Body})
	events, err := s.Events(store.EventQuery{Limit: 5})
	require.NoError(t, err)
	assert.Len(t, events, 1)
	require.NoError(t, s.Close())
	holdsNowhere(t, folder, "opensesame")
}

// holdsNowhere looks for a text in all files of a folder.
func holdsNowhere(t *testing.T, folder, text string) {
	t.Helper()
	files, err := filepath.Glob(filepath.Join(folder, "*"))
	require.NoError(t, err)
	for _, name := range files {
		body, err := os.ReadFile(name)
		require.NoError(t, err)
		assert.False(t, bytes.Contains(body, []byte(text)), "%q stands in %s", text, name)
	}
}

// TestOneServiceADataFolder: the second is told so, and the first goes on.
func TestOneServiceADataFolder(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	_, err := store.Open(folder)
	assert.ErrorIs(t, err, store.ErrInUse)
	require.NoError(t, s.Ready())
	require.NoError(t, s.Close())
	require.NoError(t, open(t, folder).Ready(), "and it is free again")
}

// TestALostKeyIsNotReplaced, since a new one opens nothing that is there.
func TestALostKeyIsNotReplaced(t *testing.T) {
	folder := t.TempDir()
	require.NoError(t, open(t, folder).Close())
	key := filepath.Join(folder, "seal.key")
	require.NoError(t, os.Remove(key))
	_, err := store.Open(folder)
	assert.ErrorContains(t, err, "is missing")
	assert.NoFileExists(t, key)
}

// TestFilesAreTheOwnersAlone, those of an earlier version among them.
func TestFilesAreTheOwnersAlone(t *testing.T) {
	folder := t.TempDir()
	require.NoError(t, open(t, folder).Close())
	require.NoError(t, os.Chmod(filepath.Join(folder, "webostrum.db"), 0o644))
	s := open(t, folder)
	require.NoError(t, s.AddEvent(&store.Event{At: time.Now(), Kind: "state", Text: "x"}))
	files, err := filepath.Glob(filepath.Join(folder, "*"))
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, name := range files {
		info, err := os.Stat(name)
		require.NoError(t, err)
		assert.Zero(t, info.Mode().Perm()&0o077, "%s: %v", name, info.Mode())
	}
}

// TestKnownClientsAreBounded: the newest stay.
func TestKnownClientsAreBounded(t *testing.T) {
	s := open(t, t.TempDir())
	a, err := s.AddAccount("engineer", store.RoleEngineer, "secret words")
	require.NoError(t, err)
	assert.False(t, s.SignedInYet())
	for i := range store.MaxKnown + 10 {
		require.NoError(t, s.KnowClient(a, fmt.Sprintf("192.0.2.%d", i), time.Unix(int64(i), 0)))
	}
	assert.True(t, s.SignedInYet())
	assert.False(t, s.KnowsClient("engineer", "192.0.2.9"), "the oldest went")
	assert.True(t, s.KnowsClient("engineer", "192.0.2.10"))
	assert.False(t, s.KnowsClient("other", "192.0.2.10"))
}

// TestTransactionsWaitForEachOther: those that read before they write are not refused when
// another one writes meanwhile.
func TestTransactionsWaitForEachOther(t *testing.T) {
	s := open(t, t.TempDir())
	for i := range 3 {
		_, err := s.AddAccount(fmt.Sprintf("engineer-%d", i), store.RoleEngineer, "secret words")
		require.NoError(t, err)
	}
	var all sync.WaitGroup
	for worker := range 6 {
		all.Go(func() {
			for i := range 40 {
				name := fmt.Sprintf("viewer-%d-%d", worker, i)
				assert.ErrorIs(t, s.RemoveAccount(name), store.ErrNotFound)
				assert.NoError(t, s.AddEvent(&store.Event{At: time.Now(), Text: name}))
			}
		})
	}
	all.Wait()
}

// TestSessionsAreBounded: the oldest end, others' stay.
func TestSessionsAreBounded(t *testing.T) {
	s := open(t, t.TempDir())
	now := time.Now()
	a, err := s.AddAccount("engineer", store.RoleEngineer, "secret words")
	require.NoError(t, err)
	b, err := s.AddAccount("guest", store.RoleViewer, "secret words")
	require.NoError(t, err)
	session := func(a *store.Account) string {
		text, err := s.NewToken(a, &store.Token{Kind: store.TokenSession, ExpiresAt: now.Add(time.Hour)})
		require.NoError(t, err)
		return text
	}
	others, first := session(b), session(a)
	for range 100 {
		session(a)
	}
	list, err := s.Tokens(store.TokenSession, "engineer", now)
	require.NoError(t, err)
	assert.Len(t, list, 100)
	_, _, err = s.ByToken(first, now)
	require.ErrorIs(t, err, store.ErrNotFound)
	_, _, err = s.ByToken(others, now)
	assert.NoError(t, err)
}
