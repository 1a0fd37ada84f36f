// Package device plays the part of a camera that speaks ONVIF: it is found by WS-Discovery
// and mDNS, wants signed requests with a right clock, tells its streams, and has the quirks
// of real ones when it is told to.
package device

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"webostrum/core/httpauth"
	"webostrum/core/onvif"
	"webostrum/core/xmltree"
	"webostrum/wait"
)

const (
	path        = "/onvif/device_service"
	mediaPath   = "/onvif/media"
	media2Path  = "/onvif/media2"
	movePath    = "/onvif/ptz"
	imagePath   = "/onvif/imaging"
	allowedSkew = 5 * time.Second
	mostNonces  = 10_000
	timeout     = 10 * time.Second
)

// Stream is one that the device tells of.
type Stream struct {
	Token         string
	Name          string
	Codec         string // H264, H265 or JPEG
	Width, Height int
	FrameRate     int
	Kilobits      int // a second
	Group         int // frames from one keyframe to the next
	URL           string
	Still         string
}

// Quirks are what devices do otherwise than they should.
type Quirks struct {
	Capitals   bool          // names of elements in wrong capitals
	Relative   bool          // addresses without a host
	OtherHost  string        // that its addresses are of
	Status400  bool          // faults come with 400
	HTTPDigest bool          // signs in by HTTP, and not by WS-Security
	Clock      time.Duration // by how much its clock is ahead
	Slow       time.Duration // before each answer
	OnlyOld    bool          // knows neither Media2 nor GetServices
	Still      bool          // can neither be moved nor its picture set
}

// Config says what device to play.
type Config struct {
	Listen   string // "127.0.0.1:0" for any free port
	On       string // interface on which it is found; empty for none
	ID       string // URN
	Name     string
	Hardware string
	Location string
	User     string
	Password string
	Streams  []Stream
	Quirks   Quirks

	OnVideo func(Stream) // is told when a stream was set otherwise; nil for nobody
}

// Device is one simulated device.
type Device struct {
	cfg       Config
	listener  net.Listener
	challenge httpauth.Challenge

	mu     sync.Mutex
	nonces map[string]bool // that were used; guarded by mu
	state  State           // guarded by mu
}

// State is what a device has been told.
type State struct {
	Streams         []Stream
	Keyframes       int     // times that one was asked for
	Pan, Tilt, Zoom float64 // shares of the range, from -1 to 1; zoom from 0
	Brightness      float64
	Filter          string // infrared cut filter
}

// State returns what it has been told so far.
func (d *Device) State() State {
	d.mu.Lock()
	defer d.mu.Unlock()
	s := d.state
	s.Streams = slices.Clone(s.Streams)
	return s
}

// New makes a device and opens its port, so that URL is known.
func New(cfg Config) (*Device, error) {
	l, err := net.Listen("tcp", cfg.Listen)
	if err != nil {
		return nil, fmt.Errorf("the simulated device %s cannot use the address %s: %w", cfg.Name, cfg.Listen, err)
	}
	return &Device{
		cfg: cfg, listener: l, nonces: map[string]bool{}, state: State{Streams: slices.Clone(cfg.Streams), Brightness: 50, Filter: "AUTO"},
		challenge: httpauth.Challenge{Scheme: "digest", Realm: cfg.Name, Nonce: rand.Text(), QOP: "auth"},
	}, nil
}

// URL is the address of its device service.
func (d *Device) URL() string { return "http://" + d.listener.Addr().String() + path }

// Run plays it until ctx ends.
func (d *Device) Run(ctx context.Context) error {
	server := &http.Server{Handler: d, ReadHeaderTimeout: timeout, ReadTimeout: timeout}
	var parts sync.WaitGroup
	defer parts.Wait()
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	defer context.AfterFunc(ctx, func() { _ = server.Close() })()
	failed := make(chan error, 2)
	if d.cfg.On != "" {
		for _, answer := range []func(context.Context) error{d.answerProbes, d.answerBrowsers} {
			parts.Go(func() {
				if err := answer(ctx); err != nil {
					failed <- err
					cancel()
				}
			})
		}
	}
	if err := server.Serve(d.listener); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	select {
	case err := <-failed:
		return err
	default:
		return nil
	}
}

// ServeHTTP answers SOAP.
func (d *Device) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if !wait.For(r.Context(), d.cfg.Quirks.Slow) && d.cfg.Quirks.Slow > 0 {
		return
	}
	data, err := io.ReadAll(io.LimitReader(r.Body, xmltree.MostBytes+1))
	if err != nil {
		return
	}
	n, err := xmltree.Parse(data)
	body := n.First("Body")
	if err != nil || body == nil || len(body.Children) == 0 {
		http.Error(w, "this is no SOAP", http.StatusBadRequest)
		return
	}
	asked := body.Children[0]
	if asked.Name != "getsystemdateandtime" && d.cfg.User != "" && !d.signed(w, r, n) {
		return
	}
	answer, ok := d.answer(asked)
	if !ok {
		d.fault(w, "ter:ActionNotSupported", "The device does not know that.")
		return
	}
	d.write(w, http.StatusOK, answer)
}

func (d *Device) signed(w http.ResponseWriter, r *http.Request, n *xmltree.Node) bool {
	if d.cfg.Quirks.HTTPDigest {
		if d.challenge.Check(r.Header.Get("Authorization"), r.Method, d.cfg.User, d.cfg.Password) {
			return true
		}
		w.Header().Set("Www-Authenticate", d.challenge.Header())
		http.Error(w, "sign in", http.StatusUnauthorized)
		return false
	}
	if !d.rightToken(n.First("Header", "Security", "UsernameToken")) {
		d.fault(w, "ter:NotAuthorized", "Sender not authorized.")
		return false
	}
	return true
}

// rightToken is strict: each nonce once, and times by its own clock.
func (d *Device) rightToken(t *xmltree.Node) bool {
	created, err := time.Parse(time.RFC3339, t.Value("Created"))
	if err != nil || time.Until(created.Add(-d.cfg.Quirks.Clock)).Abs() > allowedSkew {
		return false
	}
	nonce, err := base64.StdEncoding.DecodeString(t.Value("Nonce"))
	if err != nil || len(nonce) == 0 || t.Value("Username") != d.cfg.User || t.Value("Password") != onvif.Digest(nonce, t.Value("Created"), d.cfg.Password) {
		return false
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.nonces[string(nonce)] {
		return false
	}
	if len(d.nonces) >= mostNonces {
		clear(d.nonces) // they are refused as old by now
	}
	d.nonces[string(nonce)] = true
	return true
}

func (d *Device) fault(w http.ResponseWriter, code, reason string) {
	status := http.StatusInternalServerError
	if d.cfg.Quirks.Status400 {
		status = http.StatusBadRequest
	}
	d.write(w, status, fmt.Sprintf("<s:Fault><s:Code><s:Value>s:Sender</s:Value><s:Subcode><s:Value>%s</s:Value></s:Subcode></s:Code><s:Reason><s:Text xml:lang=\"en\">%s</s:Text></s:Reason></s:Fault>", code, reason))
}

func (d *Device) write(w http.ResponseWriter, status int, body string) {
	if d.cfg.Quirks.Capitals {
		body = strings.NewReplacer("Profiles", "profiles", "Resolution", "RESOLUTION", "Uri>", "URI>", "XAddr", "Xaddr").Replace(body)
	}
	w.Header().Set("Content-Type", onvif.ContentType)
	w.WriteHeader(status)
	_, _ = fmt.Fprintf(w, `<?xml version="1.0"?><s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" xmlns:ter="http://www.onvif.org/ver10/error" `+
		`xmlns:tds="%s" xmlns:trt="%s" xmlns:tr2="%s" xmlns:tpz="%s" xmlns:tim="%s" xmlns:tt="http://www.onvif.org/ver10/schema"><s:Body>%s</s:Body></s:Envelope>`,
		onvif.DeviceService, onvif.MediaService, onvif.Media2Service, onvif.MoveService, onvif.ImageService, body)
}
