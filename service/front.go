package service

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"webostrum/api"
	"webostrum/certs"
	"webostrum/deliver/socket"
	"webostrum/netif"
)

// Front says how the service is come to.
type Front struct {
	Outside      string        // URL that viewers outside come by; empty when there is none
	Base         string        // path that everything is under; empty means that of Outside
	Names        []string      // host names that it answers to; none means all
	Viewers      string        // address for viewers alone; empty for none
	HTTPS        string        // address for HTTPS; empty for none
	Chain, Key   string        // files of its certificate
	OwnAuthority bool          // it signs its certificates itself
	ACME         *ACME         // it asks an authority for them
	Redirect     bool          // plain HTTP is sent on to HTTPS
	RouterRules  bool          // the router is asked to pass ports on, at the start
	HSTS         time.Duration // browsers are told to come by HTTPS alone
}

// ACME says which authority is asked for certificates.
type ACME struct{ Directory, Email, Root string }

// certificatesFolder is where certificates by ACME are kept, in the data folder.
const certificatesFolder = "certificates"

// Check says why the settings do not fit together.
func (f Front) Check() error {
	_, err := f.check()
	return err
}

// check returns what the API is told, or why the settings do not fit together.
func (f Front) check() (api.Front, error) {
	out := api.Front{Names: f.Names, Base: strings.TrimSuffix("/"+strings.Trim(f.Base, "/"), "/"), Redirect: f.Redirect, HSTS: f.HSTS}
	if f.Outside != "" {
		u, err := url.Parse(f.Outside)
		if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Hostname() == "" || u.User != nil || u.RawQuery != "" || u.Fragment != "" {
			return out, fmt.Errorf("the outside address %q is none: write it like https://cams.example.org or https://example.org/cameras/", f.Outside)
		}
		if out.Outside = u; f.Base == "" {
			out.Base = strings.TrimSuffix(u.Path, "/")
		}
	}
	if strings.ContainsAny(out.Base, "?#%\"<> ") || strings.Contains(out.Base, "..") {
		return out, fmt.Errorf("the base path %q cannot be used: write it like /cameras/", out.Base)
	}
	return out, f.checkHTTPS()
}

func (f Front) checkHTTPS() error {
	ways := 0
	for _, given := range []bool{f.Chain != "" || f.Key != "", f.OwnAuthority, f.ACME != nil} {
		if given {
			ways++
		}
	}
	switch {
	case ways > 1:
		return errors.New("certificates come from one place: files (--certificate), an authority (--acme) or the service's own (--own-authority)")
	case (f.Chain == "") != (f.Key == ""):
		return errors.New("--certificate and --certificate-key go together")
	case f.HTTPS != "" && ways == 0:
		return errors.New("HTTPS needs a certificate: --certificate with --certificate-key, --acme or --own-authority")
	case f.HTTPS == "" && (f.Redirect || f.OwnAuthority || f.ACME != nil):
		return errors.New("--redirect-http, --acme and --own-authority need --https-listen")
	}
	return nil
}

// certificates opens where certificates come from; nil for nowhere.
func (f Front) certificates(data string, front api.Front, log *slog.Logger) (certs.Source, error) {
	switch {
	case f.Chain != "":
		return certs.OpenFiles(f.Chain, f.Key)
	case f.OwnAuthority:
		return certs.OpenOwn(data, time.Now(), func() []string { return ownNames(front) })
	case f.ACME != nil:
		names := slices.Clone(f.Names)
		if o := front.Outside; o != nil && o.Scheme == "https" && !slices.Contains(names, o.Hostname()) {
			names = append(names, o.Hostname())
		}
		return certs.OpenACME(certs.ACMEConfig{
			Folder: filepath.Join(data, certificatesFolder), Names: names, Email: f.ACME.Email, Directory: f.ACME.Directory, Root: f.ACME.Root,
			Log: func(name string, err error) {
				log.Error("the authority gives no certificate", "name", name, "error", err)
			},
		})
	}
	return nil, nil
}

// ownNames is what certificates of the service's own authority are for: all that it may be
// come to by.
func ownNames(front api.Front) []string {
	names := append([]string{"localhost"}, front.Names...)
	if host, err := os.Hostname(); err == nil && host != "" {
		names = append(names, host)
	}
	if front.Outside != nil {
		names = append(names, front.Outside.Hostname())
	}
	names = append(names, "127.0.0.1", "::1")
	for _, ip := range netif.Addresses() {
		names = append(names, ip.String())
	}
	return names
}

// entrance is a port that HTTP comes in by.
type entrance struct {
	listener net.Listener
	handler  http.Handler
	tls      *tls.Config // nil for plain HTTP
}

// open listens where a flag says so.
func openListener(all *netif.Listeners, name, address, flag string) (net.Listener, error) {
	l, err := net.Listen("tcp", address)
	if err != nil {
		return nil, fmt.Errorf("the address %s cannot be used: %w; choose another with %s", address, err, flag)
	}
	return all.Keep(name, l), nil
}

// openMore opens the listeners besides the first; an address that is empty has none.
func (f Front) openMore(all *netif.Listeners) (https, viewers net.Listener, err error) {
	if f.HTTPS != "" {
		if https, err = openListener(all, nameHTTPS, f.HTTPS, "--https-listen"); err != nil {
			return nil, nil, err
		}
	}
	if f.Viewers != "" {
		if viewers, err = openListener(all, nameViewers, f.Viewers, "--viewer-listen"); err != nil && https != nil {
			err = errors.Join(err, https.Close())
		}
	}
	return https, viewers, err
}

// serveAll serves at all entrances until ctx ends, then drains for a while and cuts what is
// left. One that fails ends them all.
func serveAll(ctx context.Context, a *api.API, entrances []entrance, up func()) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	errs := make(chan error, len(entrances))
	var serving sync.WaitGroup
	var once sync.Once
	for _, e := range entrances {
		serving.Go(func() {
			errs <- e.serve(ctx, a, func() { once.Do(a.EndStreams) })
			stop()
		})
	}
	up()
	serving.Wait()
	close(errs)
	var all []error
	for err := range errs {
		all = append(all, err)
	}
	return errors.Join(all...)
}

// handshakes takes what the server writes to its log, where alone it tells of handshakes
// that fail.
type handshakes struct {
	api *api.API
	log *slog.Logger
}

// Write implements io.Writer.
func (h handshakes) Write(line []byte) (int, error) {
	text := strings.TrimSpace(string(line))
	if rest, ok := strings.CutPrefix(text, "http: TLS handshake error from "); ok {
		if from, why, ok := strings.Cut(rest, ": "); ok { // [::1]:80: has none before its end
			h.api.HandshakeFailed(from, why)
		}
	}
	h.log.Debug(text)
	return len(line), nil
}

func (e entrance) serve(ctx context.Context, a *api.API, endStreams func()) error {
	server := &http.Server{
		Handler: e.handler, ReadHeaderTimeout: headerTimeout, IdleTimeout: idleTimeout, MaxHeaderBytes: maxHeader, TLSConfig: e.tls,
		ConnContext: socket.With, ConnState: func(c net.Conn, s http.ConnState) {
			if s == http.StateNew {
				a.Arrived(c.RemoteAddr().String(), e.tls != nil)
			}
		},
		ErrorLog: log.New(handshakes{a, slog.Default()}, "", 0),
	}
	server.RegisterOnShutdown(endStreams)
	ended := make(chan error, 1)
	go func() {
		if e.tls != nil {
			ended <- server.ServeTLS(e.listener, "", "")
			return
		}
		ended <- server.Serve(e.listener)
	}()
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
	}
	drain, cancel := context.WithTimeout(context.WithoutCancel(ctx), drainTimeout)
	defer cancel()
	if err := server.Shutdown(drain); err != nil {
		_ = server.Close()
	}
	if err := <-ended; !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}
