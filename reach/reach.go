// Package reach tries from this machine what gets through to a service elsewhere, as the
// check's page does in a browser, and tells the mistakes apart that a browser cannot.
package reach

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"webostrum/apitypes"
	"webostrum/core/reach"
)

const (
	within    = 8 * time.Second
	mostPlan  = 64 << 10
	mostList  = 1 << 20
	goesOn    = 3 // pieces of an answer that goes on
	pieceSize = 4 << 10
)

// Result is one trial's.
type Result struct {
	apitypes.ReachFinding
	Address netip.Addr // that the name led to; invalid when it did not matter
}

// Check is one run of the trials.
type Check struct {
	page *url.URL // with the code, where there is one
	code string
	plan *apitypes.ReachPlan // nil as long as the service was not reached
	http *http.Client
}

// Parse reads the address of a check, or of a service: http://HOST:PORT/reach/CODE.
func Parse(address string) (*Check, error) {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Hostname() == "" || u.User != nil {
		return nil, fmt.Errorf("%q is no address of a service: write it like https://cams.example.org, or copy that of a check", address)
	}
	c := &Check{page: u, http: &http.Client{Transport: &http.Transport{ForceAttemptHTTP2: true, DisableKeepAlives: true}}}
	if before, code, ok := strings.Cut(u.Path, "/reach/"); ok {
		c.code, _, _ = strings.Cut(code, "/")
		u.Path = before
	}
	u.Path, u.RawQuery, u.Fragment = strings.TrimSuffix(u.Path, "/"), "", ""
	return c, nil
}

// Run makes all trials and calls done with each. The error is of ctx alone.
func (c *Check) Run(ctx context.Context, done func(Result)) error {
	first := reach.Trial(c.page.Scheme)
	done(c.report(ctx, c.answers(ctx, first, c.page.String())))
	if c.plan == nil {
		return ctx.Err() // nothing else can be known
	}
	other, way := reach.HTTP, c.plan.HTTP
	if first == reach.HTTP {
		other, way = reach.HTTPS, c.plan.HTTPS
	}
	if way == "" {
		done(c.report(ctx, c.outcome(other, reach.Off, c.page, nil)))
	} else {
		done(c.report(ctx, c.answers(ctx, other, way)))
	}
	for _, t := range []reach.Trial{reach.HLS, reach.Fragments, reach.MotionJPEG, reach.WebRTCUDP, reach.WebRTCTCP} {
		if err := ctx.Err(); err != nil {
			return err
		}
		done(c.report(ctx, c.media(ctx, t)))
	}
	return ctx.Err()
}

// trial is a result in the making.
type trial struct {
	apitypes.ReachResult
	place reach.Place
}

func (c *Check) outcome(t reach.Trial, o reach.Outcome, at *url.URL, err error) trial {
	r := trial{ReachResult: apitypes.ReachResult{Trial: string(t), Outcome: string(o)}}
	r.place.Host, r.place.Port = at.Hostname(), portOf(at)
	if err != nil {
		r.Detail = err.Error()
	}
	return r
}

func portOf(u *url.URL) int {
	if port, err := strconv.Atoi(u.Port()); err == nil {
		return port
	}
	if u.Scheme == "https" {
		return 443
	}
	return 80
}

// answers tries whether the service itself answers at an address, and gets the plan.
func (c *Check) answers(ctx context.Context, t reach.Trial, base string) trial {
	begun := time.Now()
	at, err := url.Parse(base)
	if err != nil {
		return c.outcome(t, reach.Failed, c.page, err)
	}
	address, o, err := dial(ctx, at)
	if o == reach.Works {
		o, err = c.ask(ctx, base)
	}
	r := c.outcome(t, o, at, err)
	r.place.Address = address
	r.Millis = float64(time.Since(begun).Milliseconds())
	if address.IsValid() {
		r.Address = address.String()
	}
	return r
}

// dial tells where a name leads, and whether anything listens there.
func dial(ctx context.Context, at *url.URL) (address netip.Addr, o reach.Outcome, err error) {
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	addresses, err := net.DefaultResolver.LookupNetIP(ctx, "ip", at.Hostname())
	if err != nil || len(addresses) == 0 {
		return address, reach.NameUnknown, err
	}
	for _, a := range addresses {
		address = a.Unmap()
		var conn net.Conn
		var d net.Dialer
		conn, err = d.DialContext(ctx, "tcp", netip.AddrPortFrom(address, uint16(portOf(at))).String())
		if err == nil {
			return address, reach.Works, conn.Close()
		}
	}
	return address, dialOutcome(err), err
}

// dialOutcome is what a connection that did not come about means.
func dialOutcome(err error) reach.Outcome {
	var timeout net.Error
	switch {
	case errors.Is(err, syscall.ECONNREFUSED):
		return reach.Refused
	case errors.As(err, &timeout) && timeout.Timeout(), errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH):
		return reach.Silent
	}
	return reach.Failed
}

// ask has the service tell its plan.
func (c *Check) ask(ctx context.Context, base string) (reach.Outcome, error) {
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	path := "/reach/" + c.code + "/plan"
	if c.code == "" {
		path = "/healthz"
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, base+path, nil)
	if err != nil {
		return reach.Failed, err
	}
	res, err := c.http.Do(req)
	if err != nil {
		return askOutcome(err)
	}
	defer func() { _ = res.Body.Close() }()
	body, err := io.ReadAll(io.LimitReader(res.Body, mostPlan))
	if err != nil {
		return reach.Silent, err
	}
	if c.code == "" {
		if string(body) == "ok\n" {
			return reach.Works, nil
		}
		return reach.Other, nil
	}
	var plan apitypes.ReachPlan
	var problem apitypes.Problem
	switch {
	case json.Unmarshal(body, &plan) == nil && plan.Service != "" && (c.plan == nil || c.plan.Service == plan.Service):
		c.plan = &plan
		return reach.Works, nil
	case json.Unmarshal(body, &problem) == nil && problem.Code == "reach-check-unknown":
		return reach.Failed, errors.New("the service answers and does not know this check: it holds for an hour; have another one made")
	}
	return reach.Other, nil
}

// askOutcome tells a certificate that is not trusted from other failures.
func askOutcome(err error) (reach.Outcome, error) {
	var unknown x509.UnknownAuthorityError
	var name x509.HostnameError
	var invalid x509.CertificateInvalidError
	var wrapped *tls.CertificateVerificationError
	var record tls.RecordHeaderError
	var timeout net.Error
	switch {
	case errors.As(err, &unknown), errors.As(err, &name), errors.As(err, &invalid), errors.As(err, &wrapped):
		return reach.Untrusted, errors.Unwrap(err)
	case errors.As(err, &record), strings.Contains(err.Error(), "malformed HTTP"), strings.Contains(err.Error(), "server gave HTTP response"):
		return reach.Other, err
	case errors.As(err, &timeout) && timeout.Timeout():
		return reach.Silent, err
	}
	return reach.Other, err // it listened, and hung up
}

// media tries one delivery of the check's feed.
func (c *Check) media(ctx context.Context, t reach.Trial) trial {
	begun := time.Now()
	base := *c.page
	delivery := map[reach.Trial]string{reach.WebRTCUDP: "webrtc", reach.WebRTCTCP: "webrtc"}[t]
	if delivery == "" {
		delivery = string(t)
	}
	var o reach.Outcome
	var err error
	switch {
	case c.plan.Media == "":
		o = reach.NotTried
	case !slices.Contains(c.plan.Gives, delivery):
		o = reach.Off
	default:
		base.Path = ""
		media := base.String() + c.plan.Media
		switch t {
		case reach.HLS:
			o, err = c.hls(ctx, media+"/hls/index.m3u8")
		case reach.Fragments:
			o, err = c.flows(ctx, media+"/live.mp4")
		case reach.MotionJPEG:
			o, err = c.flows(ctx, media+"/mjpeg")
		default:
			o, err = c.webRTC(ctx, media+"/whep", t == reach.WebRTCUDP)
		}
	}
	r := c.outcome(t, o, c.page, err)
	r.Millis = float64(time.Since(begun).Milliseconds())
	return r
}

func (c *Check) get(ctx context.Context, at string) ([]byte, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, at, nil)
	if err != nil {
		return nil, err
	}
	res, err := c.http.Do(req)
	if err != nil {
		return nil, err
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode != http.StatusOK {
		return nil, fmt.Errorf("it is answered with %s", res.Status)
	}
	return io.ReadAll(io.LimitReader(res.Body, mostList))
}

// hls gets a list, the list in it, and a segment.
func (c *Check) hls(ctx context.Context, at string) (reach.Outcome, error) {
	ctx, cancel := context.WithTimeout(ctx, 2*within)
	defer cancel()
	for range 2 {
		list, err := c.get(ctx, at)
		if err != nil {
			return reach.Failed, err
		}
		entry := ""
		for line := range strings.Lines(string(list)) {
			if line = strings.TrimSpace(line); line != "" && line[0] != '#' {
				entry = line
			}
		}
		next, err := url.Parse(at)
		if err == nil && entry != "" {
			next, err = next.Parse(entry)
		}
		if err != nil || entry == "" {
			return reach.Failed, errors.New("the list is empty")
		}
		if at = next.String(); !strings.HasSuffix(next.Path, ".m3u8") {
			break
		}
	}
	_, err := c.get(ctx, at)
	if err != nil {
		return reach.Failed, err
	}
	return reach.Works, nil
}

// flows tells whether an answer that goes on comes piece by piece.
func (c *Check) flows(ctx context.Context, at string) (reach.Outcome, error) {
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, at, nil)
	if err != nil {
		return reach.Failed, err
	}
	res, err := c.http.Do(req)
	if err != nil {
		return heldBack(ctx, err)
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode != http.StatusOK {
		return reach.Failed, fmt.Errorf("it is answered with %s", res.Status)
	}
	piece := make([]byte, pieceSize)
	for range goesOn {
		if _, err := io.ReadAtLeast(res.Body, piece, 1); err != nil {
			return heldBack(ctx, err)
		}
	}
	return reach.Works, nil
}

func heldBack(ctx context.Context, err error) (reach.Outcome, error) {
	if errors.Is(ctx.Err(), context.DeadlineExceeded) {
		return reach.HeldBack, nil
	}
	return reach.Failed, err
}

var device = strings.ToLower(rand.Text()[:20])

// report tells the service of a result and takes its words for it; where it does not
// answer, they are found here.
func (c *Check) report(ctx context.Context, t trial) Result {
	r := Result{Address: t.place.Address}
	name := reach.Trial(t.Trial)
	t.place.Detail = t.Detail
	said := reach.Explain(name, reach.Outcome(t.Outcome), t.place)
	r.ReachFinding = apitypes.ReachFinding{Trial: t.Trial, Name: name.Name(), Outcome: t.Outcome, Millis: t.Millis, Sentence: said.Sentence, Remedy: said.Remedy}
	if c.plan == nil || c.code == "" {
		return r
	}
	body, err := json.Marshal(apitypes.ReachReport{Device: device, Results: []apitypes.ReachResult{t.ReachResult}})
	if err != nil {
		return r
	}
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, c.page.String()+"/reach/"+c.code+"/report", bytes.NewReader(body))
	if err != nil {
		return r
	}
	req.Header.Set("User-Agent", "webostrum reach")
	res, err := c.http.Do(req)
	if err != nil {
		return r
	}
	defer func() { _ = res.Body.Close() }()
	var findings []apitypes.ReachFinding
	if json.NewDecoder(io.LimitReader(res.Body, mostPlan)).Decode(&findings) == nil && len(findings) == 1 {
		r.ReachFinding = findings[0]
	}
	return r
}
