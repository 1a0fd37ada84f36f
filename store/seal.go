package store

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"os"
)

// sealer keeps credentials unreadable in the database (AES-256-GCM, the nonce
// in front).
type sealer struct{ aead cipher.AEAD }

const (
	keySize     = 32
	ownerOnly   = 0o600
	othersCould = 0o077
)

// openSealer reads the key, or makes it at the first start. fresh says that there is no
// database yet.
func openSealer(path string, fresh bool) (*sealer, error) {
	key, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		if !fresh {
			return nil, fmt.Errorf("the key for credentials %s is missing, and another cannot unseal what the database holds: restore it from a copy, or begin with an empty data folder", path)
		}
		key = make([]byte, keySize)
		_, _ = rand.Read(key) // never fails
		err = os.WriteFile(path, key, ownerOnly)
	}
	if err != nil {
		return nil, fmt.Errorf("the key for credentials cannot be used: %w", err)
	}
	if info, err := os.Stat(path); err == nil && info.Mode().Perm()&othersCould != 0 {
		return nil, fmt.Errorf("the key for credentials %s can be read by others: run chmod 600 on it", path)
	}
	if len(key) != keySize {
		return nil, fmt.Errorf("the key for credentials %s has %d bytes, want %d: restore it from a copy", path, len(key), keySize)
	}
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, err
	}
	aead, err := cipher.NewGCM(block)
	return &sealer{aead}, err
}

// seal returns nil for an empty text.
func (s *sealer) seal(text string) []byte {
	if text == "" {
		return nil
	}
	nonce := make([]byte, s.aead.NonceSize())
	_, _ = rand.Read(nonce)
	return s.aead.Seal(nonce, nonce, []byte(text), nil)
}

func (s *sealer) open(sealed []byte) (string, error) {
	if len(sealed) == 0 {
		return "", nil
	}
	n := s.aead.NonceSize()
	if len(sealed) < n {
		return "", errors.New("sealed credentials are too short")
	}
	text, err := s.aead.Open(nil, sealed[:n], sealed[n:], nil)
	if err != nil {
		return "", errors.New("credentials cannot be unsealed: the key file does not belong to this database")
	}
	return string(text), nil
}
