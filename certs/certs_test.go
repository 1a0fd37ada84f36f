package certs_test

import (
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"io"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/certs"
	"webostrum/testkit/acmetest"
)

// pair writes a certificate of its own signing and returns its files.
func pair(t *testing.T, folder, name string, ends time.Time) (chain, key string) {
	t.Helper()
	k, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	c := &x509.Certificate{SerialNumber: big.NewInt(time.Now().UnixNano()), Subject: pkix.Name{CommonName: name}, DNSNames: []string{name}, NotBefore: time.Now().Add(-48 * time.Hour), NotAfter: ends}
	der, err := x509.CreateCertificate(rand.Reader, c, c, &k.PublicKey, k)
	require.NoError(t, err)
	private, err := x509.MarshalPKCS8PrivateKey(k)
	require.NoError(t, err)
	chain, key = filepath.Join(folder, "chain.pem"), filepath.Join(folder, "key.pem")
	write(t, chain, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}))
	write(t, key, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: private}))
	return chain, key
}

func write(t *testing.T, path string, body []byte) {
	t.Helper()
	require.NoError(t, os.WriteFile(path, body, 0o600))
}

// TestFilesAreReadAnew when they change; what is broken leaves the one before in place.
func TestFilesAreReadAnew(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	now := time.Now()
	chain, key := pair(t, folder, "first.example.org", now.Add(60*24*time.Hour))
	f, err := certs.OpenFiles(chain, key)
	require.NoError(t, err)
	assert.Equal(t, []string{"first.example.org"}, f.State(now).Names)

	write(t, chain, []byte("half a certificate"))
	s := f.State(now.Add(time.Minute))
	assert.ErrorContains(t, s.Trouble, "cannot be used")
	assert.Equal(t, []string{"first.example.org"}, s.Names, "the one before still serves")

	pair(t, folder, "second.example.org", now.Add(time.Hour))
	s = f.State(now.Add(2 * time.Minute))
	require.NoError(t, s.Trouble)
	assert.Equal(t, []string{"second.example.org"}, s.Names)
	assert.ErrorIs(t, f.State(now.Add(2*time.Hour)).Trouble, certs.ErrEnded)
	assert.ErrorContains(t, f.State(now.AddDate(-1, 0, 0)).Trouble, "clock", "a clock that has stepped back by a year")
}

// TestFilesThatDoNotFit are refused at the start.
func TestFilesThatDoNotFit(t *testing.T) {
	t.Parallel()
	one, other := t.TempDir(), t.TempDir()
	chain, _ := pair(t, one, "a.example.org", time.Now().Add(time.Hour))
	_, key := pair(t, other, "a.example.org", time.Now().Add(time.Hour))
	_, err := certs.OpenFiles(chain, key)
	assert.ErrorContains(t, err, "does not match")
	_, err = certs.OpenFiles(filepath.Join(one, "none"), key)
	assert.ErrorContains(t, err, "cannot be used")
}

// TestOwnAuthority: whoever trusts its root trusts the service, by name and by address,
// and over a restart.
func TestOwnAuthority(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	names := []string{"cams.example.org", "127.0.0.1"}
	own, err := certs.OpenOwn(folder, time.Now(), func() []string { return names })
	require.NoError(t, err)
	again, err := certs.OpenOwn(folder, time.Now(), func() []string { return names })
	require.NoError(t, err)
	assert.Equal(t, own.Root(), again.Root())

	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	server := &http.Server{TLSConfig: certs.Config(again), ReadHeaderTimeout: time.Second, Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { _, _ = io.WriteString(w, r.Proto) })}
	go func() { _ = server.ServeTLS(l, "", "") }()
	t.Cleanup(func() { _ = server.Close() })

	root, err := x509.ParseCertificate(own.Root())
	require.NoError(t, err)
	pool := x509.NewCertPool()
	pool.AddCert(root)
	c := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool}, ForceAttemptHTTP2: true}}
	res, err := c.Get("https://" + l.Addr().String() + "/")
	require.NoError(t, err)
	body, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	assert.Equal(t, "HTTP/2.0", string(body))

	now := time.Now().Add(time.Minute)
	before := again.State(now)
	names = append(names, "198.51.100.7")
	assert.Contains(t, again.State(now.Add(time.Minute)).Names, "198.51.100.7", "a new address is in the next one")
	assert.Greater(t, again.State(now.AddDate(0, 3, 0)).Ends, before.Ends, "made anew before it ends")
	assert.ErrorIs(t, again.State(now.AddDate(11, 0, 0)).Trouble, certs.ErrEnded, "the root itself")

	write(t, filepath.Join(folder, "authority-key.pem"), []byte("cut"))
	_, err = certs.OpenOwn(folder, time.Now(), nil)
	assert.ErrorContains(t, err, "cannot be used", "and no new root in place of one that devices trust")
}

// TestACME asks a small authority: it gives one, refuses, and is asked again.
func TestACME(t *testing.T) {
	t.Parallel()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	authority, err := acmetest.New(func() string { return l.Addr().String() }, 90*24*time.Hour)
	require.NoError(t, err)
	t.Cleanup(authority.Close)
	said := make(chan error, 4)
	a, err := certs.OpenACME(certs.ACMEConfig{
		Folder: t.TempDir(), Names: []string{"cams.example.org", "other.example.org"}, Directory: authority.URL + "/dir", Log: func(_ string, err error) { said <- err },
	})
	require.NoError(t, err)
	server := &http.Server{TLSConfig: certs.Config(a), ReadHeaderTimeout: time.Second, Handler: http.NotFoundHandler()}
	go func() { _ = server.ServeTLS(l, "", "") }()
	t.Cleanup(func() { _ = server.Close() })

	ask := func(name string) (*tls.Conn, error) {
		pool := x509.NewCertPool()
		pool.AddCert(authority.Root)
		return tls.Dial("tcp", l.Addr().String(), &tls.Config{ServerName: name, RootCAs: pool})
	}
	conn, err := ask("cams.example.org")
	require.NoError(t, err)
	require.NoError(t, conn.Close())
	assert.Equal(t, 1, authority.Given())
	state := a.State(time.Now())
	require.NoError(t, state.Trouble)
	assert.InDelta(t, 90*24, time.Until(state.Ends).Hours(), 1)

	authority.Refuse(true)
	_, err = ask("other.example.org")
	require.Error(t, err)
	assert.ErrorContains(t, <-said, "gives nothing to that name")
	assert.ErrorContains(t, a.State(time.Now()).Trouble, "no certificate for other.example.org")
	_, err = ask("foreign.example.net")
	require.Error(t, err, "a name that is not ours is not asked for")
	conn, err = ask("cams.example.org")
	require.NoError(t, err, "what was given still serves")
	require.NoError(t, conn.Close())
}

// TestACMESettings that no authority could work with are refused at the start.
func TestACMESettings(t *testing.T) {
	t.Parallel()
	for _, names := range [][]string{nil, {"gate"}, {"192.0.2.7"}} {
		_, err := certs.OpenACME(certs.ACMEConfig{Names: names})
		assert.Error(t, err, names)
	}
	none := filepath.Join(t.TempDir(), "root.pem")
	_, err := certs.OpenACME(certs.ACMEConfig{Names: []string{"cams.example.org"}, Root: none})
	require.ErrorContains(t, err, "cannot be read")
	write(t, none, []byte("no PEM"))
	_, err = certs.OpenACME(certs.ACMEConfig{Names: []string{"cams.example.org"}, Root: none})
	assert.ErrorContains(t, err, "no certificate in")
}
