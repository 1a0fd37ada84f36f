package discover

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"strconv"
	"sync"
	"time"

	"webostrum/core/onvif"
	devices "webostrum/onvif"
	"webostrum/wait"
)

const (
	mostSwept = 1024 // addresses of one network
	sweepRate = 200  // connections a second
	sweepAt   = 64   // at a time
	tryFor    = time.Second
	mostTold  = 64 << 10
)

// UsualPorts are those on which cameras answer RTSP, ONVIF and HTTP.
var UsualPorts = []uint16{554, 8554, 80, 8080, 8000, 8899}

// The refusals of a sweep.
var (
	ErrPublic = errors.New("only private networks are swept, such as 192.168.1.0/24")
	ErrWide   = fmt.Errorf("a sweep takes %d addresses at most, such as a /22 of IPv4", mostSwept)
)

// CheckSweep says why a network is not swept.
func CheckSweep(p netip.Prefix) error {
	first := p.Masked().Addr()
	last := first
	if bits := p.Addr().BitLen() - p.Bits(); bits > 10 {
		return fmt.Errorf("%w: %s", ErrWide, p)
	} else {
		for range 1<<bits - 1 {
			last = last.Next()
		}
	}
	for _, a := range []netip.Addr{first, last} {
		if !a.IsPrivate() && !a.IsLoopback() && !a.IsLinkLocalUnicast() {
			return fmt.Errorf("%w: %s is not", ErrPublic, p)
		}
	}
	return nil
}

// sweep tries the addresses of networks, no faster than sweepRate.
func sweep(ctx context.Context, networks []netip.Prefix, ports []uint16, c *collection) {
	if len(ports) == 0 {
		ports = UsualPorts
	}
	places := make(chan struct{}, sweepAt)
	var going sync.WaitGroup
	defer going.Wait()
	for _, p := range networks {
		for a := p.Masked().Addr(); p.Contains(a); a = a.Next() {
			for _, port := range ports {
				if !wait.For(ctx, time.Second/sweepRate) {
					return
				}
				select {
				case places <- struct{}{}:
				case <-ctx.Done():
					return
				}
				going.Go(func() {
					defer func() { <-places }()
					try(ctx, a, port, c)
				})
			}
		}
	}
}

// try asks one port what it speaks.
func try(ctx context.Context, host netip.Addr, port uint16, c *collection) {
	address := net.JoinHostPort(host.String(), strconv.Itoa(int(port)))
	f := Found{Host: host.String()}
	switch {
	case speaksRTSP(ctx, address):
		f.Streams, f.Ways = []string{"rtsp://" + address + "/"}, []string{ByRTSP}
	case speaksONVIF(ctx, address):
		f.Device, f.Ways = "http://"+address+devices.DefaultPath, []string{ByONVIF}
	default:
		return
	}
	c.add(f)
}

// speaksRTSP asks for OPTIONS (RFC 2326, 10.1), for which nobody has to sign in.
func speaksRTSP(ctx context.Context, address string) bool {
	ctx, cancel := context.WithTimeout(ctx, tryFor)
	defer cancel()
	conn, err := (&net.Dialer{}).DialContext(ctx, "tcp", address)
	if err != nil {
		return false
	}
	defer func() { _ = conn.Close() }()
	defer context.AfterFunc(ctx, func() { _ = conn.SetDeadline(time.Now()) })()
	if _, err := io.WriteString(conn, "OPTIONS * RTSP/1.0\r\nCSeq: 1\r\nUser-Agent: Webostrum\r\n\r\n"); err != nil {
		return false
	}
	begin := make([]byte, len("RTSP/1."))
	_, err = io.ReadFull(conn, begin)
	return err == nil && string(begin) == "RTSP/1."
}

// speaksONVIF asks for the clock, for which nobody has to sign in.
func speaksONVIF(ctx context.Context, address string) bool {
	ctx, cancel := context.WithTimeout(ctx, 2*tryFor)
	defer cancel()
	ask := onvif.GetClock()
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, "http://"+address+devices.DefaultPath, bytes.NewReader(ask.Envelope(nil)))
	if err != nil {
		return false
	}
	req.Header.Set("Content-Type", onvif.ContentType)
	resp, err := sweeper.Do(req)
	if err != nil {
		return false
	}
	defer func() { _ = resp.Body.Close() }()
	data, err := io.ReadAll(io.LimitReader(resp.Body, mostTold))
	if err != nil {
		return false
	}
	_, err = ask.Read(data)
	var said *onvif.Fault
	return err == nil || errors.As(err, &said)
}

// sweeper goes where it is sent, and to no other host.
var sweeper = http.Client{
	Transport:     &http.Transport{DisableKeepAlives: true, MaxResponseHeaderBytes: mostTold, ResponseHeaderTimeout: tryFor},
	CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
}
