package api

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"io"
	"math/big"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"webostrum/access"
	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/reach"
	"webostrum/deliver/problem"
	"webostrum/station"
	"webostrum/store"
)

const (
	checkLasts     = time.Hour
	mostChecks     = 16
	mostDevices    = 16 // of a check
	mostResults    = 2 * 16
	mostCheckBody  = 16 << 10 // bytes
	longestDetail  = 200
	mostWatchCheck = 8           // viewers at a time by a check's link
	trialSlack     = time.Second // between a trial's end and its report
	longestTrial   = time.Minute
	mostSightings  = 1024

	// checkLinks is where the IDs of checks' links begin: far from those of records, which
	// count from 1. They are drawn from so many that none comes again, after a restart
	// either: an earlier check's text opens nothing.
	checkLinks = 1 << 40
	drawnLinks = 1 << 46
)

// checks of the ways in, and what was seen of those who made them.
type reachChecks struct {
	service string // tells this run from others

	mu   sync.Mutex
	list []*reachCheck                   // the oldest first; guarded by mu
	seen map[netip.Addr]*reach.Sightings // by address; guarded by mu
}

type reachCheck struct {
	code, feed, link, media string
	linkID                  int64
	gives                   []access.Delivery
	ends                    time.Time
	devices                 []*apitypes.ReachDevice // guarded by reachChecks.mu
}

func newReachChecks() *reachChecks {
	return &reachChecks{service: strings.ToLower(rand.Text()[:12]), seen: make(map[netip.Addr]*reach.Sightings)}
}

// addCheck makes a check that whoever has its code can make from elsewhere.
func (a *API) addCheck(ctx context.Context, in *struct {
	ownBase
	Body apitypes.NewReachCheck
}) (*struct{ Body apitypes.ReachCheck }, error) {
	feed, err := a.checkFeed(in.Body.Feed)
	if err != nil {
		return nil, answerFor(err)
	}
	c := &reachCheck{code: strings.ToLower(rand.Text()[:16]), ends: time.Now().Add(checkLasts)}
	if feed != nil {
		if err := a.linkCheck(c, feed); err != nil {
			return nil, answerFor(err)
		}
	}
	a.reach.mu.Lock()
	a.reach.list = append(a.reach.list, c)
	old := a.reach.overLocked(time.Now())
	a.reach.mu.Unlock()
	a.endChecks(old)
	what := "a check of the ways in was made"
	if c.feed != "" {
		what += "; whoever has its code can watch for an hour"
	}
	a.by(ctx).Note(c.feed, station.EventChange, what)
	return &struct{ Body apitypes.ReachCheck }{a.checkView(c, in.request)}, nil
}

// overLocked takes those off the list that have ended, or are too many.
func (r *reachChecks) overLocked(now time.Time) (old []*reachCheck) {
	r.list = slices.DeleteFunc(r.list, func(c *reachCheck) bool {
		over := now.After(c.ends)
		if over {
			old = append(old, c)
		}
		return over
	})
	for len(r.list) > mostChecks {
		old = append(old, r.list[0])
		r.list = r.list[1:]
	}
	return old
}

func (a *API) endChecks(old []*reachCheck) {
	for _, c := range old {
		if c.linkID != 0 {
			a.links.Drop(func(l *access.Link) bool { return l.ID == c.linkID })
		}
	}
	if len(old) > 0 {
		a.grants.changed()
	}
}

// checkFeed is the feed that a check plays: the one that is named, or one that is live, with
// the most deliveries; nil when there is none.
func (a *API) checkFeed(name string) (*station.Feed, error) {
	if name != "" {
		return a.station.Get(name)
	}
	var best *station.Feed
	gives := func(f *station.Feed) (n int) {
		for _, d := range access.Deliveries {
			if f.Rules().Gives(d) {
				n++
			}
		}
		return n
	}
	for _, f := range a.station.List() {
		if f.Condition().State == station.StateLive && (best == nil || gives(f) > gives(best)) {
			best = f
		}
	}
	return best, nil
}

// linkCheck gives a check a link of its own, which is in no list and ends with it.
func (a *API) linkCheck(c *reachCheck, feed *station.Feed) error {
	keys, err := a.store.LinkKeys()
	if err != nil {
		return err
	}
	rules := feed.Rules()
	drawn, err := rand.Int(rand.Reader, big.NewInt(drawnLinks))
	if err != nil {
		return err
	}
	c.linkID = checkLinks + drawn.Int64()
	l := &access.Link{ID: c.linkID, Feed: rules.ID, Name: "check of the ways in", Key: uint16(keys[len(keys)-1].ID), Ends: c.ends, Most: mostWatchCheck}
	a.links.Put(l)
	c.feed, c.link = rules.Name, a.links.Text(l)
	c.media = a.at("/media/" + url.PathEscape(rules.Name) + "/link/" + c.link)
	for _, d := range access.Deliveries {
		if rules.Gives(d) {
			c.gives = append(c.gives, d)
		}
	}
	return nil
}

func (a *API) checkView(c *reachCheck, r *http.Request) apitypes.ReachCheck {
	v := apitypes.ReachCheck{Code: c.code, Feed: c.feed, Ends: c.ends.UTC(), Others: []string{}, Devices: []apitypes.ReachDevice{}}
	page := "/reach/" + c.code
	list := []string{}
	for _, base := range append([]string{a.outside(), a.baseOf(r)}, a.others()...) {
		if base != "" && !slices.Contains(list, base+page) {
			list = append(list, base+page)
		}
	}
	v.URL, v.Others = list[0], list[1:]
	a.reach.mu.Lock()
	defer a.reach.mu.Unlock()
	for _, d := range c.devices {
		device := *d
		device.Findings = slices.Clone(d.Findings)
		v.Devices = append(v.Devices, device)
	}
	slices.SortFunc(v.Devices, func(x, y apitypes.ReachDevice) int { return y.At.Compare(x.At) })
	return v
}

func (a *API) showCheck(_ context.Context, in *struct {
	ownBase
	Code string `path:"code" maxLength:"32" doc:"Of the check"`
}) (*struct{ Body apitypes.ReachCheck }, error) {
	c := a.reach.find(in.Code, time.Now())
	if c == nil {
		return nil, answerFor(fault.New(fault.CheckUnknown, store.ErrNotFound, ""))
	}
	return &struct{ Body apitypes.ReachCheck }{a.checkView(c, in.request)}, nil
}

func (r *reachChecks) find(code string, now time.Time) *reachCheck {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, c := range r.list {
		if c.code == code && now.Before(c.ends) {
			return c
		}
	}
	return nil
}

// reachRoutes are the check's page and what it asks.
func (a *API) reachRoutes(g *gin.Engine) {
	g.GET("/reach", func(c *gin.Context) {
		if callerOf(c.Request.Context()).engineer() {
			c.Redirect(http.StatusSeeOther, a.at("/ways-in"))
			return
		}
		a.message(c.Writer, fault.New(fault.CheckUnknown, nil, ""), "", "")
	})
	g.GET("/reach/:code", func(c *gin.Context) {
		if a.reach.find(c.Param("code"), time.Now()) == nil {
			a.message(c.Writer, fault.New(fault.CheckUnknown, nil, ""), "", "")
			return
		}
		// It asks at the service's other addresses, too, which are of other origins.
		plain, secure := a.waysTo(c.Request)
		connect := "connect-src 'self'"
		for _, way := range []string{plain, secure} {
			if u, err := url.Parse(way); err == nil && u.Host != "" && !strings.ContainsAny(u.Host, `;,'"*`) {
				connect += " " + u.Scheme + "://" + u.Host
			}
		}
		a.pageUnder(c.Writer, http.StatusOK, "reach.html", strings.Replace(policy(ownFrames), "connect-src 'self'", connect, 1), nil)
	})
	g.GET("/reach/:code/plan", func(c *gin.Context) { a.withCheck(c, a.servePlan) })
	g.POST("/reach/:code/report", func(c *gin.Context) { a.withCheck(c, a.takeReachReport) })
}

// withCheck lets those in who have a check's code. Pages by other addresses of the service
// are of another origin.
func (a *API) withCheck(c *gin.Context, serve func(http.ResponseWriter, *http.Request, *reachCheck)) {
	allowOrigins(c.Writer.Header())
	c.Header("Cache-Control", "no-store")
	check := a.reach.find(c.Param("code"), time.Now())
	if check == nil {
		problem.Write(c.Writer, fault.New(fault.CheckUnknown, nil, ""))
		return
	}
	serve(c.Writer, c.Request, check)
}

func (a *API) servePlan(w http.ResponseWriter, r *http.Request, c *reachCheck) {
	p := apitypes.ReachPlan{Service: a.reach.service, Address: access.HostOf(r.RemoteAddr), Feed: c.feed, Media: c.media, Gives: []string{}}
	p.HTTP, p.HTTPS = a.waysTo(r)
	for _, d := range c.gives {
		if d != access.WebRTC || a.cfg.WebRTC != nil {
			p.Gives = append(p.Gives, string(d))
		}
	}
	for _, t := range reach.Trials {
		p.Trials = append(p.Trials, string(t))
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(p) // a device that has gone is no error
}

func (a *API) takeReachReport(w http.ResponseWriter, r *http.Request, c *reachCheck) {
	var in apitypes.ReachReport
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, mostCheckBody))
	if err == nil {
		err = json.Unmarshal(body, &in)
	}
	if err != nil || in.Device == "" || len(in.Device) > 40 || len(in.Results) > mostResults {
		problem.Write(w, fault.New(fault.ReachReportBroken, err, ""))
		return
	}
	findings := []apitypes.ReachFinding{}
	for _, result := range in.Results {
		if f, ok := a.finding(r, result); ok {
			findings = append(findings, f)
		}
	}
	if !a.reach.note(c, in.Device, r, findings) {
		problem.Write(w, fault.New(fault.ChecksFull, errors.New("too many devices"), ""))
		return
	}
	a.station.Changed()
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(findings) // a device that has gone is no error
}

// note keeps what a device found; false means that there are too many.
func (c *reachChecks) note(check *reachCheck, id string, r *http.Request, findings []apitypes.ReachFinding) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	i := slices.IndexFunc(check.devices, func(d *apitypes.ReachDevice) bool { return d.ID == id })
	if i < 0 {
		if len(check.devices) >= mostDevices {
			return false
		}
		check.devices = append(check.devices, &apitypes.ReachDevice{ID: id})
		i = len(check.devices) - 1
	}
	d := check.devices[i]
	d.Address, d.Browser, d.At = access.HostOf(r.RemoteAddr), agentOf(r), time.Now().UTC()
	for _, f := range findings {
		if at := slices.IndexFunc(d.Findings, func(x apitypes.ReachFinding) bool { return x.Trial == f.Trial }); at >= 0 {
			d.Findings[at] = f
		} else {
			d.Findings = append(d.Findings, f)
		}
	}
	return true
}
