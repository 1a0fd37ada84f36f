// Package api is the service's HTTP side: the API with its OpenAPI document,
// sign-in, live state, and the routes of media, pages and console.
package api

import (
	"context"
	"io/fs"
	"net/http"
	"time"

	"html/template"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"webostrum/deliver/viewers"
	"webostrum/deliver/whep"
	"webostrum/station"
	"webostrum/store"
)

// Config says how to serve.
type Config struct {
	Store   *store.Store
	Station *station.Station
	Web     fs.FS  // the built console and player
	Version string // shown in the OpenAPI document
	Secure  bool   // cookies are for HTTPS only

	// PlaylistWait is how long a playlist that does not exist yet is waited for;
	// 0 means 10 s.
	PlaylistWait time.Duration

	WebRTC     *whep.Server     // nil switches WebRTC off
	ICEServers []whep.ICEServer // that viewers are told of

	Viewers viewers.Config

	// EnterKey opens /enter/KEY, which signs in as the first engineer. Empty
	// switches it off; only the demo has one.
	EnterKey string
}

// API serves HTTP. It is an http.Handler.
type API struct {
	cfg         Config
	store       *store.Store
	station     *station.Station
	huma        huma.API
	handler     http.Handler
	viewers     *viewers.Counter
	throttle    throttle
	nonces      nonces
	offers      offers
	watchPage   *template.Template
	inspections chan struct{} // holds a value for each that is going on
	streams     chan struct{} // the same
	checking    chan struct{} // the same, of passwords
	closing     context.Context
	close       context.CancelFunc
}

// New makes the API.
func New(cfg Config) (*API, error) {
	useProblems()
	page, err := parsePages()
	if err != nil {
		return nil, err
	}
	a := &API{
		cfg: cfg, store: cfg.Store, station: cfg.Station, viewers: viewers.New(cfg.Viewers), watchPage: page,
		inspections: make(chan struct{}, mostInspections), streams: make(chan struct{}, mostStreams),
		checking: make(chan struct{}, mostChecks), nonces: newNonces(),
	}
	a.closing, a.close = context.WithCancel(context.Background())
	gin.SetMode(gin.ReleaseMode)
	g := gin.New()
	g.Use(gin.Recovery(), secureHeaders)
	if err := g.SetTrustedProxies(nil); err != nil {
		return nil, err
	}
	a.huma = humagin.New(g, describe(cfg.Version))
	a.huma.UseMiddleware(a.guard)
	a.operations()
	a.routes(g)
	protection := http.NewCrossOriginProtection()
	protection.AddInsecureBypassPattern("/media/") // pages of other sites may show what is public; cookies do not come with them
	a.handler = protection.Handler(a.identify(g))
	return a, nil
}

// ServeHTTP implements http.Handler.
func (a *API) ServeHTTP(w http.ResponseWriter, r *http.Request) { a.handler.ServeHTTP(w, r) }

// EndStreams ends the responses that have no end of their own.
func (a *API) EndStreams() { a.close() }

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
		if p := permitted(account(c.Request.Context()), needsViewer); p != nil {
			writeProblem(c.Writer, p)
			return
		}
		metrics.ServeHTTP(c.Writer, c.Request)
	})
	g.Any("/media/:feed/*rest", a.serveMedia)
	g.GET("/clock", serveClock)
	g.GET("/clock/time", func(c *gin.Context) { serveTime(c.Writer) })
	g.GET("/watch/:feed", a.serveWatch)
	if a.cfg.EnterKey != "" {
		g.GET("/enter/:key", a.enter)
	}
	g.NoRoute(a.assets)
}

// ready says whether the service can do its work: the database answers.
func (a *API) ready(c *gin.Context) {
	if _, err := a.store.Accounts(); err != nil || a.closing.Err() != nil {
		c.String(http.StatusServiceUnavailable, "not ready\n")
		return
	}
	c.String(http.StatusOK, "ready\n")
}

// Document returns the OpenAPI document without a running service.
func Document(version string) ([]byte, error) {
	gin.SetMode(gin.ReleaseMode)
	useProblems()
	a := &API{huma: humagin.New(gin.New(), describe(version))}
	a.operations()
	return a.OpenAPI()
}
