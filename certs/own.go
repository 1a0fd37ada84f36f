package certs

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"time"
)

const (
	rootFile    = "authority.pem"
	rootKeyFile = "authority-key.pem"
	ownerOnly   = 0o600

	rootLasts   = 10 * 365 * 24 * time.Hour
	leafLasts   = 90 * 24 * time.Hour // browsers refuse more than 398 days
	renewBefore = 30 * 24 * time.Hour
	clockMargin = time.Hour // for clocks that are behind
	serialBits  = 127
)

// Own is an authority of the service's own. Its root lies in a folder with its key; what
// it signs is made at each start, and anew before it ends or when the names are others.
type Own struct {
	root  *x509.Certificate
	key   *ecdsa.PrivateKey
	names func() []string // host names and IP addresses

	mu     sync.Mutex
	cert   *tls.Certificate // guarded by mu
	signed []string         // the names that it was made for; guarded by mu
	looked time.Time        // guarded by mu
}

// OpenOwn reads the authority in a folder, or makes it. names returns what its
// certificates are for.
func OpenOwn(folder string, now time.Time, names func() []string) (*Own, error) {
	o := &Own{names: names}
	err := o.read(folder)
	if errors.Is(err, fs.ErrNotExist) {
		err = o.make(folder, now)
	}
	if err != nil {
		return nil, fmt.Errorf("the authority in %s cannot be used: %w", folder, err)
	}
	return o, nil
}

func (o *Own) read(folder string) error {
	pair, err := tls.LoadX509KeyPair(filepath.Join(folder, rootFile), filepath.Join(folder, rootKeyFile))
	if err != nil {
		return err
	}
	key, ok := pair.PrivateKey.(*ecdsa.PrivateKey)
	if !ok {
		return errors.New("its key is none of ours")
	}
	o.key = key
	o.root, err = leafOf(&pair)
	return err
}

func (o *Own) make(folder string, now time.Time) error {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	serial, err := newSerial()
	if err != nil {
		return err
	}
	host, _ := os.Hostname()
	t := &x509.Certificate{
		SerialNumber: serial, Subject: pkix.Name{CommonName: "Webostrum at " + host, Organization: []string{"Webostrum"}},
		NotBefore: now.Add(-clockMargin), NotAfter: now.Add(rootLasts),
		IsCA: true, BasicConstraintsValid: true, MaxPathLenZero: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageCRLSign,
	}
	der, err := x509.CreateCertificate(rand.Reader, t, t, &key.PublicKey, key)
	if err != nil {
		return err
	}
	private, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return err
	}
	if o.root, err = x509.ParseCertificate(der); err != nil {
		return err
	}
	o.key = key
	// The root goes last: without it the authority is made anew.
	if err := writePEM(filepath.Join(folder, rootKeyFile), "PRIVATE KEY", private); err != nil {
		return err
	}
	return writePEM(filepath.Join(folder, rootFile), "CERTIFICATE", der)
}

func writePEM(path, kind string, der []byte) error {
	return os.WriteFile(path, pem.EncodeToMemory(&pem.Block{Type: kind, Bytes: der}), ownerOnly)
}

func newSerial() (*big.Int, error) {
	return rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), serialBits))
}

// Root is the authority's certificate, in DER, for devices to trust.
func (o *Own) Root() []byte { return o.root.Raw }

// Certificate implements Source.
func (o *Own) Certificate(*tls.ClientHelloInfo) (*tls.Certificate, error) { return o.look(time.Now()) }

// look returns a certificate that is good now and for the present names.
func (o *Own) look(now time.Time) (*tls.Certificate, error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	since := now.Sub(o.looked)
	if o.cert != nil && since >= 0 && since < lookEvery {
		return o.cert, nil
	}
	names := o.names()
	slices.Sort(names)
	names = slices.Compact(names)
	fits := o.cert != nil && slices.Equal(names, o.signed) && now.Add(renewBefore).Before(o.cert.Leaf.NotAfter) && now.After(o.cert.Leaf.NotBefore)
	if !fits {
		cert, err := o.sign(names, now)
		if err != nil {
			return nil, err
		}
		o.cert, o.signed = cert, names
	}
	o.looked = now
	return o.cert, nil
}

func (o *Own) sign(names []string, now time.Time) (*tls.Certificate, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	serial, err := newSerial()
	if err != nil {
		return nil, err
	}
	t := &x509.Certificate{
		SerialNumber: serial, Subject: pkix.Name{CommonName: "Webostrum"}, NotBefore: now.Add(-clockMargin), NotAfter: now.Add(leafLasts),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	for _, name := range names {
		if ip := net.ParseIP(name); ip != nil {
			t.IPAddresses = append(t.IPAddresses, ip)
		} else {
			t.DNSNames = append(t.DNSNames, name)
		}
	}
	der, err := x509.CreateCertificate(rand.Reader, t, o.root, &key.PublicKey, o.key)
	if err != nil {
		return nil, err
	}
	leaf, err := x509.ParseCertificate(der)
	if err != nil {
		return nil, err
	}
	return &tls.Certificate{Certificate: [][]byte{der, o.root.Raw}, PrivateKey: key, Leaf: leaf}, nil
}

// State implements Source.
func (o *Own) State(now time.Time) State {
	cert, err := o.look(now)
	s := stateOf(KindOwn, cert, now)
	switch {
	case err != nil:
		s.Trouble = err
	case now.After(o.root.NotAfter):
		s.Trouble = fmt.Errorf("%w: that of the authority itself; remove %s from the data folder, start again and have devices trust the new one", ErrEnded, rootFile)
	}
	return s
}

// Challenges implements Source.
func (o *Own) Challenges(next http.Handler) http.Handler { return next }

// Protocols implements Source.
func (o *Own) Protocols() []string { return nil }
