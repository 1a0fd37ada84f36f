package store

import (
	"crypto/sha256"
	"errors"
	"time"

	"golang.org/x/crypto/bcrypt"
	"gorm.io/gorm"
)

// Role is what an account may do.
type Role string

// The roles.
const (
	RoleEngineer Role = "engineer" // sees and changes everything
	RoleViewer   Role = "viewer"   // sees the feeds that are theirs, changes nothing
	RolePanel    Role = "panel"    // a device: opens media of the feeds that name it
)

// Account is somebody who can sign in.
type Account struct {
	ID        int64
	Name      string
	Role      Role
	Hash      []byte
	CreatedAt time.Time

	DigestMD5Sealed    []byte
	DigestSHA256Sealed []byte

	SecondSealed []byte // secret of the second factor; empty without one
	SecondStep   int64  // of the code that was taken last: none is taken twice
}

// ErrPassword is returned for a wrong name or password, without saying which.
var ErrPassword = errors.New("name or password is wrong")

// WithHashCost has passwords hashed at another cost than the usual one, for tests of
// something else.
func WithHashCost(cost int) Option { return func(s *Store) { s.hashCost = cost } }

// bcryptCost makes a try cost about a quarter of a second.
const bcryptCost = 12

// Accounts returns how many accounts there are.
func (s *Store) Accounts() (int64, error) {
	var n int64
	return n, s.db.Model(&Account{}).Count(&n).Error
}

// AddAccount adds an account.
func (s *Store) AddAccount(name string, role Role, password string) (*Account, error) {
	hash, err := bcrypt.GenerateFromPassword([]byte(password), s.hashCost)
	if err != nil {
		return nil, err
	}
	a := &Account{Name: name, Role: role, Hash: hash}
	s.sealDigests(a, password)
	return a, known(s.db.Create(a).Error)
}

// ListAccounts returns all accounts by name.
func (s *Store) ListAccounts() (list []Account, err error) {
	return list, s.db.Order("name").Find(&list).Error
}

// SetPassword gives an account another password, and ends its sessions but one, by its
// ID.
func (s *Store) SetPassword(name, password string, but int64) error {
	a, err := s.AccountByName(name)
	if err != nil {
		return err
	}
	if a.Hash, err = bcrypt.GenerateFromPassword([]byte(password), s.hashCost); err != nil {
		return err
	}
	s.sealDigests(a, password)
	return s.db.Transaction(func(tx *gorm.DB) error {
		if err := tx.Save(a).Error; err != nil {
			return err
		}
		return tx.Where("account_id = ? AND kind = ? AND id <> ?", a.ID, TokenSession, but).Delete(&Token{}).Error
	})
}

// ErrLastEngineer is returned when without an account nobody could change anything.
var ErrLastEngineer = errors.New("that is the last engineer")

// SetRole gives an account another role.
func (s *Store) SetRole(name string, role Role) error {
	return s.db.Transaction(func(tx *gorm.DB) error {
		if role != RoleEngineer {
			if err := othersManage(tx, name); err != nil {
				return err
			}
		}
		return affectsOne(tx.Model(&Account{}).Where("name = ?", name).Update("role", role))
	})
}

// othersManage says whether there is an engineer besides one account.
func othersManage(tx *gorm.DB, name string) error {
	var n int64
	err := tx.Model(&Account{}).Where("role = ? AND name <> ?", RoleEngineer, name).Count(&n).Error
	if err == nil && n == 0 {
		err = ErrLastEngineer
	}
	return err
}

// SetSecond gives an account a second factor by its secret, or takes it away with an
// empty one.
func (s *Store) SetSecond(name, secret string) error {
	var sealed []byte
	if secret != "" {
		sealed = s.box.seal(secret)
	}
	return affectsOne(s.db.Model(&Account{}).Where("name = ?", name).Updates(map[string]any{"second_sealed": sealed, "second_step": 0}))
}

// Second returns the secret of an account's second factor; empty without one.
func (s *Store) Second(a *Account) (string, error) {
	if len(a.SecondSealed) == 0 {
		return "", nil
	}
	return s.box.open(a.SecondSealed)
}

// TakeStep notes that the code of a step was taken; false means that it, or a later
// one, was taken before.
func (s *Store) TakeStep(a *Account, step int64) (bool, error) {
	done := s.db.Model(&Account{}).Where("id = ? AND second_step < ?", a.ID, step).Update("second_step", step)
	return done.RowsAffected == 1, done.Error
}

// RemoveAccount removes an account; its sessions end.
func (s *Store) RemoveAccount(name string) error {
	return s.db.Transaction(func(tx *gorm.DB) error {
		if err := othersManage(tx, name); err != nil {
			return err
		}
		return affectsOne(tx.Where("name = ?", name).Delete(&Account{}))
	})
}

// AccountByName returns an account.
func (s *Store) AccountByName(name string) (*Account, error) {
	var a Account
	return &a, known(s.db.Where("name = ?", name).Take(&a).Error)
}

// FirstAccount is the name of the account that the first start makes.
const FirstAccount = "engineer"

// unknownHash is compared with when there is no such account, so that both
// cases take as long.
var unknownHash = []byte("$2a$12$Rm2nFJ0vQeGkJp5cYqHnIe3xRzJd6v8V8mKcX2bUQf9TtVvG1o2bG")

// CheckPassword returns the account, or ErrPassword.
func (s *Store) CheckPassword(name, password string) (*Account, error) {
	a, err := s.AccountByName(name)
	hash := unknownHash
	if err == nil {
		hash = a.Hash
	} else if !errors.Is(err, ErrNotFound) {
		return nil, err
	}
	if bcrypt.CompareHashAndPassword(hash, []byte(password)) != nil || err != nil {
		return nil, ErrPassword
	}
	if len(a.DigestSHA256Sealed) == 0 { // an account from before there were digests
		s.sealDigests(a, password)
		err = s.db.Save(a).Error
	}
	return a, err
}

// maxKnown bounds the clients that are known of an account; the oldest go first.
const maxKnown = 64

// KnowClient notes that somebody has signed in to an account from a client, such as an
// address: its owner, whom strangers' failures must not lock out.
func (s *Store) KnowClient(a *Account, client string, now time.Time) error {
	sum := sha256.Sum256([]byte(client))
	return s.db.Transaction(func(tx *gorm.DB) error {
		err := tx.Exec(`INSERT INTO known_clients (account_id, sum, at) VALUES (?, ?, ?)
			ON CONFLICT (account_id, sum) DO UPDATE SET at = excluded.at`, a.ID, sum[:], now.UTC()).Error
		if err != nil {
			return err
		}
		return tx.Exec(`DELETE FROM known_clients WHERE account_id = ? AND id NOT IN
			(SELECT id FROM known_clients WHERE account_id = ? ORDER BY at DESC LIMIT ?)`, a.ID, a.ID, maxKnown).Error
	})
}

// KnowsClient says whether somebody has signed in to an account of this name from a
// client before.
func (s *Store) KnowsClient(account, client string) bool {
	sum := sha256.Sum256([]byte(client))
	var n int64
	err := s.db.Table("known_clients").Joins("JOIN accounts ON accounts.id = known_clients.account_id").
		Where("accounts.name = ? AND known_clients.sum = ?", account, sum[:]).Count(&n).Error
	return err == nil && n > 0
}

// SignedInYet says whether anybody has ever signed in by a password.
func (s *Store) SignedInYet() bool {
	var n int64
	err := s.db.Table("known_clients").Count(&n).Error
	return err != nil || n > 0
}
