package store_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/bcrypt"

	"webostrum/store"
)

// quick opens a store that hashes passwords at the least cost.
func quick(t *testing.T) *store.Store {
	t.Helper()
	s, err := store.Open(t.TempDir(), store.WithHashCost(bcrypt.MinCost))
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

func account(t *testing.T, s *store.Store, name string, role store.Role) *store.Account {
	t.Helper()
	a, err := s.AddAccount(name, role, "seven otters at dawn")
	require.NoError(t, err)
	return a
}

// TestAPasswordBringsNothingBack changes a password of an account that was read before
// somebody removed, demoted or changed it: hashing leaves time for that.
func TestAPasswordBringsNothingBack(t *testing.T) {
	s := quick(t)
	account(t, s, "engineer", store.RoleEngineer)

	removed := account(t, s, "removed", store.RoleEngineer)
	require.NoError(t, s.RemoveAccount("removed"))
	assert.ErrorIs(t, s.SetPassword(removed, "another", 0), store.ErrNotFound)
	_, err := s.AccountByName("removed")
	assert.ErrorIs(t, err, store.ErrNotFound, "it does not come back")

	again := account(t, s, "removed", store.RoleViewer)
	require.Equal(t, removed.ID, again.ID, "the record's number came again")
	assert.ErrorIs(t, s.SetPassword(removed, "another", 0), store.ErrChanged, "one of the same name is another one")

	demoted := account(t, s, "demoted", store.RoleEngineer)
	require.NoError(t, s.SetRole("demoted", store.RoleViewer))
	require.NoError(t, s.SetPassword(demoted, "another", 0))
	now, err := s.CheckPassword("demoted", "another")
	require.NoError(t, err)
	assert.Equal(t, store.RoleViewer, now.Role, "the role stays what it was made")

	taken := account(t, s, "taken", store.RoleViewer)
	require.NoError(t, s.SetPassword(taken, "of the administrator", 0))
	assert.ErrorIs(t, s.SetPassword(taken, "of whoever knew it before", 0), store.ErrChanged)
	_, err = s.CheckPassword("taken", "of the administrator")
	assert.NoError(t, err)
}

// TestASignInThatWasOvertaken gets no session: its password was checked before it was
// changed, or before the account had a second factor.
func TestASignInThatWasOvertaken(t *testing.T) {
	s := quick(t)
	account(t, s, "engineer", store.RoleEngineer)
	session := func(a *store.Account) error {
		_, err := s.NewToken(a, &store.Token{Kind: store.TokenSession, ExpiresAt: time.Now().Add(time.Hour)})
		return err
	}
	changed := account(t, s, "changed", store.RoleViewer)
	require.NoError(t, session(changed))
	require.NoError(t, s.SetPassword(changed, "another", 0))
	assert.ErrorIs(t, session(changed), store.ErrChanged)

	second := account(t, s, "second", store.RoleViewer)
	require.NoError(t, s.SetSecond(second, "JBSWY3DPEHPK3PXP"))
	assert.ErrorIs(t, session(second), store.ErrChanged)
	assert.ErrorIs(t, s.SetSecond(second, "GEZDGNBVGY3TQOJQ"), store.ErrChanged, "of two at the same time one wins")

	removed := account(t, s, "removed", store.RoleViewer)
	require.NoError(t, s.RemoveAccount("removed"))
	assert.ErrorIs(t, session(removed), store.ErrChanged)
}

// TestLongPasswords are taken whole: bcrypt alone looks at the first 72 bytes.
func TestLongPasswords(t *testing.T) {
	s := quick(t)
	long := strings.Repeat("ä", 60)
	_, err := s.AddAccount("engineer", store.RoleEngineer, long)
	require.NoError(t, err)
	_, err = s.CheckPassword("engineer", long)
	require.NoError(t, err)
	_, err = s.CheckPassword("engineer", long+"!")
	assert.ErrorIs(t, err, store.ErrPassword)
}

// TestARemovedFeedStaysRemoved when somebody saves it, or an outage of it.
func TestARemovedFeedStaysRemoved(t *testing.T) {
	s := quick(t)
	f := feed("gate")
	require.NoError(t, s.AddFeed(&f))
	o := store.Outage{FeedID: f.ID, Began: time.Now()}
	require.NoError(t, s.SaveOutage(&o))
	require.NoError(t, s.RemoveFeed("gate"))
	assert.ErrorIs(t, s.SaveFeed(&f), store.ErrNotFound)
	_, err := s.Feed("gate")
	assert.ErrorIs(t, err, store.ErrNotFound)

	o.Over = true
	require.NoError(t, s.SaveOutage(&o))
	list, err := s.Outages(0, time.Time{})
	require.NoError(t, err)
	assert.Empty(t, list)
}
