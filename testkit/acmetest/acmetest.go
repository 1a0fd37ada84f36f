// Package acmetest is a small authority that gives out certificates by ACME (RFC 8555),
// for tests. It checks a name by TLS-ALPN-01 (RFC 8737) at one address, and trusts
// whoever sends the right answers: signatures of requests are not looked at.
package acmetest

import (
	"bytes"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/asn1"
	"encoding/base64"
	"encoding/json"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"net/http"
	"net/http/httptest"
	"sync"
	"time"

	"golang.org/x/crypto/acme"
)

// Server is an authority.
type Server struct {
	*httptest.Server
	Root *x509.Certificate

	key    *ecdsa.PrivateKey
	dial   func() string // address that names are checked at
	lasts  time.Duration
	mu     sync.Mutex
	serial int64
	thumb  string
	name   string // of the order; one at a time
	valid  bool
	failed string
	cert   []byte // PEM
	refuse bool
	given  int
}

const token = "a-token-of-the-test"

// acmeIdentifier is the extension of RFC 8737, 3.
var acmeIdentifier = asn1.ObjectIdentifier{1, 3, 6, 1, 5, 5, 7, 1, 31}

// New starts an authority that checks names at the address that dial returns, and whose
// certificates last so long.
func New(dial func() string, lasts time.Duration) (*Server, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	t := &x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "Test authority"}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(24 * time.Hour),
		IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign,
	}
	der, err := x509.CreateCertificate(rand.Reader, t, t, &key.PublicKey, key)
	if err != nil {
		return nil, err
	}
	root, err := x509.ParseCertificate(der)
	if err != nil {
		return nil, err
	}
	s := &Server{Root: root, key: key, dial: dial, lasts: lasts, serial: 1}
	s.Server = httptest.NewServer(http.HandlerFunc(s.serve))
	return s, nil
}

// Refuse has the authority refuse orders from now on, or no longer.
func (s *Server) Refuse(refuse bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.refuse = refuse
}

// Given is how many certificates it has given out.
func (s *Server) Given() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.given
}

func (s *Server) serve(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	w.Header().Set("Replay-Nonce", fmt.Sprint(time.Now().UnixNano()))
	var body struct{ Protected, Payload string }
	_ = json.NewDecoder(r.Body).Decode(&body) // GET and HEAD have none
	payload, _ := base64.RawURLEncoding.DecodeString(body.Payload)
	at := func(path string) string { return s.URL + path }
	answer := func(status int, location string, v any) {
		if location != "" {
			w.Header().Set("Location", at(location))
		}
		w.Header().Set("Content-Type", "application/json")
		if status >= http.StatusBadRequest {
			w.Header().Set("Content-Type", "application/problem+json")
		}
		w.WriteHeader(status)
		_ = json.NewEncoder(w).Encode(v)
	}
	switch r.URL.Path {
	case "/dir":
		answer(http.StatusOK, "", map[string]string{"newNonce": at("/nonce"), "newAccount": at("/account"), "newOrder": at("/order")})
	case "/nonce":
	case "/account":
		s.meet(body.Protected)
		answer(http.StatusCreated, "/account/1", map[string]any{"status": "valid"})
	case "/order":
		if s.refuse {
			answer(http.StatusForbidden, "", map[string]string{"type": "urn:ietf:params:acme:error:rejectedIdentifier", "detail": "this authority gives nothing to that name"})
			return
		}
		var order struct{ Identifiers []struct{ Value string } }
		if json.Unmarshal(payload, &order) != nil || len(order.Identifiers) != 1 {
			answer(http.StatusBadRequest, "", map[string]string{"type": "urn:ietf:params:acme:error:malformed"})
			return
		}
		s.name, s.valid, s.failed, s.cert = order.Identifiers[0].Value, false, "", nil
		answer(http.StatusCreated, "/order/1", s.order())
	case "/order/1":
		answer(http.StatusOK, "", s.order())
	case "/authz/1":
		answer(http.StatusOK, "", s.authorization())
	case "/challenge/1":
		if err := s.check(); err != nil {
			s.failed = err.Error()
		} else {
			s.valid = true
		}
		answer(http.StatusOK, "", s.challenge())
	case "/finalize/1":
		s.finish(payload)
		answer(http.StatusOK, "/order/1", s.order())
	case "/certificate/1":
		w.Header().Set("Content-Type", "application/pem-certificate-chain")
		_, _ = w.Write(s.cert)
	default:
		answer(http.StatusNotFound, "", map[string]string{"type": "urn:ietf:params:acme:error:malformed"})
	}
}

// meet keeps the thumbprint of an account's key (RFC 7638).
func (s *Server) meet(protected string) {
	raw, _ := base64.RawURLEncoding.DecodeString(protected)
	var head struct{ JWK struct{ X, Y string } }
	if json.Unmarshal(raw, &head) != nil {
		return
	}
	sum := sha256.Sum256(fmt.Appendf(nil, `{"crv":"P-256","kty":"EC","x":"%s","y":"%s"}`, head.JWK.X, head.JWK.Y)) // RFC 7638, 3
	s.thumb = base64.RawURLEncoding.EncodeToString(sum[:])
}

func (s *Server) status() string {
	switch {
	case s.failed != "":
		return "invalid"
	case s.valid:
		return "valid"
	}
	return "pending"
}

func (s *Server) order() map[string]any {
	o := map[string]any{
		"status": "pending", "identifiers": []map[string]string{{"type": "dns", "value": s.name}},
		"authorizations": []string{s.URL + "/authz/1"}, "finalize": s.URL + "/finalize/1",
	}
	switch {
	case s.cert != nil:
		o["status"], o["certificate"] = "valid", s.URL+"/certificate/1"
	case s.valid:
		o["status"] = "ready"
	case s.failed != "":
		o["status"] = "invalid"
	}
	return o
}

func (s *Server) authorization() map[string]any {
	return map[string]any{"status": s.status(), "identifier": map[string]string{"type": "dns", "value": s.name}, "challenges": []any{s.challenge()}}
}

func (s *Server) challenge() map[string]any {
	c := map[string]any{"type": "tls-alpn-01", "url": s.URL + "/challenge/1", "token": token, "status": s.status()}
	if s.failed != "" {
		c["error"] = map[string]string{"type": "urn:ietf:params:acme:error:connection", "detail": s.failed}
	}
	return c
}

// check looks at what the name's server shows (RFC 8737, 3).
func (s *Server) check() error {
	const within = 5 * time.Second
	conn, err := tls.DialWithDialer(&net.Dialer{Timeout: within}, "tcp", s.dial(), &tls.Config{ServerName: s.name, NextProtos: []string{acme.ALPNProto}, InsecureSkipVerify: true})
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close() }()
	sum := sha256.Sum256([]byte(token + "." + s.thumb))
	want, err := asn1.Marshal(sum[:])
	if err != nil {
		return err
	}
	for _, e := range conn.ConnectionState().PeerCertificates[0].Extensions {
		if e.Id.Equal(acmeIdentifier) && bytes.Equal(e.Value, want) {
			return nil
		}
	}
	return fmt.Errorf("the answer for %s is another", s.name)
}

func (s *Server) finish(payload []byte) {
	var f struct{ CSR string }
	_ = json.Unmarshal(payload, &f)
	raw, _ := base64.RawURLEncoding.DecodeString(f.CSR)
	csr, err := x509.ParseCertificateRequest(raw)
	if err != nil || !s.valid {
		s.failed = "the request cannot be signed"
		return
	}
	s.serial++
	t := &x509.Certificate{
		SerialNumber: big.NewInt(s.serial), DNSNames: csr.DNSNames, NotBefore: time.Now().Add(-time.Minute), NotAfter: time.Now().Add(s.lasts),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	der, err := x509.CreateCertificate(rand.Reader, t, s.Root, csr.PublicKey, s.key)
	if err != nil {
		s.failed = err.Error()
		return
	}
	s.given++
	s.cert = append(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: s.Root.Raw})...)
}
