// Package service puts the parts together and runs them: records, station and
// HTTP, from the first start to the orderly end.
package service

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"go.opentelemetry.io/otel/trace"

	"webostrum/api"
	"webostrum/certs"
	"webostrum/deliver/rtsp"
	"webostrum/deliver/viewers"
	"webostrum/deliver/whep"
	"webostrum/discover"
	"webostrum/ingest/command"
	"webostrum/ingest/whip"
	"webostrum/netif"
	"webostrum/outlet"
	"webostrum/router"
	"webostrum/station"
	"webostrum/stills"
	"webostrum/store"
	"webostrum/traces"
	"webostrum/transcode"
	"webostrum/web"
)

// Version is shown to users; packages for tests are built with others.
var Version = "0.2.0"

const (
	headerTimeout = 10 * time.Second
	idleTimeout   = 2 * time.Minute
	drainTimeout  = 3 * time.Second
	maxHeader     = 32 << 10
	tracesWithin  = time.Second
	programLasts  = 10 * 365 * 24 * time.Hour
	ownerOnly     = 0o600
)

// Config says how to run.
type Config struct {
	Data     string // folder for records and keys
	Listen   string // address for HTTP
	Secure   bool   // browsers reach the service over HTTPS only
	Codecs   string // path of the codec worker; empty means to look for it
	EnterKey string // of the demo's link; empty for none

	WebRTC      string   // address for WebRTC, UDP and TCP; empty switches it off
	WebRTCHosts []string // IP addresses to offer viewers; empty means all of this machine
	Viewers     viewers.Config
	ICEServers  []whep.ICEServer // that viewers are told of
	Log         *slog.Logger

	RTSP  string // address for viewers and publishers by RTSP; empty switches it off
	RTMP  string // address for publishers by RTMP; empty takes none
	RTMPS string // the same with TLS; needs a certificate

	Front   Front
	Backups Backups
	Traces  string // URL of a collector for OTLP over HTTP; empty sends no spans

	Recordings Recordings

	OutletFolder string // that folders for web servers are made in; empty for none

	Commands map[string][]string // programs that send to feeds, with their arguments, by feed

	SearchOn []string // interfaces that cameras are searched on; empty for all

	TrustedProxies []netip.Prefix // whose word is taken for where a request came from
}

// Started is what is known once the service is up.
type Started struct {
	Address   string   // http://host:port, for this machine
	Secure    string   // the same over HTTPS; empty without
	Elsewhere []string // the same for other machines, where it listens to them
	Password  string   // of the first account, at the first start only
}

// errRestart ends a run that another one follows.
var errRestart = errors.New("the service starts anew")

// Run runs the service until ctx ends. started is called whenever it is up: after a restore
// the service starts anew.
func Run(ctx context.Context, cfg Config, started func(Started)) error {
	for {
		run, restart := context.WithCancelCause(ctx)
		err := ended(run, cfg.Data, endWithin, func() error {
			return runOnce(run, cfg, func() { restart(errRestart) }, started)
		})
		again := errors.Is(context.Cause(run), errRestart)
		restart(nil)
		if err != nil || !again {
			return err
		}
		cfg.Log.Info("the service starts anew")
	}
}

// runOnce runs the service until ctx ends; restart ends it, to be started anew.
func runOnce(ctx context.Context, cfg Config, restart func(), started func(Started)) error {
	front, err := cfg.Front.check()
	if err != nil {
		return err
	}
	records, err := store.Open(cfg.Data)
	if err != nil {
		return err
	}
	defer func() { _ = records.Close() }()
	password, err := firstAccount(records)
	if err != nil {
		return err
	}
	source, err := cfg.Front.certificates(cfg.Data, front, cfg.Log)
	if err != nil {
		return err
	}
	listeners := &netif.Listeners{}
	listener, err := openListener(listeners, nameHTTP, cfg.Listen, "--listen")
	if err != nil {
		return err
	}
	defer func() { _ = listener.Close() }() // where nothing comes of it
	https, forViewers, err := cfg.Front.openMore(listeners)
	if err != nil {
		return err
	}
	up := Started{Address: "http://" + shownAddress(listener.Addr()) + front.Base, Elsewhere: elsewhere(listener.Addr()), Password: password}
	if err := leaveToken(records, cfg.Data, up.Address); err != nil {
		return err
	}
	codecs, err := worker(cfg)
	if err != nil {
		return err
	}
	tracer, endTraces, err := openTraces(ctx, cfg.Traces)
	if err != nil {
		return err
	}
	defer endTraces()
	feeds, err := station.Open(station.Config{Tracer: tracer, Store: records, Log: cfg.Log, Codecs: codecs, AAC: transcode.DecodesAAC(codecs), Find: finder(cfg.SearchOn)})
	if err != nil {
		return err
	}
	defer feeds.Close()
	library, err := cfg.Recordings.open(cfg, codecs, records, feeds)
	if err != nil {
		return err
	}
	pictures := stills.New(stills.Config{Folder: cfg.Data, Worker: codecs, Station: feeds, Recordings: library, Log: cfg.Log})
	out := outlet.New(outlet.Config{Folder: cfg.OutletFolder, Station: feeds, Page: outletPage(), Log: cfg.Log})
	webRTC, err := openWebRTC(cfg, listeners)
	if err != nil {
		return err
	}
	if webRTC != nil {
		defer func() { _ = webRTC.Close() }() // before the feeds
	}
	publishers, err := openPublishers(webRTC, cfg.Log)
	if err != nil {
		return err
	}
	if publishers != nil {
		defer publishers.Close() // before the port
	}
	var handler *api.API // before any door opens
	doors := doorsOf(cfg, listeners, feeds, source, func(ctx context.Context, q rtsp.Request) (*rtsp.Opened, *rtsp.Refusal) {
		return handler.RTSPGate(ctx, q)
	})
	if https != nil {
		front.HTTPSPort = portOf(https)
		front.HTTPSListen, up.Secure = https.Addr().String(), "https://"+shownAddress(https.Addr())+front.Base
	}
	if forViewers != nil {
		front.ViewersListen = forViewers.Addr().String()
	}
	rules := router.New(router.Config{Gateway: netif.Gateway, Log: cfg.Log})
	handler, err = api.New(api.Config{
		Ports: portsOf(doors), Front: front, Certs: source, Doors: func() []api.Door { return states(doors) }, Listeners: listeners, Router: rules, Restart: restart, Tracer: tracer, Recordings: library, Stills: pictures, Outlet: out,
		Store: records, Station: feeds, Web: web.Files(), Version: Version, Secure: cfg.Secure, EnterKey: cfg.EnterKey,
		WebRTC: webRTC, Publishers: publishers, ICEServers: cfg.ICEServers, Viewers: cfg.Viewers, Worker: codecs, Log: cfg.Log, Listen: listener.Addr(), TrustedProxies: cfg.TrustedProxies, SearchOn: cfg.SearchOn,
	})
	if err != nil {
		return err
	}
	beside, done := context.WithCancel(ctx)
	var keeping sync.WaitGroup
	defer keeping.Wait()
	defer done()
	keeping.Go(func() { keepDoors(beside, feeds, cfg.Log, doors) })
	keeping.Go(func() {
		command.Keep(beside, command.Config{Desk: feeds, Awaits: feeds.Awaits, Log: cfg.Log}, cfg.Commands)
	})
	keeping.Go(func() {
		if cfg.Front.RouterRules {
			rules.Ask(beside, handler.WantedRules())
		}
		rules.Run(beside)
	})
	keeping.Go(func() { keepWatchdog(beside, feeds) })
	keeping.Go(func() { library.Run(beside) })
	keeping.Go(func() { pictures.Run(beside) })
	keeping.Go(func() { out.Run(beside) })
	keeping.Go(func() { keepBackups(beside, cfg.Backups, records, feeds) })
	if asked, ok := source.(*certs.ACME); ok {
		keeping.Go(func() { asked.Run(beside) })
	}
	defer notify(notifyStopping)
	return serveAll(ctx, handler, entrancesOf(handler, listener, https, forViewers, source), func() {
		notify(notifyReady)
		started(up)
	})
}

// entrancesOf are the ports of HTTP; https and viewers may be nil.
func entrancesOf(handler *api.API, plain, https, forViewers net.Listener, source certs.Source) []entrance {
	first := entrance{listener: plain, handler: handler}
	if source != nil {
		first.handler = source.Challenges(handler)
	}
	list := []entrance{first}
	if https != nil {
		list = append(list, entrance{listener: https, handler: handler, tls: certs.Config(source)})
	}
	if forViewers != nil {
		list = append(list, entrance{listener: forViewers, handler: handler.Viewers()})
	}
	return list
}

func portOf(l net.Listener) int {
	if tcp, ok := l.Addr().(*net.TCPAddr); ok {
		return tcp.Port
	}
	return 0
}

// openTraces opens where spans go; a tracer of nil tells none.
func openTraces(ctx context.Context, endpoint string) (trace.Tracer, func(), error) {
	if endpoint == "" {
		return nil, func() {}, nil
	}
	tracer, end, err := traces.Open(ctx, endpoint, Version)
	if err != nil {
		return nil, nil, err
	}
	return tracer, func() {
		left, cancel := context.WithTimeout(context.WithoutCancel(ctx), tracesWithin)
		defer cancel()
		_ = end(left) // the collector may be away
	}, nil
}

func openWebRTC(cfg Config, all *netif.Listeners) (*whep.Server, error) {
	if cfg.WebRTC == "" {
		return nil, nil
	}
	return whep.New(whep.Config{Listen: cfg.WebRTC, Addresses: cfg.WebRTCHosts, Keep: func(l net.Listener) net.Listener { return all.Keep(nameWebRTC, l) }})
}

// openPublishers takes publishers on the port of WebRTC; nil without one.
func openPublishers(webRTC *whep.Server, log *slog.Logger) (*whip.Server, error) {
	if webRTC == nil {
		return nil, nil
	}
	return whip.New(webRTC.Settings(), log)
}

// worker finds the codec worker. A service without one passes everything through;
// one that was told where it is, and does not find it there, does not start.
func worker(cfg Config) (string, error) {
	path, err := transcode.Find(cfg.Codecs)
	if err != nil && cfg.Codecs == "" {
		cfg.Log.Warn("nothing can be transcoded", "error", err)
		return "", nil
	}
	return path, err
}

// shownAddress is an address that a browser on this machine can open.
func shownAddress(a net.Addr) string {
	tcp, ok := a.(*net.TCPAddr)
	if !ok {
		return a.String()
	}
	host := tcp.IP.String()
	if tcp.IP.IsUnspecified() {
		host = "127.0.0.1"
	}
	return net.JoinHostPort(host, fmt.Sprint(tcp.Port))
}

// elsewhere returns the addresses that other machines come to; none when it
// listens to this machine only. Addresses that hold within one link, or come from
// containers' bridges and the like, cannot be told from the rest: the first few do.
func elsewhere(a net.Addr) []string {
	const most = 3
	tcp, ok := a.(*net.TCPAddr)
	if !ok || !tcp.IP.IsUnspecified() {
		return nil
	}
	var list []string
	for _, ip := range netif.Addresses() {
		if len(list) < most {
			list = append(list, "http://"+net.JoinHostPort(ip.String(), fmt.Sprint(tcp.Port)))
		}
	}
	return list
}

// firstAccount makes the first account when there is none, and returns its
// password, which is shown this once.
func firstAccount(records *store.Store) (string, error) {
	n, err := records.Accounts()
	if err != nil || n > 0 {
		return "", err
	}
	password := readable(rand.Text())
	_, err = records.AddAccount(store.FirstAccount, store.RoleEngineer, password)
	return password, err
}

// Prepare makes a data folder with its first account, and returns that one's password;
// empty when there is one already.
func Prepare(folder string) (password string, err error) {
	records, err := store.Open(folder)
	if err != nil {
		return "", err
	}
	password, err = firstAccount(records)
	return password, errors.Join(err, records.Close())
}

// readable cuts a random text into groups that can be copied by hand. Sixteen
// letters of base 32 are 80 bits.
func readable(text string) string {
	t := strings.ToLower(text[:16])
	return t[:4] + "-" + t[4:8] + "-" + t[8:12] + "-" + t[12:]
}

// tokenFile lets the command line of the same user on the same machine in.
const tokenFile = "cli.json"

// Local is what the token file holds.
type Local struct {
	Address string `json:"address"`
	Token   string `json:"token"`
}

func leaveToken(records *store.Store, folder, address string) error {
	now := time.Now()
	if err := records.DropTokens(store.TokenProgram, now); err != nil {
		return err
	}
	who, err := records.AccountByName(store.FirstAccount)
	if err != nil {
		return fmt.Errorf("the account %q is missing: %w", store.FirstAccount, err)
	}
	token, err := records.NewToken(who, &store.Token{Kind: store.TokenProgram, ExpiresAt: now.Add(programLasts)})
	if err != nil {
		return err
	}
	body, err := json.Marshal(Local{address, token})
	if err != nil {
		return err
	}
	path := filepath.Join(folder, tokenFile)
	_ = os.Remove(path) // so that the new file's rights are ours, whatever the old one's were
	return os.WriteFile(path, body, ownerOnly)
}

// ReadLocal reads the token file of a data folder.
func ReadLocal(folder string) (Local, error) {
	var l Local
	body, err := os.ReadFile(filepath.Join(folder, tokenFile))
	if err == nil {
		err = json.Unmarshal(body, &l)
	}
	return l, err
}

const findWithin = 5 * time.Second

// finder searches for devices on some interfaces, or on all.
func finder(on []string) func(context.Context, string) (host, device string) {
	return func(ctx context.Context, id string) (host, device string) {
		ctx, cancel := context.WithCancel(ctx)
		defer cancel()
		var mu sync.Mutex
		_, _ = discover.Search(ctx, discover.Config{Interfaces: on, Length: findWithin}, func(f discover.Found) {
			mu.Lock()
			defer mu.Unlock()
			if f.ID == id && f.Device != "" && host == "" {
				host, device = f.Host, f.Device
				cancel()
			}
		})
		return host, device
	}
}
