package rtsp_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"math/big"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"webostrum/core/rtspmsg"
)

// answerer answers one request; nil says nothing at all.
type answerer func(*rtspmsg.Message) *rtspmsg.Message

// scripted is a camera that answers as a test tells it; it returns its URL.
func scripted(t *testing.T, l net.Listener, answer answerer) string {
	t.Helper()
	var wg sync.WaitGroup
	wg.Go(func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			wg.Go(func() {
				defer func() { _ = c.Close() }()
				r := rtspmsg.NewReader(c)
				for {
					m, _, _, err := r.Next()
					if err != nil {
						return
					}
					if m == nil {
						continue
					}
					if a := answer(m); a != nil {
						if a.Header == nil {
							a.Header = rtspmsg.Header{}
						}
						a.Header.Set("CSeq", m.Header.Get("CSeq"))
						if _, err := c.Write(a.Append(nil)); err != nil {
							return
						}
					}
				}
			})
		}
	})
	t.Cleanup(func() { _ = l.Close(); wg.Wait() })
	return "rtsp://" + l.Addr().String() + "/main"
}

func listen(t *testing.T) net.Listener {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	return l
}

const h264SDP = "v=0\r\nm=video 0 RTP/AVP 96\r\na=rtpmap:96 H264/90000\r\na=control:track1\r\n"

// status answers everything well but one method.
func status(method string, code int, sdp string) answerer {
	return func(m *rtspmsg.Message) *rtspmsg.Message {
		a := &rtspmsg.Message{Status: 200, Reason: "OK", Header: rtspmsg.Header{}}
		switch m.Method {
		case "DESCRIBE":
			a.Body = []byte(sdp)
		case "SETUP":
			a.Header.Set("Transport", m.Header.Get("Transport"))
			a.Header.Set("Session", "7;timeout=4")
		}
		if m.Method == method {
			a = &rtspmsg.Message{Status: code, Reason: "Because"}
		}
		return a
	}
}

// webServer is something that is not a camera.
func webServer(t *testing.T) string {
	t.Helper()
	s := httptest.NewServer(http.NotFoundHandler())
	t.Cleanup(s.Close)
	return strings.Replace(s.URL, "http", "rtsp", 1) + "/main"
}

// certificate makes one that nobody has signed.
func certificate(t *testing.T) tls.Certificate {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "camera"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
	}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	require.NoError(t, err)
	return tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key}
}
