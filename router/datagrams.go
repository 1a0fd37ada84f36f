package router

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"time"

	"webostrum/core/portmap"
)

// Requests are sent again after 250 ms, and each time after twice as long (RFC 6886, 3.1);
// fewer times than there, since the next way is tried then.
const (
	firstWait = 250 * time.Millisecond
	tries     = 3
	longest   = 1100 // bytes of an answer (RFC 6887, 7)
)

// datagrams are exchanged with a router.
type datagrams struct{ at netip.AddrPort }

// exchange sends a request until parse takes an answer from the router.
func (d datagrams) exchange(ctx context.Context, request func(local netip.Addr) []byte, parse func([]byte) error) error {
	var dialer net.Dialer
	conn, err := dialer.DialContext(ctx, "udp", d.at.String()) // connected: others' datagrams do not come through
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close() }()
	local := conn.LocalAddr().(*net.UDPAddr).AddrPort().Addr().Unmap()
	answer := make([]byte, longest)
	last := error(errors.New("no answer came"))
	for wait, n := firstWait, 0; n < tries; wait, n = 2*wait, n+1 {
		if err := ctx.Err(); err != nil {
			return err
		}
		if _, err := conn.Write(request(local)); err != nil {
			return err
		}
		until := time.Now().Add(wait)
		if err := conn.SetReadDeadline(until); err != nil {
			return err
		}
		for {
			size, err := conn.Read(answer)
			if err != nil {
				var timeout net.Error
				if errors.As(err, &timeout) && timeout.Timeout() {
					break
				}
				return fmt.Errorf("the router refuses: %w", err)
			}
			if last = parse(answer[:size]); last == nil {
				return nil
			}
			if !errors.Is(last, portmap.ErrOtherAnswer) { // which may be a late one to something before
				return last
			}
		}
	}
	return last
}

// pcp speaks PCP.
type pcp struct {
	datagrams
	nonce portmap.Nonce
}

func newPCP(at netip.AddrPort) *pcp {
	p := &pcp{datagrams: datagrams{at}}
	_, _ = rand.Read(p.nonce[:]) // it never fails
	return p
}

func (*pcp) name() string { return "PCP" }

// open asks for the end of a rule that there is not, which changes nothing.
func (p *pcp) open(ctx context.Context) (netip.Addr, error) {
	const discard = 9 // a port that nobody uses (RFC 863)
	_, err := p.pass(ctx, Wanted{Protocol: portmap.UDP, Port: discard}, 0)
	var refused *portmap.RefusedError
	if errors.As(err, &refused) {
		err = nil // it speaks PCP
	}
	return netip.Addr{}, err
}

func (p *pcp) pass(ctx context.Context, w Wanted, life time.Duration) (given portmap.Mapping, err error) {
	m := portmap.Mapping{Protocol: w.Protocol, Inside: w.Port, Outside: w.outside(), Lifetime: life}
	err = p.exchange(ctx, func(local netip.Addr) []byte { return portmap.PCPRequest(m, local, p.nonce) }, func(b []byte) (err error) {
		given, err = portmap.ParsePCP(b, m, p.nonce)
		return err
	})
	return given, err
}

// pmp speaks NAT-PMP.
type pmp struct{ datagrams }

func (*pmp) name() string { return "NAT-PMP" }

func (p *pmp) open(ctx context.Context) (outside netip.Addr, err error) {
	err = p.exchange(ctx, func(netip.Addr) []byte { return portmap.PMPAddressRequest() }, func(b []byte) (err error) {
		outside, err = portmap.ParsePMPAddress(b)
		return err
	})
	return outside, err
}

func (p *pmp) pass(ctx context.Context, w Wanted, life time.Duration) (given portmap.Mapping, err error) {
	m := portmap.Mapping{Protocol: w.Protocol, Inside: w.Port, Outside: w.outside(), Lifetime: life}
	if life == 0 {
		m.Outside = 0 // RFC 6886, 3.4
	}
	err = p.exchange(ctx, func(netip.Addr) []byte { return portmap.PMPMapRequest(m) }, func(b []byte) (err error) {
		given, err = portmap.ParsePMPMap(b, m)
		return err
	})
	return given, err
}
