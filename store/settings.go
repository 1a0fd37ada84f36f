package store

import (
	"errors"

	"gorm.io/gorm"
)

// Setting is a setting that is changed while the service runs; it may hold credentials, and
// is sealed.
type Setting struct {
	Name        string `gorm:"primaryKey"`
	ValueSealed []byte
}

// Setting returns a setting; empty when it was never made.
func (s *Store) Setting(name string) (string, error) {
	var x Setting
	err := s.db.Where("name = ?", name).Take(&x).Error
	switch {
	case errors.Is(err, gorm.ErrRecordNotFound):
		return "", nil
	case err != nil:
		return "", err
	}
	return s.box.open(x.ValueSealed)
}

// SetSetting makes or changes a setting.
func (s *Store) SetSetting(name, value string) error {
	return s.db.Save(&Setting{name, s.box.seal(value)}).Error
}
