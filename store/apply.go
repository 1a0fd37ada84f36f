package store

import "gorm.io/gorm"

// Changes are changes of feeds that are made together or not at all.
type Changes struct {
	Add    []*Feed
	Save   []*Feed
	Remove []string // names
}

// Apply makes changes, all or none.
func (s *Store) Apply(c Changes) error {
	return s.db.Transaction(func(tx *gorm.DB) error {
		in := *s
		in.db = tx
		for _, name := range c.Remove {
			if err := in.RemoveFeed(name); err != nil {
				return err
			}
		}
		for _, f := range c.Add {
			if err := in.AddFeed(f); err != nil {
				return err
			}
		}
		for _, f := range c.Save {
			if err := in.SaveFeed(f); err != nil {
				return err
			}
		}
		return nil
	})
}
