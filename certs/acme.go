package certs

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"net"
	"net/http"
	"os"
	"strings"
	"sync"
	"time"

	"golang.org/x/crypto/acme"
	"golang.org/x/crypto/acme/autocert"
)

const (
	firstRetry   = time.Minute
	longestRetry = time.Hour
	refreshEvery = 6 * time.Hour
	askWithin    = 2 * time.Minute
)

// ACMEConfig says where certificates are asked for.
type ACMEConfig struct {
	Folder    string   // where keys and certificates are kept
	Names     []string // that they are for; single-label names and IP addresses are not given out
	Email     string   // that the authority may write to; may be empty
	Directory string   // URL of the authority's directory
	Root      string   // file of a root in PEM that the authority itself is trusted by; empty for the system's
	Log       func(name string, err error)
}

// ACME asks an authority for certificates, and again before they end.
type ACME struct {
	cfg     ACMEConfig
	manager *autocert.Manager

	mu      sync.Mutex
	certs   map[string]*tls.Certificate // guarded by mu
	trouble map[string]error            // guarded by mu
}

// OpenACME checks the settings; nothing is asked yet.
func OpenACME(cfg ACMEConfig) (*ACME, error) {
	if len(cfg.Names) == 0 {
		return nil, fmt.Errorf("certificates by ACME need the names that they are for: give them by --name")
	}
	for _, name := range cfg.Names {
		if !strings.Contains(strings.Trim(name, "."), ".") || net.ParseIP(name) != nil {
			return nil, fmt.Errorf("no authority gives a certificate to %q: a name such as cams.example.org is needed", name)
		}
	}
	transport := http.DefaultTransport.(*http.Transport).Clone()
	if cfg.Root != "" {
		pem, err := os.ReadFile(cfg.Root)
		if err != nil {
			return nil, fmt.Errorf("the root of the ACME authority cannot be read: %w", err)
		}
		pool := x509.NewCertPool()
		if !pool.AppendCertsFromPEM(pem) {
			return nil, fmt.Errorf("there is no certificate in %s", cfg.Root)
		}
		transport.TLSClientConfig = &tls.Config{RootCAs: pool, MinVersion: tls.VersionTLS12}
	}
	return &ACME{
		cfg: cfg, certs: make(map[string]*tls.Certificate), trouble: make(map[string]error),
		manager: &autocert.Manager{
			Prompt: autocert.AcceptTOS, Cache: autocert.DirCache(cfg.Folder), HostPolicy: autocert.HostWhitelist(cfg.Names...), Email: cfg.Email,
			Client: &acme.Client{DirectoryURL: cfg.Directory, HTTPClient: &http.Client{Transport: transport, Timeout: askWithin}, UserAgent: "webostrum"},
		},
	}, nil
}

// Run asks for each name's certificate at once, so that no viewer waits for it and a
// refusal is known before one comes, and looks again from time to time.
func (a *ACME) Run(ctx context.Context) {
	var names sync.WaitGroup
	for _, name := range a.cfg.Names {
		names.Go(func() { a.keep(ctx, name) })
	}
	names.Wait()
}

func (a *ACME) keep(ctx context.Context, name string) {
	retry := firstRetry
	for {
		_, err := a.Certificate(&tls.ClientHelloInfo{
			ServerName: name, SupportedVersions: []uint16{tls.VersionTLS13}, SignatureSchemes: []tls.SignatureScheme{tls.ECDSAWithP256AndSHA256},
			SupportedCurves: []tls.CurveID{tls.CurveP256}, CipherSuites: []uint16{tls.TLS_ECDHE_ECDSA_WITH_AES_128_GCM_SHA256},
		})
		next := refreshEvery
		if err != nil {
			next, retry = retry, min(2*retry, longestRetry)
		} else {
			retry = firstRetry
		}
		timer := time.NewTimer(next)
		select {
		case <-ctx.Done():
			timer.Stop()
			return
		case <-timer.C:
		}
	}
}

// Certificate implements Source.
func (a *ACME) Certificate(hello *tls.ClientHelloInfo) (*tls.Certificate, error) {
	cert, err := a.manager.GetCertificate(hello)
	challenge := len(hello.SupportedProtos) == 1 && hello.SupportedProtos[0] == acme.ALPNProto
	name := strings.ToLower(strings.TrimSuffix(hello.ServerName, "."))
	if challenge || !a.ours(name) {
		return cert, err
	}
	a.mu.Lock()
	said := a.trouble[name] != nil && err != nil && a.trouble[name].Error() == err.Error()
	if delete(a.trouble, name); err != nil {
		a.trouble[name] = err
	} else {
		a.certs[name] = cert
	}
	a.mu.Unlock()
	if err != nil && !said && a.cfg.Log != nil {
		a.cfg.Log(name, err)
	}
	return cert, err
}

func (a *ACME) ours(name string) bool {
	for _, n := range a.cfg.Names {
		if strings.EqualFold(n, name) {
			return true
		}
	}
	return false
}

// State implements Source: of the certificate that ends first.
func (a *ACME) State(now time.Time) State {
	a.mu.Lock()
	defer a.mu.Unlock()
	state := State{Kind: KindACME, Names: a.cfg.Names}
	for _, cert := range a.certs {
		s := stateOf(KindACME, cert, now)
		if state.Ends.IsZero() || s.Ends.Before(state.Ends) {
			s.Names = a.cfg.Names
			state = s
		}
	}
	for name, err := range a.trouble {
		state.Trouble = fmt.Errorf("the authority gives no certificate for %s: %w", name, err)
	}
	return state
}

// Challenges implements Source.
func (a *ACME) Challenges(next http.Handler) http.Handler { return a.manager.HTTPHandler(next) }

// Protocols implements Source.
func (a *ACME) Protocols() []string { return []string{acme.ALPNProto} }
