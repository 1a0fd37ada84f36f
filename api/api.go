// Package api is the service's HTTP side: the API with its OpenAPI document,
// sign-in, live state, and the routes of media, pages and console.
package api

import (
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"sync"
	"sync/atomic"
	"time"

	"html/template"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus/promhttp"
	"go.opentelemetry.io/otel/trace"

	"webostrum/access"
	"webostrum/barrier"
	"webostrum/certs"
	"webostrum/core/fault"
	"webostrum/deliver/problem"
	"webostrum/deliver/viewers"
	"webostrum/deliver/whep"
	"webostrum/ingest/whip"
	"webostrum/netif"
	"webostrum/outlet"
	"webostrum/record"
	"webostrum/router"
	"webostrum/station"
	"webostrum/stills"
	"webostrum/store"
)

// Config says how to serve.
type Config struct {
	Store   *store.Store
	Station *station.Station
	Web     fs.FS  // the built console and player
	Version string // shown in the OpenAPI document
	Secure  bool   // browsers come over HTTPS only, through a proxy
	Worker  string // path of the codec worker; empty when there is none
	Log     *slog.Logger

	Listen net.Addr // where HTTP comes in; nil when not known
	Front  Front
	Certs  certs.Source // nil without HTTPS of its own
	Doors  func() []Door

	// Listeners tell how taking connections goes; nil tells nothing.
	Listeners *netif.Listeners
	Router    *router.Keeper // nil asks no router

	// Tracer tells requests as spans; nil tells none.
	Tracer trace.Tracer

	// Restart has the service start anew, as after a restore; nil when it cannot.
	Restart func()

	// TrustedProxies are those whose word is taken for where a request came from.
	TrustedProxies []netip.Prefix

	// PlaylistWait is how long a playlist that does not exist yet is waited for;
	// 0 means 10 s.
	PlaylistWait time.Duration

	WebRTC     *whep.Server     // nil switches WebRTC off
	Publishers *whip.Server     // nil with it
	ICEServers []whep.ICEServer // that viewers are told of

	Viewers viewers.Config

	// Ports are where publishers and viewers come in besides HTTP; empty where they cannot.
	Ports Ports

	// Recordings are what was recorded; nil without.
	Recordings *record.Library

	// Stills are those that are taken by schedules, and films; nil without.
	Stills *stills.Library

	// Outlet puts feeds' files to web servers; nil for none.
	Outlet *outlet.Outlet

	// SearchOn are the interfaces that cameras are searched on; empty for all.
	SearchOn []string

	// EnterKey opens /enter/KEY, which signs in as the first engineer. Empty
	// switches it off; only the demo has one.
	EnterKey string
}

// Ports are listeners' ports beside that of HTTP; 0 where there is none.
type Ports struct{ RTMP, RTMPS, RTSP int }

// API serves HTTP. It is an http.Handler.
type API struct {
	cfg     Config
	store   *store.Store
	station *station.Station
	huma    huma.API
	engine  *gin.Engine
	handler http.Handler
	pages   *template.Template
	panics  atomic.Uint64 // requests that panicked

	limits
	links  access.Links
	grants *grants

	experience *experience
	reach      *reachChecks
	usage      *usage
	alerting   alerting
	counted    counted
	strips     strips
	searches   searches
	uses       uses
	assets     assets
	going      sync.WaitGroup
	people     sync.Mutex // one change of accounts at a time
	linking    sync.Mutex // one change of links at a time
	backups    sync.Mutex // one backup or restore at a time
	closing    context.Context
	close      context.CancelFunc
}

// limits are what keeps some callers from taking the service from others.
type limits struct {
	viewers     *viewers.Counter
	throttle    access.Throttle
	checks      checks
	nonces      nonces
	offers      offers
	streams     streams
	thumbnails  thumbnails
	inspections chan struct{} // holds a value for each that is going on
}

// New makes the API.
func New(cfg Config) (*API, error) {
	useProblems()
	page, err := parsePages(cfg.Front.Base)
	if err != nil {
		return nil, err
	}
	if cfg.Log == nil {
		cfg.Log = slog.New(slog.DiscardHandler)
	}
	a := &API{
		cfg: cfg, store: cfg.Store, station: cfg.Station, pages: page, grants: newGrants(), experience: newExperience(), reach: newReachChecks(), counted: newCounted(),
		limits: limits{viewers: viewers.New(cfg.Viewers), checks: newChecks(), nonces: newNonces(), inspections: make(chan struct{}, mostInspections), thumbnails: thumbnails{turns: make(chan struct{}, thumbnailTurns)}},
	}
	if err := a.loadLinks(); err != nil {
		return nil, err
	}
	if a.usage, err = newUsage(cfg.Store); err != nil {
		return nil, err
	}
	if err := a.openAlerts(); err != nil {
		return nil, err
	}
	a.closing, a.close = context.WithCancel(context.Background()) // until EndStreams
	a.going.Go(func() { a.grants.run(a.closing) })
	a.going.Go(func() { a.writeUses(a.closing) })
	a.going.Go(func() { a.keepUsage(a.closing) })
	a.going.Go(func() { a.alerting.keeper.Run(a.closing) })
	gin.SetMode(gin.ReleaseMode)
	g := gin.New()
	g.Use(a.count, a.trace, a.recoverPanics, secureHeaders)
	if err := g.SetTrustedProxies(nil); err != nil {
		return nil, err
	}
	a.engine = g
	a.huma = humagin.New(g, describe(cfg.Version))
	a.huma.UseMiddleware(a.guard)
	a.operations()
	a.routes(g)
	protection := http.NewCrossOriginProtection()
	protection.AddInsecureBypassPattern("/media/")   // pages of other sites may show what is public; cookies do not come with them
	protection.AddInsecureBypassPattern("/reach/")   // codes let devices report, and no cookies
	protection.AddInsecureBypassPattern("/publish/") // keys let publishers in, and no cookies
	a.handler = a.addressed(a.fronted(protection.Handler(a.identify(g))))
	return a, nil
}

// ServeHTTP implements http.Handler.
func (a *API) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	timeBody(w, r)
	// The router's own redirections, to an address without its last slash, go by this header,
	// which strangers do not choose.
	const prefix = "X-Forwarded-Prefix"
	if r.Header.Del(prefix); a.cfg.Front.Base != "" {
		r.Header.Set(prefix, a.cfg.Front.Base)
	}
	a.handler.ServeHTTP(w, r)
}

// EndStreams ends the responses that have no end of their own, and waits for what runs
// beside requests.
func (a *API) EndStreams() {
	a.close()
	a.going.Wait()
}

// OpenAPI returns the document as JSON.
func (a *API) OpenAPI() ([]byte, error) { return a.huma.OpenAPI().MarshalJSON() }

func describe(version string) huma.Config {
	c := huma.DefaultConfig("Webostrum", version)
	c.OpenAPIPath = "/api/v1/openapi"
	c.DocsPath = ""
	c.SchemasPath = "/api/v1/schemas"
	c.CreateHooks = nil // no $schema member in bodies
	c.Info.Description = "Takes camera feeds in and gives them to browsers. Errors are application/problem+json (RFC 9457)."
	c.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"session": {Type: "apiKey", In: "cookie", Name: sessionCookie},
		"token":   {Type: "http", Scheme: "bearer"},
	}
	return c
}

func (a *API) routes(g *gin.Engine) {
	g.GET("/healthz", func(c *gin.Context) { c.String(http.StatusOK, "ok\n") })
	g.GET("/readyz", a.ready)
	metrics := promhttp.HandlerFor(newRegistry(a), promhttp.HandlerOpts{})
	g.GET("/metrics", func(c *gin.Context) {
		if err := permitted(callerOf(c.Request.Context()), needsMetrics); err != nil {
			problem.Write(c.Writer, err)
			return
		}
		metrics.ServeHTTP(c.Writer, c.Request)
	})
	g.Any("/media/:feed/*rest", a.serveMedia)
	g.GET("/clock", a.serveClock)
	g.GET("/trust", a.serveTrust)
	g.GET("/trust/root.cer", a.serveRoot)
	g.GET("/clock/time", func(c *gin.Context) { serveTime(c.Writer, c.Request) })
	a.pageRoutes(g)
	a.reachRoutes(g)
	a.backupRoutes(g)
	g.GET("/api/v1/feeds/:name/recordings/export", a.serveExport)
	a.publishRoutes(g)
	if a.cfg.EnterKey != "" {
		g.GET("/enter/:key", a.enter)
	}
	g.NoRoute(a.serveAsset)
}

// ready says whether the service can do its work: records can be read and written.
func (a *API) ready(c *gin.Context) {
	c.Header("Cache-Control", "no-store")
	why := "the service is stopping"
	if a.closing.Err() == nil {
		err := a.store.Ready()
		failing, ok := a.cfg.Listeners.Failing()
		switch {
		case err == nil && !ok:
			c.String(http.StatusOK, "ready\n")
			return
		case err == nil:
			c.String(http.StatusServiceUnavailable, "not ready: no connections are accepted for "+failing.Name+"\n")
			return
		}
		a.cfg.Log.Error("the service is not ready", "error", err)
		if why = "the records cannot be used"; errors.Is(err, store.ErrDiskFull) {
			why = "the disk is full"
		}
	}
	c.String(http.StatusServiceUnavailable, "not ready: "+why+"\n")
}

// recoverPanics keeps a mistake in one request from ending anything else.
func (a *API) recoverPanics(c *gin.Context) {
	err := barrier.Do(func() error { c.Next(); return nil })
	var p *barrier.PanicError
	if !errors.As(err, &p) {
		return
	}
	a.panics.Add(1)
	a.cfg.Log.Error("a request panicked", "method", c.Request.Method, "path", c.Request.URL.Path, "error", p, "stack", string(p.Stack))
	if !c.Writer.Written() {
		problem.Write(c.Writer, fault.New(fault.Failed, p, ""))
	}
	c.Abort()
}

// Document returns the OpenAPI document without a running service.
func Document(version string) ([]byte, error) {
	gin.SetMode(gin.ReleaseMode)
	useProblems()
	a := &API{huma: humagin.New(gin.New(), describe(version))}
	a.operations()
	return a.OpenAPI()
}

// Routes returns the method and pattern of each route.
func (a *API) Routes() (list []string) {
	for _, r := range a.engine.Routes() {
		list = append(list, r.Method+" "+r.Path)
	}
	return list
}
