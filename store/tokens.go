package store

import (
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"time"

	"gorm.io/gorm"
)

// Token stands for a sign-in: a browser's session, this machine's command line, or a
// program that was given one. Only a digest of its text is kept.
type Token struct {
	ID        int64
	Kind      string
	Sum       []byte
	AccountID int64
	ExpiresAt time.Time
	CreatedAt time.Time
	UsedAt    *time.Time

	Name  string
	Scope string   // of a token for programs; see package access
	Feeds []string `gorm:"-"` // names of the feeds that its media are of

	Address string // where its session began
	Browser string // what it calls itself
}

// The kinds of token.
const (
	TokenSession = "session"
	TokenProgram = "program" // of the command line on this machine
	TokenAPI     = "api"
)

// Never is when a token ends that has no end.
var Never = time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)

// NewToken makes a token for an account, as it was read, and returns its text, which is
// not kept. The token is given its ID; the feeds of one for media must be there. The error
// is ErrChanged when the account is gone by now, or has another password or second factor.
func (s *Store) NewToken(a *Account, t *Token) (text string, err error) {
	text = rand.Text()
	sum := sha256.Sum256([]byte(text))
	t.Sum, t.AccountID, t.ExpiresAt = sum[:], a.ID, t.ExpiresAt.UTC()
	return text, known(s.db.Transaction(func(tx *gorm.DB) error {
		if err := sameAccount(tx, a); errors.Is(err, ErrNotFound) {
			return ErrChanged
		} else if err != nil {
			return err
		}
		if err := tx.Create(t).Error; err != nil {
			return err
		}
		if t.Kind == TokenSession {
			if err := endOldSessions(tx, a.ID); err != nil {
				return err
			}
		}
		for _, feed := range t.Feeds {
			if err := affectsOne(tx.Exec(`INSERT INTO token_feeds (token_id, feed_id) SELECT ?, id FROM feeds WHERE name = ?`, t.ID, feed)); err != nil {
				return err
			}
		}
		return nil
	}))
}

// maxSessions bounds the sessions of an account; the oldest end first.
const maxSessions = 100

func endOldSessions(tx *gorm.DB, account int64) error {
	return tx.Exec(`DELETE FROM tokens WHERE kind = ? AND account_id = ? AND id NOT IN
		(SELECT id FROM tokens WHERE kind = ? AND account_id = ? ORDER BY id DESC LIMIT ?)`,
		TokenSession, account, TokenSession, account, maxSessions).Error
}

// ByToken returns the account that a token stands for, and the token; ErrNotFound when
// there is none, or it has ended by now.
func (s *Store) ByToken(text string, now time.Time) (*Account, *Token, error) {
	sum := sha256.Sum256([]byte(text))
	var t Token
	if err := s.db.Where("sum = ?", sum[:]).Take(&t).Error; err != nil {
		return nil, nil, known(err)
	}
	if !now.Before(t.ExpiresAt) {
		return nil, nil, ErrNotFound
	}
	if t.Kind == TokenAPI {
		if err := s.tokenFeeds(&t); err != nil {
			return nil, nil, err
		}
	}
	var a Account
	if err := s.db.Take(&a, t.AccountID).Error; err != nil {
		return nil, nil, known(err)
	}
	return &a, &t, nil
}

func (s *Store) tokenFeeds(t *Token) error {
	return s.db.Table("token_feeds").Joins("JOIN feeds ON feeds.id = token_feeds.feed_id").
		Where("token_feeds.token_id = ?", t.ID).Order("feeds.name").Pluck("feeds.name", &t.Feeds).Error
}

// OwnedToken is a token with the name of its account.
type OwnedToken struct {
	Token
	Account string
}

// Tokens returns the tokens of a kind that have not ended, the newest first; account
// chooses one account's, and the empty name all.
func (s *Store) Tokens(kind, account string, now time.Time) (list []OwnedToken, err error) {
	tx := s.db.Table("tokens").Select("tokens.*, accounts.name AS account").Joins("JOIN accounts ON accounts.id = tokens.account_id").
		Where("tokens.kind = ? AND tokens.expires_at > ?", kind, now.UTC()).Order("tokens.id DESC")
	if account != "" {
		tx = tx.Where("accounts.name = ?", account)
	}
	if err := tx.Find(&list).Error; err != nil {
		return nil, err
	}
	for i := range list {
		if kind != TokenAPI {
			break
		}
		if err := s.tokenFeeds(&list[i].Token); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// TokenUsed notes when a token was used last.
func (s *Store) TokenUsed(id int64, now time.Time) error {
	return s.db.Exec(`UPDATE tokens SET used_at = ? WHERE id = ?`, now.UTC(), id).Error
}

// RemoveToken ends a token of a kind.
func (s *Store) RemoveToken(kind string, id int64) error {
	return affectsOne(s.db.Where("kind = ? AND id = ?", kind, id).Delete(&Token{}))
}

// DropToken ends a token by its text.
func (s *Store) DropToken(text string) error {
	sum := sha256.Sum256([]byte(text))
	return s.db.Where("sum = ?", sum[:]).Delete(&Token{}).Error
}

// DropTokens ends all tokens of a kind, and those that have expired.
func (s *Store) DropTokens(kind string, now time.Time) error {
	return s.db.Where("kind = ? OR expires_at < ?", kind, now.UTC()).Delete(&Token{}).Error
}

// DropSessions ends an account's sessions but one, by its ID.
func (s *Store) DropSessions(a *Account, but int64) error {
	return s.db.Where("account_id = ? AND kind = ? AND id <> ?", a.ID, TokenSession, but).Delete(&Token{}).Error
}
