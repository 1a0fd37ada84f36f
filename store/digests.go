package store

import "webostrum/core/httpauth"

// Realm is what Basic and Digest sign-in are for. The digests depend on it.
const Realm = "webostrum"

// Digests are what Digest sign-in is checked with: the hash of name, realm and
// password by each algorithm (RFC 7616, 3.4.2). Whoever has them can sign in by
// Digest, so they are sealed like passwords.
type Digests struct{ MD5, SHA256 string }

func (s *Store) sealDigests(a *Account, password string) {
	a.DigestMD5Sealed = s.box.seal(httpauth.Secret("MD5", a.Name, Realm, password))
	a.DigestSHA256Sealed = s.box.seal(httpauth.Secret("SHA-256", a.Name, Realm, password))
}

// Digests returns an account with its digests; the account is nil when there is
// none of that name. An account that has not signed in by its password since
// before there were digests has empty ones.
func (s *Store) Digests(name string) (a *Account, d Digests, err error) {
	a, err = s.AccountByName(name)
	if err != nil {
		return nil, d, err
	}
	if d.MD5, err = s.box.open(a.DigestMD5Sealed); err != nil {
		return nil, d, err
	}
	d.SHA256, err = s.box.open(a.DigestSHA256Sealed)
	return a, d, err
}
