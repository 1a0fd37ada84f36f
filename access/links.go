package access

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"errors"
	"hash"
	"slices"
	"sync"
	"sync/atomic"
	"time"
)

// The ways in which a link opens nothing.
var (
	ErrForged  = errors.New("that is no link of this service")
	ErrEnded   = errors.New("the link has ended")
	ErrForeign = errors.New("the link is for another feed")
)

// The text of a link is 24 bytes in base64url (RFC 4648, section 5), 32 letters:
//
//	 0       2               8                              24
//	+-------+---------------+-------------------------------+
//	| key   | link          | HMAC-SHA256 over what is left |
//	+-------+---------------+-------------------------------+
const (
	keyLen   = 2
	idLen    = 6
	headLen  = keyLen + idLen
	macLen   = 16 // the first half (RFC 2104, section 5)
	textLen  = headLen + macLen
	LinkText = textLen / 3 * 4 // letters

	// SecretLen is the length of a signing key's secret, bytes.
	SecretLen = sha256.Size

	domain = "webostrum link 1\x00" // so that the key's other uses, should there be any, sign no links
)

// Link opens one feed to whoever has its text.
type Link struct {
	ID         int64
	Feed       int64 // ID of the feed
	Name       string
	Key        uint16 // signs its text; 0 for a link from before texts were signed
	Sum        []byte // SHA-256 of the text of such a link
	Ends       time.Time
	Sites      Sites
	Deliveries []Delivery // none means all that the feed gives
	Most       int        // viewers at a time; 0 means no limit of its own

	used atomic.Int64 // when it opened something last, seconds since 1970
}

// Used returns when the link opened something last; zero for never, as far as is known.
func (l *Link) Used() time.Time {
	if at := l.used.Load(); at > 0 {
		return time.Unix(at, 0).UTC()
	}
	return time.Time{}
}

// Use notes that the link opens something.
func (l *Link) Use(now time.Time) {
	if at := now.Unix(); l.used.Load() < at {
		l.used.Store(at)
	}
}

// Over says whether the link's time has passed.
func (l *Link) Over(now time.Time) bool { return !l.Ends.IsZero() && !now.Before(l.Ends) }

// Gives says whether the link is for a delivery.
func (l *Link) Gives(d Delivery) bool {
	return len(l.Deliveries) == 0 || slices.Contains(l.Deliveries, d)
}

// signer signs by one key.
type signer struct{ macs sync.Pool }

func newSigner(secret []byte) *signer {
	secret = slices.Clone(secret)
	return &signer{sync.Pool{New: func() any { return &mac{hash: hmac.New(sha256.New, secret)} }}}
}

// mac is an HMAC with room for what it reads and writes.
type mac struct {
	hash hash.Hash
	text [textLen + sha256.Size]byte // a link's text, decoded, and its HMAC
}

func (m *mac) sum(head []byte) []byte {
	m.hash.Reset()
	m.hash.Write(domainBytes)
	m.hash.Write(head)
	return m.hash.Sum(m.text[textLen:textLen])[:macLen]
}

var domainBytes = []byte(domain)

// Links are all links of all feeds. It is safe for concurrent use; the zero value has
// none.
type Links struct {
	mu   sync.RWMutex
	keys map[uint16]*signer          // guarded by mu
	byID map[int64]*Link             // guarded by mu
	old  map[[sha256.Size]byte]*Link // of texts that are not signed; guarded by mu
}

// AddKey adds a signing key; keys count from 1.
func (s *Links) AddKey(number uint16, secret []byte) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.keys == nil {
		s.keys = make(map[uint16]*signer)
	}
	s.keys[number] = newSigner(secret)
}

// DropKey takes a signing key away: links that it signed open nothing any more.
func (s *Links) DropKey(number uint16) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.keys, number)
}

// Put adds a link, or puts it in the place of the one of its ID.
func (s *Links) Put(l *Link) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.byID == nil {
		s.byID, s.old = make(map[int64]*Link), make(map[[sha256.Size]byte]*Link)
	}
	if before := s.byID[l.ID]; before != nil {
		l.used.Store(before.used.Load())
	}
	s.byID[l.ID] = l
	if l.Key == 0 && len(l.Sum) == sha256.Size {
		s.old[[sha256.Size]byte(l.Sum)] = l
	}
}

// Drop ends the links that are chosen and returns how many those were.
func (s *Links) Drop(which func(*Link) bool) (n int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for id, l := range s.byID {
		if !which(l) {
			continue
		}
		n++
		delete(s.byID, id)
		if l.Key == 0 && len(l.Sum) == sha256.Size {
			delete(s.old, [sha256.Size]byte(l.Sum))
		}
	}
	return n
}

// Get returns a link by its ID, or nil.
func (s *Links) Get(id int64) *Link {
	s.mu.RLock()
	defer s.mu.RUnlock()
	return s.byID[id]
}

// All calls a function with each link.
func (s *Links) All(do func(*Link)) {
	s.mu.RLock()
	defer s.mu.RUnlock()
	for _, l := range s.byID {
		do(l)
	}
}

// Text returns a link's text; empty for a link from before texts were signed, whose
// text is not known, and for one whose key has gone.
func (s *Links) Text(l *Link) string {
	s.mu.RLock()
	key := s.keys[l.Key]
	s.mu.RUnlock()
	if key == nil {
		return ""
	}
	m := key.macs.Get().(*mac)
	defer key.macs.Put(m)
	raw := m.text[:textLen]
	putHead(raw, l.Key, l.ID)
	copy(raw[headLen:], m.sum(raw[:headLen]))
	return base64.RawURLEncoding.EncodeToString(raw)
}

func putHead(raw []byte, key uint16, id int64) {
	var wide [8]byte
	binary.BigEndian.PutUint64(wide[:], uint64(id))
	binary.BigEndian.PutUint16(raw, key)
	copy(raw[keyLen:headLen], wide[len(wide)-idLen:])
}

// Find returns the link that a text is of. The error is ErrForged for a text that was
// not signed here, and ErrEnded for one whose link is there no longer, or whose time
// has passed. A text that was not signed here costs no more than its HMAC.
func (s *Links) Find(text string, now time.Time) (*Link, error) {
	if len(text) != LinkText {
		return s.findOld(text, now)
	}
	var raw [textLen]byte
	if n, err := base64.RawURLEncoding.Strict().Decode(raw[:], []byte(text)); err != nil || n != textLen {
		return nil, ErrForged
	}
	var wide [8]byte
	copy(wide[len(wide)-idLen:], raw[keyLen:headLen])
	number, id := binary.BigEndian.Uint16(raw[:]), int64(binary.BigEndian.Uint64(wide[:]))
	s.mu.RLock()
	key, l := s.keys[number], s.byID[id]
	s.mu.RUnlock()
	if key == nil {
		return nil, ErrForged
	}
	m := key.macs.Get().(*mac)
	copy(m.text[:headLen], raw[:headLen])
	right := hmac.Equal(m.sum(m.text[:headLen]), raw[headLen:])
	key.macs.Put(m)
	switch {
	case !right:
		return nil, ErrForged
	case l == nil || l.Key != number || l.Over(now):
		return nil, ErrEnded
	}
	return l, nil
}

// oldText is the length of texts from before they were signed.
const oldText = 26

func (s *Links) findOld(text string, now time.Time) (*Link, error) {
	if len(text) != oldText {
		return nil, ErrForged
	}
	sum := sha256.Sum256([]byte(text))
	s.mu.RLock()
	l := s.old[sum]
	s.mu.RUnlock()
	switch {
	case l == nil:
		return nil, ErrForged
	case l.Over(now):
		return nil, ErrEnded
	}
	return l, nil
}

// Open returns the link that a text is of, if it is for a feed.
func (s *Links) Open(text string, feed int64, now time.Time) (*Link, error) {
	l, err := s.Find(text, now)
	if err == nil && l.Feed != feed {
		return nil, ErrForeign
	}
	return l, err
}
