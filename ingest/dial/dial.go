// Package dial opens connections to cameras and says in the product's faults what
// goes wrong with them.
package dial

import (
	"context"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"encoding/hex"
	"errors"
	"io"
	"net"
	"os"
	"strings"
	"syscall"
	"time"

	"webostrum/core/fault"
)

// TCP connects to a camera within the timeout.
func TCP(ctx context.Context, address string, timeout time.Duration) (net.Conn, error) {
	ctx, cancel := context.WithTimeout(ctx, timeout)
	defer cancel()
	conn, err := (&net.Dialer{}).DialContext(ctx, "tcp", address)
	if err != nil {
		return nil, explain(err, address)
	}
	return conn, nil
}

func explain(err error, address string) error {
	var dns *net.DNSError
	switch {
	case errors.As(err, &dns):
		return fault.New(fault.NameUnknown, err, "looked up %s", dns.Name)
	case errors.Is(err, syscall.ECONNREFUSED):
		return fault.New(fault.PortClosed, err, "tried %s", address)
	case errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH):
		return fault.New(fault.NoRoute, err, "tried %s", address)
	}
	return fault.New(fault.NoAnswer, err, "tried %s", address)
}

// Secure does the TLS handshake. A fingerprint stands in for the authorities:
// cameras make their certificates themselves.
func Secure(ctx context.Context, conn net.Conn, host, fingerprint string) (net.Conn, error) {
	want := strings.ToLower(strings.ReplaceAll(fingerprint, ":", ""))
	seen := ""
	cfg := &tls.Config{
		ServerName: host,
		MinVersion: tls.VersionTLS12,
		// What is checked is in VerifyConnection, so that the fingerprint of a
		// certificate that is not trusted can be told to the user.
		InsecureSkipVerify: true, //nolint:gosec // see above
		VerifyConnection: func(state tls.ConnectionState) error {
			sum := sha256.Sum256(state.PeerCertificates[0].Raw)
			seen = hex.EncodeToString(sum[:])
			if want != "" {
				if seen == want {
					return nil
				}
				return errOtherCertificate
			}
			return verifyChain(state, host)
		},
	}
	secured := tls.Client(conn, cfg)
	if err := secured.HandshakeContext(ctx); err != nil {
		_ = conn.Close()
		if seen != "" {
			return nil, fault.New(fault.CertUntrusted, err, "its SHA-256 fingerprint is %s; %v", seen, err)
		}
		return nil, fault.New(fault.TLSFailed, err, "%v", err)
	}
	return secured, nil
}

var errOtherCertificate = errors.New("it is not the certificate whose fingerprint the feed has")

func verifyChain(state tls.ConnectionState, host string) error {
	opts := x509.VerifyOptions{DNSName: host, Intermediates: x509.NewCertPool()}
	for _, c := range state.PeerCertificates[1:] {
		opts.Intermediates.AddCert(c)
	}
	_, err := state.PeerCertificates[0].Verify(opts)
	return err
}

// BrokenOff turns an error of the connection into a fault.
func BrokenOff(err error, doing string) error {
	switch {
	case errors.Is(err, os.ErrDeadlineExceeded):
		return fault.New(fault.SlowAnswer, err, "the connection stands, but no answer came to %s", doing)
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, syscall.ECONNRESET), errors.Is(err, syscall.EPIPE):
		return fault.New(fault.HungUp, err, "during %s", doing)
	}
	return fault.New(fault.Garbled, err, "during %s", doing)
}
