package store

// UnknownHash and Exec are for tests.
func UnknownHash() []byte { return unknownHash }

// Exec runs a statement.
func (s *Store) Exec(sql string) error { return s.db.Exec(sql).Error }
