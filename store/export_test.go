package store

// UnknownHash and Exec are for tests.
func UnknownHash() []byte { return unknownHash }

// Exec runs a statement.
func (s *Store) Exec(sql string) error { return s.db.Exec(sql).Error }

// MostEvents is the bound of the events' table.
const MostEvents = mostEvents

// MaxKnown is how many clients are known of an account.
const MaxKnown = maxKnown

// OnlySteps has databases opened from now on go through so many steps only, as earlier
// versions did, until it is called with all again.
func OnlySteps(n int) (restore func()) {
	all := migrations
	migrations = migrations[:n]
	return func() { migrations = all }
}
