package certs

import (
	"crypto/tls"
	"fmt"
	"net/http"
	"os"
	"sync"
	"time"
)

// lookEvery is how often files are looked at for a change.
const lookEvery = 5 * time.Second

// Files are a certificate chain and its key in PEM, read anew when either changes. A
// changed pair that cannot be used leaves the one before in its place.
type Files struct {
	chain, key string

	mu      sync.Mutex
	cert    *tls.Certificate // guarded by mu
	stamp   string           // of the files that were read last; guarded by mu
	looked  time.Time        // guarded by mu
	trouble error            // guarded by mu
}

// OpenFiles reads the files; the error says what does not fit.
func OpenFiles(chain, key string) (*Files, error) {
	f := &Files{chain: chain, key: key}
	f.mu.Lock()
	defer f.mu.Unlock()
	f.readLocked()
	if f.trouble != nil {
		return nil, f.trouble
	}
	return f, nil
}

// readLocked reads the files if they are others than last time.
func (f *Files) readLocked() {
	stamp, err := stampOf(f.chain, f.key)
	if err == nil && stamp == f.stamp {
		return
	}
	var cert tls.Certificate
	if err == nil {
		cert, err = tls.LoadX509KeyPair(f.chain, f.key)
	}
	if err != nil {
		// What was half-written is read again at the next look: its stamp is not kept.
		f.trouble = fmt.Errorf("the certificate in %s cannot be used: %w", f.chain, err)
		return
	}
	f.cert, f.stamp, f.trouble = &cert, stamp, nil
}

// stampOf changes when one of the files does.
func stampOf(paths ...string) (stamp string, err error) {
	for _, p := range paths {
		info, err := os.Stat(p)
		if err != nil {
			return "", err
		}
		stamp += fmt.Sprint(info.ModTime().UnixNano(), " ", info.Size(), " ")
	}
	return stamp, nil
}

func (f *Files) look(now time.Time) (*tls.Certificate, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if since := now.Sub(f.looked); since >= lookEvery || since < 0 {
		f.looked = now
		f.readLocked()
	}
	return f.cert, f.trouble
}

// Certificate implements Source.
func (f *Files) Certificate(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	cert, _ := f.look(time.Now())
	return cert, nil
}

// State implements Source.
func (f *Files) State(now time.Time) State {
	cert, trouble := f.look(now)
	s := stateOf(KindFiles, cert, now)
	if trouble != nil {
		s.Trouble = trouble
	}
	return s
}

// Challenges implements Source.
func (f *Files) Challenges(next http.Handler) http.Handler { return next }

// Protocols implements Source.
func (f *Files) Protocols() []string { return nil }
