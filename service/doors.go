package service

import (
	"context"
	"crypto/tls"
	"fmt"
	"log/slog"
	"net"
	"sync"
	"time"

	"webostrum/access"
	"webostrum/api"
	"webostrum/certs"
	"webostrum/deliver/rtsp"
	"webostrum/ingest/push"
	"webostrum/ingest/rtmp"
	publisher "webostrum/ingest/rtsp"
	"webostrum/netif"
	"webostrum/station"
)

// door is a port that is open only while something uses it.
type door struct {
	name   string
	listen string
	wanted func() bool
	open   func(net.Listener) (closed func()) // serves until closed is called
	all    *netif.Listeners

	refused time.Time // when opening it failed last; of keepDoors alone

	mu     sync.Mutex
	closed func() // nil when it is not open; guarded by mu
	why    error  // why it could not be opened; guarded by mu
}

// doorRetry is how long after a failure a door is tried again.
const doorRetry = 15 * time.Second

// doorsOf are the doors of a service.
func doorsOf(cfg Config, all *netif.Listeners, feeds *station.Station, source certs.Source, gate rtsp.Gate) []*door {
	listen := cfg.RTMPS
	if source == nil {
		listen = ""
	}
	return []*door{
		{name: nameRTSP, all: all, listen: cfg.RTSP, wanted: func() bool { return feeds.Gives(access.RTSP) || feeds.Pushed() }, open: rtspServer(cfg.Log, gate, feeds)},
		{name: nameRTMP, all: all, listen: cfg.RTMP, wanted: feeds.Pushed, open: publishers(cfg.Log, rtmp.Handle(feeds, false))},
		{name: nameRTMPS, all: all, listen: listen, wanted: feeds.Pushed, open: func(l net.Listener) func() {
			secure := tls.NewListener(l, &tls.Config{GetCertificate: source.Certificate, MinVersion: tls.VersionTLS12})
			return publishers(cfg.Log, rtmp.Handle(feeds, true))(secure)
		}},
	}
}

// The names of listeners.
const (
	nameHTTP    = "HTTP"
	nameHTTPS   = "HTTPS"
	nameViewers = "HTTP for viewers"
	nameWebRTC  = "WebRTC over TCP"

	nameRTSP  = "RTSP"
	nameRTMP  = "RTMP"
	nameRTMPS = "RTMPS"
)

func portsOf(doors []*door) (p api.Ports) {
	for _, d := range doors {
		switch d.name {
		case nameRTSP:
			p.RTSP = d.port()
		case nameRTMP:
			p.RTMP = d.port()
		case nameRTMPS:
			p.RTMPS = d.port()
		}
	}
	return p
}

// mostViewers bounds connections by RTSP; viewers are bounded besides, with all others.
const mostViewers = 2000

// rtspServer serves RTSP on a listener.
func rtspServer(log *slog.Logger, gate rtsp.Gate, desk push.Desk) func(net.Listener) func() {
	return func(l net.Listener) func() {
		s := rtsp.NewServer(rtsp.Config{
			Name: "Webostrum", Most: mostViewers, Gate: gate,
			Announce: func(ctx context.Context, h rtsp.Handover) { publisher.Record(ctx, desk, h.Conn, h.Reader, h.First) },
			Client:   access.ClientOf,
			Panicked: func(err error) { log.Error("a connection by RTSP panicked", "error", err) },
		})
		var serving sync.WaitGroup
		serving.Go(func() { _ = s.Serve(l) })
		return func() {
			s.Close()
			serving.Wait()
		}
	}
}

// publishers serves publishers on a listener.
func publishers(log *slog.Logger, handle func(context.Context, net.Conn, func())) func(net.Listener) func() {
	return func(l net.Listener) func() {
		s := &push.Server{Handle: handle, Client: access.ClientOf, Log: log}
		var serving sync.WaitGroup
		serving.Go(func() { _ = s.Serve(l) })
		return func() {
			s.Close()
			serving.Wait()
		}
	}
}

// port is what a door listens on; 0 when it is switched off.
func (d *door) port() int {
	if d.listen == "" {
		return 0
	}
	a, err := net.ResolveTCPAddr("tcp", d.listen)
	if err != nil {
		return 0
	}
	return a.Port
}

// keepDoors opens and closes doors as they are wanted, until ctx ends.
func keepDoors(ctx context.Context, feeds *station.Station, log *slog.Logger, doors []*door) {
	watcher := feeds.Watch()
	defer watcher.Close()
	defer func() {
		for _, d := range doors {
			d.shut()
		}
	}()
	for {
		for _, d := range doors {
			if err := d.adjust(); err != nil {
				log.Error("a port cannot be opened; it is tried again", "for", d.name, "error", err)
				feeds.By("", "").Note("", station.EventWarning, fmt.Sprintf("the port for %s cannot be opened: %v", d.name, err))
			}
		}
		select {
		case <-ctx.Done():
			return
		case _, ok := <-watcher.Changed:
			if !ok {
				return
			}
		}
	}
}

// adjust opens or closes the door.
func (d *door) adjust() error {
	want := d.listen != "" && d.wanted()
	switch {
	case want == d.isOpen():
		return nil
	case !want:
		d.shut()
		return nil
	case time.Since(d.refused) < doorRetry:
		return nil
	}
	l, err := net.Listen("tcp", d.listen)
	if err != nil {
		d.refused = time.Now()
		d.mu.Lock()
		d.why = err
		d.mu.Unlock()
		return err
	}
	closed := d.open(d.all.Keep(d.name, l))
	d.mu.Lock()
	d.closed, d.why = closed, nil
	d.mu.Unlock()
	return nil
}

func (d *door) shut() {
	d.mu.Lock()
	closed := d.closed
	d.closed, d.why = nil, nil
	d.mu.Unlock()
	if closed != nil {
		closed()
	}
}

func (d *door) isOpen() bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.closed != nil
}

// states are the doors as engineers see them.
func states(doors []*door) (list []api.Door) {
	for _, d := range doors {
		if d.listen == "" {
			continue
		}
		d.mu.Lock()
		s := api.Door{For: d.name, Listen: d.listen, Port: d.port(), Open: d.closed != nil}
		switch {
		case d.why != nil:
			s.Why = d.why.Error()
		case d.closed == nil:
			s.Why = "no feed needs it now"
		}
		d.mu.Unlock()
		list = append(list, s)
	}
	return list
}
