// Package certs gives the service its TLS certificates: from files that are read anew
// when they change, from an authority by ACME (RFC 8555), or from an authority of its
// own for networks that no other one reaches.
package certs

import (
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"
)

// Source is where certificates come from. It is safe for concurrent use.
type Source interface {
	// Certificate answers a handshake (see tls.Config.GetCertificate).
	Certificate(hello *tls.ClientHelloInfo) (*tls.Certificate, error)
	// State says what there is now.
	State(now time.Time) State
	// Challenges answers what an authority asks over plain HTTP, and leaves all else to
	// next (RFC 8555, 8.3).
	Challenges(next http.Handler) http.Handler
	// Protocols are what a handshake may agree on besides HTTP (RFC 8555, 8.4).
	Protocols() []string
}

// State is what a source has.
type State struct {
	Kind    string    // files, acme or own
	Names   []string  // that the certificate is for
	Issuer  string    // who signed it
	Ends    time.Time // zero when there is none yet
	Trouble error     // why it is not as it should be; nil when it is
}

// The kinds of source.
const (
	KindFiles = "files"
	KindACME  = "acme"
	KindOwn   = "own"
)

// ErrEnded is wrapped by a state's trouble when the certificate's time has passed.
var ErrEnded = errors.New("the certificate has ended")

// Config is what a server serves TLS with: TLS 1.2 and later, HTTP/2 first.
func Config(s Source) *tls.Config {
	return &tls.Config{
		GetCertificate: s.Certificate, MinVersion: tls.VersionTLS12, NextProtos: append([]string{"h2", "http/1.1"}, s.Protocols()...),
	}
}

// stateOf describes a certificate.
func stateOf(kind string, cert *tls.Certificate, now time.Time) State {
	s := State{Kind: kind}
	if cert == nil {
		return s
	}
	leaf, err := leafOf(cert)
	if err != nil {
		s.Trouble = err
		return s
	}
	s.Names, s.Issuer, s.Ends = namesOf(leaf), leaf.Issuer.CommonName, leaf.NotAfter
	switch {
	case now.After(leaf.NotAfter):
		s.Trouble = fmt.Errorf("%w on %s", ErrEnded, leaf.NotAfter.UTC().Format(time.DateOnly))
	case now.Before(leaf.NotBefore):
		s.Trouble = fmt.Errorf("the certificate begins only on %s: check this machine's clock", leaf.NotBefore.UTC().Format(time.DateOnly))
	}
	return s
}

func leafOf(cert *tls.Certificate) (*x509.Certificate, error) {
	if cert.Leaf != nil {
		return cert.Leaf, nil
	}
	if len(cert.Certificate) == 0 {
		return nil, errors.New("the certificate is empty")
	}
	return x509.ParseCertificate(cert.Certificate[0])
}

func namesOf(leaf *x509.Certificate) []string {
	names := append([]string(nil), leaf.DNSNames...)
	for _, ip := range leaf.IPAddresses {
		names = append(names, ip.String())
	}
	return names
}

// Fingerprint is a certificate's SHA-256 as devices show it.
func Fingerprint(der []byte) string {
	sum := sha256.Sum256(der)
	parts := make([]string, len(sum))
	for i, b := range sum {
		parts[i] = fmt.Sprintf("%02X", b)
	}
	return strings.Join(parts, " ")
}
