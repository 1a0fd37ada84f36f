package store

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
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
	hash, err := s.hash(password)
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

// ErrChanged is returned for a record that is not what it was when it was read.
var ErrChanged = errors.New("it was changed meanwhile")

// SetPassword gives an account, as it was read, another password, and ends its sessions
// but one, by its ID. Hashing takes a while: the error is ErrNotFound when the account is
// gone by then, and ErrChanged when it has another password already.
func (s *Store) SetPassword(a *Account, password string, but int64) error {
	hash, err := s.hash(password)
	if err != nil {
		return err
	}
	next := &Account{Name: a.Name, Hash: hash}
	s.sealDigests(next, password)
	return s.db.Transaction(func(tx *gorm.DB) error {
		if err := sameAccount(tx, a); err != nil {
			return err
		}
		if err := affectsOne(tx.Model(&Account{}).Where("id = ?", a.ID).Select("Hash", "DigestMD5Sealed", "DigestSHA256Sealed").Updates(next)); err != nil {
			return err
		}
		return tx.Where("account_id = ? AND kind = ? AND id <> ?", a.ID, TokenSession, but).Delete(&Token{}).Error
	})
}

// sameAccount says whether an account signs in by what it did when it was read.
func sameAccount(tx *gorm.DB, read *Account) error {
	var now Account
	if err := tx.Where("id = ? AND name = ?", read.ID, read.Name).Take(&now).Error; err != nil {
		return known(err)
	}
	if !bytes.Equal(now.Hash, read.Hash) || !bytes.Equal(now.SecondSealed, read.SecondSealed) {
		return ErrChanged
	}
	return nil
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

// SetSecond gives an account, as it was read, a second factor by its secret, or takes it
// away with an empty one. The error is ErrChanged when it signs in otherwise by now.
func (s *Store) SetSecond(a *Account, secret string) error {
	var sealed []byte
	if secret != "" {
		sealed = s.box.seal(secret)
	}
	return s.db.Transaction(func(tx *gorm.DB) error {
		if err := sameAccount(tx, a); err != nil {
			return err
		}
		return affectsOne(tx.Model(&Account{}).Where("id = ?", a.ID).Updates(map[string]any{"second_sealed": sealed, "second_step": 0}))
	})
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
	if bcrypt.CompareHashAndPassword(hash, hashed(password)) != nil || err != nil {
		return nil, ErrPassword
	}
	if len(a.DigestSHA256Sealed) == 0 { // an account from before there were digests
		s.sealDigests(a, password)
		err = s.db.Model(&Account{}).Where("id = ? AND hash = ?", a.ID, a.Hash).Select("DigestMD5Sealed", "DigestSHA256Sealed").Updates(a).Error
	}
	return a, err
}

// longestHashed is what bcrypt looks at, bytes.
const longestHashed = 72

// hashed is what is hashed of a password: itself, or its digest where that is longer than
// bcrypt takes.
func hashed(password string) []byte {
	if len(password) <= longestHashed {
		return []byte(password)
	}
	sum := sha256.Sum256([]byte(password))
	return []byte(base64.RawStdEncoding.EncodeToString(sum[:]))
}

func (s *Store) hash(password string) ([]byte, error) {
	return bcrypt.GenerateFromPassword(hashed(password), s.hashCost)
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
