package access_test

import (
	"crypto/sha256"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/access"
)

var now = time.Date(2026, 11, 26, 7, 30, 0, 0, time.UTC)

func secret(n byte) []byte { return []byte(strings.Repeat(string(rune('a'+n)), access.SecretLen)) }

// links are a registry with two keys and a few links of feed 7 and one of feed 8.
func links() *access.Links {
	s := &access.Links{}
	s.AddKey(1, secret(1))
	s.AddKey(2, secret(2))
	s.Put(&access.Link{ID: 1, Feed: 7, Key: 1, Name: "endless"})
	s.Put(&access.Link{ID: 2, Feed: 7, Key: 2, Name: "short", Ends: now.Add(time.Minute)})
	s.Put(&access.Link{ID: 1 << 40, Feed: 8, Key: 2, Name: "other"})
	return s
}

func TestLinksOpen(t *testing.T) {
	t.Parallel()
	s := links()
	text := s.Text(s.Get(1))
	assert.Equal(t, "AAEAAAAAAAGNHEzGwI-GOcqOtprNIOZD", text, "texts stay good over restarts and versions")
	l, err := s.Open(text, 7, now)
	require.NoError(t, err)
	assert.Equal(t, "endless", l.Name)
	l, err = s.Open(s.Text(s.Get(1<<40)), 8, now)
	require.NoError(t, err)
	assert.Equal(t, "other", l.Name)
	_, err = s.Open(text, 8, now)
	require.ErrorIs(t, err, access.ErrForeign)

	short := s.Text(s.Get(2))
	_, err = s.Open(short, 7, now.Add(59*time.Second))
	require.NoError(t, err)
	_, err = s.Open(short, 7, now.Add(time.Minute))
	require.ErrorIs(t, err, access.ErrEnded, "its end is the first moment without it")
	s.Put(&access.Link{ID: 2, Feed: 7, Key: 2, Ends: now.Add(time.Hour)})
	_, err = s.Open(short, 7, now.Add(time.Minute))
	require.NoError(t, err, "its end can be moved, and its text stays")

	assert.Equal(t, 1, s.Drop(func(l *access.Link) bool { return l.ID == 1 }))
	_, err = s.Open(text, 7, now)
	require.ErrorIs(t, err, access.ErrEnded)
	s.DropKey(2)
	_, err = s.Open(short, 7, now)
	require.ErrorIs(t, err, access.ErrForged, "its key has gone")
	assert.Empty(t, s.Text(s.Get(2)))
}

// TestForgedTexts: each letter changed, cut, longer, of another key.
func TestForgedTexts(t *testing.T) {
	t.Parallel()
	s := links()
	text := s.Text(s.Get(1))
	for i := range text {
		for _, c := range []byte{'A', 'B', '_', '=', '/', 0} {
			if c == text[i] {
				continue
			}
			_, err := s.Find(text[:i]+string(c)+text[i+1:], now)
			require.ErrorIs(t, err, access.ErrForged, "letter %d as %q", i, c)
		}
		_, err := s.Find(text[:i], now)
		require.ErrorIs(t, err, access.ErrForged, "cut at %d", i)
	}
	for _, forged := range []string{"", text + "A", " " + text[1:], text + text, "\n" + text, strings.ToLower(text)} {
		_, err := s.Find(forged, now)
		require.ErrorIs(t, err, access.ErrForged, "%q", forged)
	}
}

// TestLinksFromBefore: those whose texts were random still open, and cannot be shown.
func TestLinksFromBefore(t *testing.T) {
	t.Parallel()
	s := links()
	const text = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
	sum := sha256.Sum256([]byte(text))
	s.Put(&access.Link{ID: 3, Feed: 7, Sum: sum[:]})
	l, err := s.Open(text, 7, now)
	require.NoError(t, err)
	assert.Empty(t, s.Text(l))
	_, err = s.Find("ABCDEFGHIJKLMNOPQRSTUVWXYY", now)
	require.ErrorIs(t, err, access.ErrForged)
	s.Drop(func(l *access.Link) bool { return l.ID == 3 })
	_, err = s.Open(text, 7, now)
	require.ErrorIs(t, err, access.ErrForged)
}

func TestUse(t *testing.T) {
	t.Parallel()
	s := links()
	l := s.Get(1)
	assert.True(t, l.Used().IsZero())
	l.Use(now)
	l.Use(now.Add(-time.Hour))
	assert.Equal(t, now, l.Used())
	s.Put(&access.Link{ID: 1, Feed: 7, Key: 1})
	assert.Equal(t, now, s.Get(1).Used(), "a change keeps it")
}

func TestGives(t *testing.T) {
	t.Parallel()
	assert.True(t, (&access.Link{}).Gives(access.HLS))
	l := &access.Link{Deliveries: []access.Delivery{access.Still}}
	assert.True(t, l.Gives(access.Still))
	assert.False(t, l.Gives(access.HLS))
}

// TestTenThousandLinks are found at once, whoever adds and ends some meanwhile.
func TestTenThousandLinks(t *testing.T) {
	t.Parallel()
	s := &access.Links{}
	s.AddKey(1, secret(1))
	const count = 10_000
	texts := make([]string, count+1)
	for id := int64(1); id <= count; id++ {
		s.Put(&access.Link{ID: id, Feed: id % 5, Key: 1})
		texts[id] = s.Text(s.Get(id))
	}
	var all sync.WaitGroup
	for part := range 4 {
		all.Go(func() {
			for id := int64(1 + part); id <= count; id += 4 {
				l, err := s.Open(texts[id], id%5, now)
				if assert.NoError(t, err) {
					l.Use(now)
				}
			}
		})
	}
	all.Go(func() { s.Drop(func(l *access.Link) bool { return l.ID > count }) })
	all.Wait()
	seen := map[string]bool{}
	for _, text := range texts[1:] {
		seen[text] = true
	}
	assert.Len(t, seen, count)
}

func FuzzFind(f *testing.F) {
	s := links()
	f.Add(s.Text(s.Get(1)))
	f.Add("")
	f.Add("ABCDEFGHIJKLMNOPQRSTUVWXYZ")
	good := map[string]bool{}
	s.All(func(l *access.Link) { good[s.Text(l)] = true })
	f.Fuzz(func(t *testing.T, text string) {
		_, err := s.Find(text, now)
		assert.Equal(t, good[text], err == nil, "%q", text)
	})
}

func TestSentences(t *testing.T) {
	t.Parallel()
	for _, tt := range []struct {
		audience access.Audience
		names    []string
		want     string
	}{
		{access.Everyone, nil, "Everyone who has the address can watch, without signing in."},
		{access.ByLink, nil, "Whoever has one of its links can watch."},
		{access.ByLink, []string{"panel"}, "Whoever has one of its links can watch, and panel."},
		{access.SignedIn, nil, "Everyone who signs in can watch, and whoever has one of its links."},
		{access.Named, nil, "Nobody but engineers can watch, unless they have a link: no account is named."},
		{access.Named, []string{"anna", "ben"}, "Only anna and ben can watch after signing in, and whoever has one of its links."},
		{access.Named, []string{"a", "b", "c", "d", "e"}, "Only a, b, c and 2 others can watch after signing in, and whoever has one of its links."},
	} {
		assert.Equal(t, tt.want, tt.audience.Sentence(tt.names))
	}
}

func TestWatches(t *testing.T) {
	t.Parallel()
	named := []string{"guest", "panel"}
	for _, tt := range []struct {
		audience access.Audience
		name     string
		role     access.Role
		want     bool
	}{
		{access.Named, "boss", access.Engineer, true}, {access.Named, "guest", access.Viewer, true}, {access.Named, "other", access.Viewer, false},
		{access.SignedIn, "other", access.Viewer, true}, {access.SignedIn, "tablet", access.Panel, false}, {access.SignedIn, "panel", access.Panel, true},
		{access.ByLink, "other", access.Viewer, false}, {access.ByLink, "guest", access.Viewer, true}, {access.Everyone, "tablet", access.Panel, true},
		{"", "other", access.Viewer, false},
	} {
		assert.Equal(t, tt.want, tt.audience.Watches(tt.name, tt.role, named), fmt.Sprint(tt))
	}
}

func BenchmarkFind(b *testing.B) {
	s := links()
	text := s.Text(s.Get(1))
	b.ReportAllocs()
	for b.Loop() {
		_, _ = s.Find(text, now)
	}
}
