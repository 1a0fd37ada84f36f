package api

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"mime"
	"net/http"
	"strings"
	"sync/atomic"
	"time"

	"webostrum/access"
	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/hub"
	"webostrum/core/plan"
	"webostrum/deliver/problem"
	"webostrum/deliver/viewers"
	"webostrum/deliver/whep"
	"webostrum/station"
	"webostrum/station/pipeline"
)

const (
	mostOffer   = 64 << 10
	sdpType     = "application/sdp"
	trickleType = "application/trickle-ice-sdpfrag"
	whepMethods = "POST, OPTIONS"
	oneMethods  = "GET, DELETE, PATCH, OPTIONS"
	openWithin  = 10 * time.Second
)

// serveWHEP answers /media/{feed}/whep and /media/{feed}/whep/{session}.
func (a *API) serveWHEP(w http.ResponseWriter, r *http.Request, name, id string, m admission) {
	switch {
	case a.cfg.WebRTC == nil:
		problem.Write(w, fault.New(fault.WebRTCOff, nil, ""))
	case id == "" && r.Method == http.MethodPost:
		a.openWHEP(w, r, name, m)
	case id != "" && r.Method == http.MethodGet:
		a.showWHEP(w, name, id)
	case id != "" && r.Method == http.MethodDelete:
		a.endWHEP(w, name, id)
	case id != "" && r.Method == http.MethodPatch:
		a.patchWHEP(w, r, name, id)
	default:
		w.Header().Set("Allow", methodsWHEP(id))
		problem.Write(w, fault.New(fault.MethodNotAllowed, nil, ""))
	}
}

func methodsWHEP(id string) string {
	if id != "" {
		return oneMethods
	}
	return whepMethods
}

// optionsWHEP answers what browsers ask before they post from another origin. It is the
// same whether there is such a feed or not, but for the ICE servers of a public one.
func (a *API) optionsWHEP(w http.ResponseWriter, feed, id string) {
	h := w.Header()
	h.Set("Access-Control-Allow-Methods", methodsWHEP(strings.TrimPrefix(id, "/")))
	h.Set("Access-Control-Allow-Headers", "Authorization, Content-Type, If-Match")
	h.Set("Access-Control-Expose-Headers", "Location, Link, Etag")
	h.Set("Accept-Post", sdpType)
	if f, err := a.station.Get(feed); err == nil && f.Rules().Audience == access.Everyone {
		a.tellICEServers(h)
	}
	w.WriteHeader(http.StatusNoContent)
}

// readSDP reads a body as far as one of its kind may go, within its time.
func readSDP(w http.ResponseWriter, r *http.Request) ([]byte, error) {
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, mostOffer))
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &large):
		return nil, fault.New(fault.OfferTooLarge, err, "")
	case err != nil:
		return nil, fault.New(fault.OfferLate, err, "")
	}
	return body, nil
}

// readOffer reads an offer, or answers why not.
func (a *API) readOffer(w http.ResponseWriter, r *http.Request) (offer string, ok bool) {
	if wait := a.offers.wait(access.ClientOf(r.RemoteAddr), time.Now()); wait > 0 {
		w.Header().Set("Retry-After", "1")
		problem.Write(w, fault.New(fault.OffersTooOften, nil, ""))
		return "", false
	}
	if kind, _, _ := mime.ParseMediaType(r.Header.Get("Content-Type")); kind != sdpType {
		problem.Write(w, fault.New(fault.OfferType, nil, ""))
		return "", false
	}
	body, err := readSDP(w, r)
	if err != nil {
		problem.Write(w, err)
		return "", false
	}
	return string(body), true
}

// answerOffer sends an answer with the address of its session.
func (a *API) answerOffer(w http.ResponseWriter, r *http.Request, id, tag, answer string) {
	h := w.Header()
	h.Set("Content-Type", sdpType)
	h.Set("Location", a.at(strings.TrimSuffix(r.URL.Path, "/")+"/"+id))
	h.Set("Etag", `"`+tag+`"`)
	h.Set("Cache-Control", "no-store")
	a.tellICEServers(h)
	w.WriteHeader(http.StatusCreated)
	_, _ = io.WriteString(w, answer) // who has gone is no error
}

// openWHEP answers an offer (draft-ietf-wish-whep, 4.2).
func (a *API) openWHEP(w http.ResponseWriter, r *http.Request, name string, m admission) {
	offer, ok := a.readOffer(w, r)
	if !ok {
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), openWithin)
	defer cancel()
	session, answer, err := a.beginWHEP(ctx, r, name, m, offer)
	if err != nil {
		problem.Write(w, toldTo(m.caller, err))
		return
	}
	a.answerOffer(w, r, session.ID, session.Tag(), answer)
}

// beginWHEP opens the feed's video and a session that sends it.
func (a *API) beginWHEP(ctx context.Context, r *http.Request, name string, m admission, offer string) (*whep.Session, string, error) {
	rendition := r.URL.Query().Get("rendition")
	video, err := m.feed.Stream(ctx, pipeline.Ask{Delivery: plan.WebRTC, Rendition: rendition, Audio: strings.Contains(offer, "m=audio"), Takes: whep.Takes(offer)})
	if err != nil {
		return nil, "", err
	}
	var begun atomic.Pointer[whep.Session] // whoever looks at the viewers may be quicker
	var ended atomic.Bool                  // perhaps before it has begun
	end := func() {
		ended.Store(true)
		if s := begun.Load(); s != nil {
			s.End()
		}
	}
	viewer, err := a.viewers.Join(visitor(r, name, m), viewers.WebRTC, rendition, func() viewers.Numbers { return numbers(begun.Load()) }, end)
	if err != nil {
		video.Release()
		return nil, "", full(err)
	}
	revoked, err := a.grants.hold(m.until(), func() bool { return a.still(m, r) }, end)
	if err != nil {
		viewer.Leave()
		video.Release()
		return nil, "", err
	}
	source := whep.Source{
		Name: rendition, Hub: video.Hub, Codec: video.Codec, Smaller: func() []whep.Step { return smaller(m.feed, video.Name) },
		Release: func() { revoked(); viewer.Leave(); video.Release() },
	}
	if video.Audio != nil {
		source.Audio = &whep.Audio{Hub: video.Audio.Hub, Track: video.Audio.Track}
	}
	session, answer, err := a.cfg.WebRTC.Open(ctx, name, offer, source)
	if err != nil {
		return nil, "", offerFault(err)
	}
	begun.Store(session)
	if ended.Load() {
		session.End()
		return nil, "", fault.New(fault.AccessTaken, nil, "")
	}
	return session, answer, nil
}

// iceServers are those that viewers are told of, with credentials that end where they
// can.
func (a *API) iceServers(now time.Time) (list []apitypes.ICEServer) {
	for _, server := range a.cfg.ICEServers {
		list = append(list, apitypes.ICEServer(server.At(now)))
	}
	return list
}

func (a *API) tellICEServers(h http.Header) {
	for _, server := range a.cfg.ICEServers {
		h.Add("Link", server.At(time.Now()).Link())
	}
}

// smaller lists what a viewer over a poor connection is given instead.
func smaller(f *station.Feed, rendition string) (steps []whep.Step) {
	for _, name := range f.Smaller(rendition) {
		steps = append(steps, whep.Step{Name: name, Open: func() (*hub.Hub, func(), error) {
			ctx, cancel := context.WithTimeout(context.Background(), time.Second) // the camera sends already
			defer cancel()
			v, err := f.Stream(ctx, pipeline.Ask{Delivery: plan.WebRTC, Rendition: name})
			if err != nil {
				return nil, nil, err
			}
			return v.Hub, v.Release, nil
		}})
	}
	return steps
}

func offerFault(err error) error {
	switch {
	case errors.Is(err, whep.ErrFull):
		return fault.New(fault.ViewersFull, err, "")
	case errors.Is(err, whep.ErrNoH264):
		return fault.New(fault.OfferUnfit, err, "")
	case errors.Is(err, whep.ErrOffer):
		return fault.New(fault.OfferBroken, err, "%v", err)
	case errors.Is(err, context.DeadlineExceeded), errors.Is(err, context.Canceled):
		return fault.New(fault.OfferUnanswered, err, "")
	}
	return err
}

// showWHEP tells a player when the pictures that it shows were taken.
func (a *API) showWHEP(w http.ResponseWriter, name, id string) {
	session, err := a.cfg.WebRTC.Session(name, id)
	if err != nil {
		problem.Write(w, fault.New(fault.SessionUnknown, err, ""))
		return
	}
	st := session.Stats()
	state := apitypes.SessionState{RTPTime: st.Mark.RTPTime, Now: time.Now().UnixMilli(), Way: st.Way, Bytes: st.Bytes, Repeated: st.Repeated, Loss: st.Loss, Rendition: st.Rendition}
	if !st.Mark.Captured.IsZero() {
		state.CapturedAt = st.Mark.Captured.UnixMilli()
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(state) // a viewer that has gone is no error
}

func (a *API) endWHEP(w http.ResponseWriter, name, id string) {
	session, err := a.cfg.WebRTC.Session(name, id)
	if err != nil {
		problem.Write(w, fault.New(fault.SessionUnknown, err, ""))
		return
	}
	session.End()
	w.WriteHeader(http.StatusOK)
}

// patchWHEP takes a viewer's change. Candidates are not needed: the service waits for
// the viewer to come (ICE lite, RFC 8445, 2.5). With If-Match: "*" ICE begins anew, as
// for a viewer that has changed its network (draft-ietf-wish-whep, 4.3.3).
func (a *API) patchWHEP(w http.ResponseWriter, r *http.Request, name, id string) {
	session, err := a.cfg.WebRTC.Session(name, id)
	if err != nil {
		problem.Write(w, fault.New(fault.SessionUnknown, err, ""))
		return
	}
	if kind, _, _ := mime.ParseMediaType(r.Header.Get("Content-Type")); kind != trickleType {
		problem.Write(w, fault.New(fault.PatchType, nil, ""))
		return
	}
	switch strings.Trim(r.Header.Get("If-Match"), `"`) {
	case "*":
		restartWHEP(w, r, session)
	case session.Tag(), "": // some players leave the tag out, and nothing is done with candidates anyway
		w.WriteHeader(http.StatusNoContent)
	default:
		problem.Write(w, fault.New(fault.PatchOutdated, nil, ""))
	}
}

func restartWHEP(w http.ResponseWriter, r *http.Request, session *whep.Session) {
	fragment, err := readSDP(w, r)
	if err != nil {
		problem.Write(w, err)
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), openWithin)
	defer cancel()
	answer, err := session.Restart(ctx, string(fragment))
	if err != nil {
		problem.Write(w, restartFault(err))
		return
	}
	w.Header().Set("Content-Type", trickleType)
	w.Header().Set("Etag", `"`+session.Tag()+`"`)
	w.WriteHeader(http.StatusOK)
	_, _ = io.WriteString(w, answer) // a viewer that has gone is no error
}

func restartFault(err error) error {
	if errors.Is(err, whep.ErrFragment) {
		return fault.New(fault.RestartRefused, err, "%v", err)
	}
	return fault.New(fault.OfferUnanswered, err, "%v", err)
}
