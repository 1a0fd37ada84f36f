package store

import (
	"crypto/rand"
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
	RoleViewer   Role = "viewer"   // sees, changes nothing
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
}

// Token stands for a sign-in: a browser's session or a program's key. Only a
// digest of it is kept.
type Token struct {
	ID        int64
	Kind      string
	Sum       []byte
	AccountID int64
	ExpiresAt time.Time
	CreatedAt time.Time
}

// The kinds of token.
const (
	TokenSession = "session"
	TokenProgram = "program"
)

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

// SetPassword gives an account another password, and ends its sessions.
func (s *Store) SetPassword(name, password string) error {
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
		return tx.Where("account_id = ? AND kind = ?", a.ID, TokenSession).Delete(&Token{}).Error
	})
}

// RemoveAccount removes an account; its sessions end.
func (s *Store) RemoveAccount(name string) error {
	return affectsOne(s.db.Where("name = ?", name).Delete(&Account{}))
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

// NewToken makes a token for an account and returns its text, which is not kept.
func (s *Store) NewToken(a *Account, kind string, expires time.Time) (string, error) {
	text := rand.Text()
	sum := sha256.Sum256([]byte(text))
	t := &Token{Kind: kind, Sum: sum[:], AccountID: a.ID, ExpiresAt: expires.UTC()}
	return text, s.db.Create(t).Error
}

// ByToken returns the account that a token stands for, or ErrNotFound. now
// decides whether it has expired.
func (s *Store) ByToken(text string, now time.Time) (*Account, error) {
	sum := sha256.Sum256([]byte(text))
	var t Token
	if err := s.db.Where("sum = ?", sum[:]).Take(&t).Error; err != nil {
		return nil, known(err)
	}
	if now.After(t.ExpiresAt) {
		return nil, ErrNotFound
	}
	var a Account
	return &a, known(s.db.Take(&a, t.AccountID).Error)
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

// DropToken ends a token.
func (s *Store) DropToken(text string) error {
	sum := sha256.Sum256([]byte(text))
	return s.db.Where("sum = ?", sum[:]).Delete(&Token{}).Error
}

// DropTokens ends all tokens of a kind, and those that have expired.
func (s *Store) DropTokens(kind string, now time.Time) error {
	return s.db.Where("kind = ? OR expires_at < ?", kind, now.UTC()).Delete(&Token{}).Error
}
