package api

import (
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"

	"webostrum/certs"
	"webostrum/core/fault"
	"webostrum/deliver/problem"
)

type trustPage struct {
	Root        string // address of the root
	Fingerprint string
	Service     string // the same place over HTTPS
}

// own is the service's own authority, or nil.
func (a *API) own() *certs.Own {
	own, _ := a.cfg.Certs.(*certs.Own)
	return own
}

// serveTrust says how devices come to trust the service's own authority.
func (a *API) serveTrust(c *gin.Context) {
	own := a.own()
	if own == nil {
		a.message(c.Writer, fault.New(fault.NoAuthority, nil, ""), "", "")
		return
	}
	p := trustPage{Root: a.at("/trust/root.cer"), Fingerprint: certs.Fingerprint(own.Root())}
	if port := a.cfg.Front.HTTPSPort; port > 0 {
		host := hostOnly(c.Request.Host)
		p.Service = fmt.Sprintf("https://%s:%d%s", host, a.httpsPort(host), a.at("/"))
	}
	a.page(c.Writer, http.StatusOK, "trust.html", ownFrames, p)
}

// serveRoot gives the root as devices take it in.
func (a *API) serveRoot(c *gin.Context) {
	own := a.own()
	if own == nil {
		problem.Write(c.Writer, fault.New(fault.NoAuthority, nil, ""))
		return
	}
	h := c.Writer.Header()
	h.Set("Content-Type", "application/x-x509-ca-cert")
	h.Set("Content-Disposition", `attachment; filename="webostrum-root.cer"`)
	h.Set("Cache-Control", "no-store")
	_, _ = c.Writer.Write(own.Root()) // a device that has gone is no error
}
