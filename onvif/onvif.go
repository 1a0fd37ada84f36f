// Package onvif asks cameras by ONVIF what they are and what they send: it finds their
// clock without a sign-in, signs by WS-Security and, where they want that, by HTTP Digest,
// and says in the product's faults what goes wrong.
//
// The camera's credentials go to the host that was named, and nowhere else, whatever
// addresses the camera gives: those of another host are taken as paths on the one named,
// since cameras behind a router or moved to another network tell addresses of before.
package onvif

import (
	"context"
	"crypto/rand"
	"errors"
	"net/http"
	"net/url"
	"strings"
	"time"

	"webostrum/core/fault"
	"webostrum/core/onvif"
	"webostrum/core/xmltree"
	"webostrum/ingest/camhttp"
	"webostrum/netif"
)

const (
	// DefaultPath is where devices have their device service.
	DefaultPath = "/onvif/device_service"

	nonceLen   = 16 // bytes
	lateAllows = 5 * time.Second
)

// Config says which camera is asked.
type Config struct {
	URL           *url.URL // of its device service
	User          string
	Password      string
	DigestOnly    bool          // Basic challenges are not answered
	Fingerprint   string        // SHA-256 of the certificate to trust, for https
	AnswerTimeout time.Duration // for each answer; must be set
}

// Report is what a camera said.
type Report struct {
	onvif.Information
	ID       string        // what it calls itself in WS-Discovery; empty where it does not say
	Offset   time.Duration // by how much its clock is ahead of ours
	Profiles []Profile
	Notes    []string // what was odd, as sentences
}

// Profile is a stream, and where it is.
type Profile struct {
	onvif.Profile
	Service string // that tells of it
	Stream  string // rtsp://, without credentials
	Still   string // http://, where there is one
}

// camera is one that is being asked.
type camera struct {
	cfg      Config
	http     *camhttp.Camera
	offset   time.Duration
	services map[string]*url.URL
	notes    []string
}

// Look asks a camera for all that a feed of it needs. Errors are *fault.Error or the
// context's.
func Look(ctx context.Context, cfg Config) (*Report, error) {
	c := newCamera(cfg)
	defer c.http.Close()
	r, err := c.look(ctx)
	return r, told(err)
}

func newCamera(cfg Config) *camera {
	if cfg.URL.Path == "" || cfg.URL.Path == "/" {
		u := *cfg.URL
		u.Path = DefaultPath
		cfg.URL = &u
	}
	return &camera{cfg: cfg, http: camhttp.New(camhttp.Config{
		URL: cfg.URL, User: cfg.User, Password: cfg.Password, DigestOnly: cfg.DigestOnly, Fingerprint: cfg.Fingerprint, AnswerTimeout: cfg.AnswerTimeout,
	})}
}

// told is an error as a fault, also where it is the camera's own.
func told(err error) error {
	var said *onvif.Fault
	if errors.As(err, &said) {
		return fault.New(fault.Refused, said, "it says: %v", said)
	}
	return err
}

func (c *camera) look(ctx context.Context) (*Report, error) {
	if err := c.findClock(ctx); err != nil {
		return nil, err
	}
	n, err := c.ask(ctx, c.cfg.URL, onvif.GetInformation(), true)
	if err != nil {
		return nil, err
	}
	r := &Report{Information: onvif.ReadInformation(n), Offset: c.offset}
	if n, err = c.ask(ctx, c.cfg.URL, onvif.GetEndpoint(), true); err == nil {
		r.ID = onvif.ReadEndpoint(n)
	} // many do not know it
	if err := c.findServices(ctx); err != nil {
		return nil, err
	}
	if r.Profiles, err = c.profiles(ctx); err != nil {
		return nil, err
	}
	r.Notes = c.notes
	return r, nil
}

// findClock asks for the camera's clock, so that what is signed is not refused as old.
func (c *camera) findClock(ctx context.Context) error {
	n, err := c.ask(ctx, c.cfg.URL, onvif.GetClock(), false)
	var f *fault.Error
	if errors.As(err, &f) && (f.Kind.Code == fault.SignInMissing || f.Kind.Code == fault.SignInRefused) {
		c.note("The camera does not tell its clock without a sign-in, as it should.")
		return nil
	}
	if err != nil {
		return err
	}
	at, ok := onvif.ReadClock(n)
	if !ok {
		c.note("The camera does not tell its clock.")
		return nil
	}
	c.offset = time.Until(at) + time.Second/2 // it tells whole seconds
	if c.offset.Abs() > lateAllows {
		if c.offset > 0 {
			c.note("The camera's clock is " + c.offset.Round(time.Second).String() + " fast.")
		} else {
			c.note("The camera's clock is " + (-c.offset).Round(time.Second).String() + " slow.")
		}
	}
	return nil
}

func (c *camera) note(text string) { c.notes = append(c.notes, text) }

// findServices asks where the media services are; cameras that say nothing of use have them
// beside the device service.
func (c *camera) findServices(ctx context.Context) error {
	n, err := c.ask(ctx, c.cfg.URL, onvif.GetServices(), true)
	if unknown(err) {
		n, err = c.ask(ctx, c.cfg.URL, onvif.GetCapabilities(), true)
	}
	if err != nil {
		return err
	}
	c.services = map[string]*url.URL{}
	for namespace, at := range onvif.ReadServices(n) {
		if u := c.own(at); u != nil {
			c.services[namespace] = u
		}
	}
	if c.services[onvif.MediaService] == nil && c.services[onvif.Media2Service] == nil {
		return fault.New(fault.Refused, nil, "it names no media service, so it has no streams to give by ONVIF")
	}
	return nil
}

// own is an address of the camera on the host that was named; nil for what is none.
func (c *camera) own(text string) *url.URL {
	u, err := c.cfg.URL.Parse(strings.TrimSpace(text))
	if err != nil || text == "" || u.Scheme != "http" && u.Scheme != "https" {
		return nil
	}
	if u.Hostname() == "" || !strings.EqualFold(u.Hostname(), c.cfg.URL.Hostname()) {
		c.noteOnce("The camera gives addresses of another host, " + u.Host + "; the one named was asked instead.")
		u.Scheme, u.Host = c.cfg.URL.Scheme, c.cfg.URL.Host
	}
	u.User = nil
	return u
}

func (c *camera) noteOnce(text string) {
	for _, n := range c.notes {
		if n == text {
			return
		}
	}
	c.note(text)
}

// unknown says whether a camera does not know what it was asked.
func unknown(err error) bool {
	var f *onvif.Fault
	return errors.As(err, &f) && !f.NotAuthorized()
}

// profiles asks the newer media service, which alone tells of H.265, then the older.
func (c *camera) profiles(ctx context.Context) (list []Profile, err error) {
	for _, service := range []string{onvif.Media2Service, onvif.MediaService} {
		at := c.services[service]
		if at == nil {
			continue
		}
		var n *xmltree.Node
		if n, err = c.ask(ctx, at, onvif.GetProfiles(service), true); err != nil {
			if unknown(err) {
				continue
			}
			return nil, err
		}
		for _, p := range onvif.ReadProfiles(n) {
			full, err := c.addresses(ctx, service, at, p)
			if err != nil {
				return nil, err
			}
			list = append(list, full)
		}
		if len(list) > 0 {
			return list, nil
		}
	}
	if err != nil {
		return nil, err
	}
	return nil, fault.New(fault.Refused, nil, "it has no profile with video: set one up in the camera")
}

// addresses asks where a profile's stream and stills are. A camera without stills is none
// the worse.
func (c *camera) addresses(ctx context.Context, service string, at *url.URL, p onvif.Profile) (Profile, error) {
	full := Profile{Profile: p, Service: service}
	n, err := c.ask(ctx, at, onvif.GetStreamURI(service, p.Token), true)
	switch {
	case unknown(err):
		c.noteOnce("The camera does not say where the stream of " + p.Name + " is.")
	case err != nil:
		return full, err
	default:
		full.Stream = c.stream(onvif.ReadURI(n))
	}
	n, err = c.ask(ctx, at, onvif.GetSnapshotURI(service, p.Token), true)
	switch {
	case unknown(err):
	case err != nil:
		return full, err
	default:
		if u := c.own(onvif.ReadURI(n)); u != nil {
			full.Still = u.String()
		}
	}
	return full, nil
}

// stream is an RTSP address on the host that was named, at the port that the camera says.
func (c *camera) stream(text string) string {
	u, err := url.Parse(strings.TrimSpace(text))
	if err != nil || u.Scheme != "rtsp" && u.Scheme != "rtsps" {
		return ""
	}
	if host := c.cfg.URL.Hostname(); !strings.EqualFold(u.Hostname(), host) {
		c.noteOnce("The camera gives addresses of another host, " + u.Hostname() + "; the one named was asked instead.")
		u.Host = netif.HostPort(host, u.Port())
	}
	u.User = nil
	return u.String()
}

// ask sends a request and reads the answer. Faults of the camera that have a kind in the
// product come as that; others as they are.
func (c *camera) ask(ctx context.Context, at *url.URL, r onvif.Request, signed bool) (*xmltree.Node, error) {
	var who *onvif.Signature
	if signed && c.cfg.User != "" {
		who = &onvif.Signature{User: c.cfg.User, Password: c.cfg.Password, Nonce: make([]byte, nonceLen), Created: time.Now().Add(c.offset)}
		_, _ = rand.Read(who.Nonce) // it never fails
	}
	header := http.Header{"Content-Type": {onvif.ContentType + `; action="` + r.Action() + `"`}}
	status, data, err := c.http.Call(ctx, at, header, string(r.Envelope(who)), xmltree.MostBytes)
	if err != nil {
		return nil, err
	}
	n, err := r.Read(data)
	if err == nil {
		return n, nil
	}
	var said *onvif.Fault
	switch {
	case errors.As(err, &said) && said.NotAuthorized() && c.cfg.User == "":
		return nil, fault.New(fault.SignInMissing, nil, "%s", said)
	case errors.As(err, &said) && said.NotAuthorized():
		return nil, fault.New(fault.SignInRefused, nil, "signed in as %s: %s", c.cfg.User, said)
	case errors.As(err, &said):
		return nil, said
	case status == http.StatusNotFound || status == http.StatusMethodNotAllowed:
		return nil, fault.New(fault.PathUnknown, nil, "it answered %d to ONVIF at %s", status, at.Path)
	}
	return nil, fault.New(fault.NotONVIF, err, "%v", err)
}
