package e2e

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"io"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"regexp"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/testkit"
)

// certificateFiles leaves a certificate of the loopback and its key in PEM.
func certificateFiles(t *testing.T) (chain, key string, pool *x509.CertPool) {
	t.Helper()
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "service"}, NotAfter: time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, IsCA: true, BasicConstraintsValid: true,
	}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &private.PublicKey, private)
	require.NoError(t, err)
	sealed, err := x509.MarshalECPrivateKey(private)
	require.NoError(t, err)
	folder := t.TempDir()
	chain, key = filepath.Join(folder, "chain.pem"), filepath.Join(folder, "key.pem")
	body := pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der})
	require.NoError(t, os.WriteFile(chain, body, 0o600))
	require.NoError(t, os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "EC PRIVATE KEY", Bytes: sealed}), 0o600))
	pool = x509.NewCertPool()
	require.True(t, pool.AppendCertsFromPEM(body))
	return chain, key, pool
}

// wrapped takes connections, and hands them on inside TLS.
func wrapped(t *testing.T, to string, pool *x509.CertPool) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	var going sync.WaitGroup
	t.Cleanup(func() { _ = l.Close(); going.Wait() })
	both := func(plain net.Conn) {
		defer func() { _ = plain.Close() }()
		secure, err := tls.Dial("tcp", to, &tls.Config{RootCAs: pool})
		if err != nil {
			return
		}
		defer func() { _ = secure.Close() }()
		going.Go(func() { _, _ = io.Copy(plain, secure); _ = plain.Close() })
		_, _ = io.Copy(secure, plain)
	}
	going.Go(func() {
		for {
			plain, err := l.Accept()
			if err != nil {
				return
			}
			going.Go(func() { both(plain) })
		}
	})
	return l.Addr().String()
}

// TestRTMPS takes a publisher inside TLS.
func TestRTMPS(t *testing.T) {
	t.Parallel()
	ports, err := testkit.FreePorts(1)
	require.NoError(t, err)
	chain, key, pool := certificateFiles(t)
	w := newWorld(t, "--rtmps-listen", ports[0], "--certificate", chain, "--certificate-key", key)
	out, code := w.cli("feed", "add", "--pushed", feed)
	require.Zero(t, code, out)
	secret := regexp.MustCompile(`key\s+(\S+)`).FindStringSubmatch(out)
	require.NotNil(t, secret, out)
	assert.Contains(t, out, "rtmps://"+ports[0]+"/"+feed)
	w.until("the port opens", func() bool { return listens(ports[0]) })
	w.film("--kind", "push-rtmp", "--size", "320x160", "--keyframes", "500ms", "--to", "rtmp://"+wrapped(t, ports[0], pool)+"/"+feed+"/"+secret[1])
	w.state("live")
	out, code = w.cli("inspect", feed)
	require.Zero(t, code, out)
	assert.Regexp(t, `transport\s+rtmps`, out)
	w.comesOut(3)
}
