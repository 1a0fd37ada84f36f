package api

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"mime"
	"net/http"
	"strings"
	"sync/atomic"
	"time"

	"webostrum/core/hub"
	"webostrum/deliver/viewers"
	"webostrum/deliver/whep"
	"webostrum/station"
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
func (a *API) serveWHEP(w http.ResponseWriter, r *http.Request, name, id string, f *station.Feed) {
	methods := whepMethods
	if id != "" {
		methods = oneMethods
	}
	w.Header().Set("Access-Control-Expose-Headers", "Location, Link, Etag")
	switch {
	case a.cfg.WebRTC == nil:
		writeProblem(w, newProblem(http.StatusNotFound, "webrtc-off", "WebRTC is switched off here.", "Use hls/index.m3u8 or mjpeg."))
	case r.Method == http.MethodOptions:
		w.Header().Set("Access-Control-Allow-Methods", methods)
		w.Header().Set("Access-Control-Allow-Headers", "Content-Type, If-Match")
		w.Header().Set("Accept-Post", sdpType)
		a.tellICEServers(w.Header())
		w.WriteHeader(http.StatusNoContent)
	case id == "" && r.Method == http.MethodPost:
		a.openWHEP(w, r, name, f)
	case id != "" && r.Method == http.MethodGet:
		a.showWHEP(w, name, id)
	case id != "" && r.Method == http.MethodDelete:
		a.endWHEP(w, name, id)
	case id != "" && r.Method == http.MethodPatch:
		a.patchWHEP(w, r, name, id)
	default:
		w.Header().Set("Allow", methods)
		writeProblem(w, newProblem(http.StatusMethodNotAllowed, "method-not-allowed", "This takes "+methods+".", ""))
	}
}

// openWHEP answers an offer (draft-ietf-wish-whep, 4.2).
func (a *API) openWHEP(w http.ResponseWriter, r *http.Request, name string, f *station.Feed) {
	if wait := a.offers.wait(hostOf(r.RemoteAddr), time.Now()); wait > 0 {
		w.Header().Set("Retry-After", "1")
		writeProblem(w, newProblem(http.StatusTooManyRequests, "offers-too-often", "Too many offers come from this address.", "Wait a second, then try again."))
		return
	}
	if kind, _, _ := mime.ParseMediaType(r.Header.Get("Content-Type")); kind != sdpType {
		writeProblem(w, newProblem(http.StatusUnsupportedMediaType, "offer-type", "An offer is sent as "+sdpType+".", "Set Content-Type."))
		return
	}
	offer, err := io.ReadAll(http.MaxBytesReader(w, r.Body, mostOffer))
	if err != nil {
		writeProblem(w, newProblem(http.StatusRequestEntityTooLarge, "offer-too-large", "The offer is larger than 64 KiB.", ""))
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), openWithin)
	defer cancel()
	rendition := r.URL.Query().Get("rendition")
	video, err := f.Video(ctx, rendition, bytes.Contains(offer, []byte("m=audio")))
	if err != nil {
		writePictureProblem(w, f, err)
		return
	}
	var begun atomic.Pointer[whep.Session] // whoever looks at the viewers may be quicker
	viewer, err := a.viewers.Join(r, name, viewers.WebRTC, rendition,
		func() viewers.Numbers { return numbers(begun.Load()) },
		func() {
			if s := begun.Load(); s != nil {
				s.End()
			}
		})
	if err != nil {
		video.Release()
		writePictureProblem(w, f, full(err))
		return
	}
	source := whep.Source{Name: rendition, Hub: video.Hub, Smaller: func() []whep.Step { return smaller(f, video.Name) }, Release: func() { viewer.Leave(); video.Release() }}
	if video.Audio != nil {
		source.Audio = &whep.Audio{Hub: video.Audio.Hub, Track: video.Audio.Track}
	}
	session, answer, err := a.cfg.WebRTC.Open(ctx, name, string(offer), source)
	if err != nil {
		writeProblem(w, offerProblem(err))
		return
	}
	begun.Store(session)
	h := w.Header()
	h.Set("Content-Type", sdpType)
	h.Set("Location", strings.TrimSuffix(r.URL.Path, "/")+"/"+session.ID)
	h.Set("Etag", `"`+session.Tag()+`"`)
	h.Set("Cache-Control", "no-store")
	a.tellICEServers(h)
	w.WriteHeader(http.StatusCreated)
	_, _ = io.WriteString(w, answer) // a viewer that has gone is no error
}

func (a *API) tellICEServers(h http.Header) {
	for _, server := range a.cfg.ICEServers {
		h.Add("Link", server.Link())
	}
}

// smaller lists what a viewer on a bad line is given instead.
func smaller(f *station.Feed, rendition string) (steps []whep.Step) {
	for _, name := range f.Smaller(rendition) {
		steps = append(steps, whep.Step{Name: name, Open: func() (*hub.Hub, func(), error) {
			ctx, cancel := context.WithTimeout(context.Background(), time.Second) // the camera sends already
			defer cancel()
			v, err := f.Video(ctx, name, false)
			if err != nil {
				return nil, nil, err
			}
			return v.Hub, v.Release, nil
		}})
	}
	return steps
}

func offerProblem(err error) *Problem {
	switch {
	case errors.Is(err, whep.ErrFull):
		return newProblem(http.StatusServiceUnavailable, "viewers-full", "As many viewers watch as the service takes.", "Try again later, or by HLS.")
	case errors.Is(err, whep.ErrNoH264):
		return newProblem(http.StatusNotAcceptable, "offer-without-h264", "The offer asks for no video that can be sent: H.264 with packetization-mode 1, received or in both directions.", "Use hls/index.m3u8 or mjpeg.")
	case errors.Is(err, whep.ErrOffer):
		return newProblem(http.StatusBadRequest, "offer-broken", err.Error(), "Send an SDP offer as a browser makes it.")
	case errors.Is(err, context.DeadlineExceeded), errors.Is(err, context.Canceled):
		return newProblem(http.StatusServiceUnavailable, "offer-not-answered", "The answer was not ready in time.", "Try again.")
	}
	return newProblem(http.StatusInternalServerError, codeInternal, err.Error(), "Look into the service's log.")
}


// showWHEP tells a player when the pictures that it shows were taken.
func (a *API) showWHEP(w http.ResponseWriter, name, id string) {
	session, err := a.cfg.WebRTC.Session(name, id)
	if err != nil {
		writeProblem(w, noSession)
		return
	}
	st := session.Stats()
	state := SessionState{RTPTime: st.Mark.RTPTime, Now: time.Now().UnixMilli(), Way: st.Way, Bytes: st.Bytes, Repeated: st.Repeated, Loss: st.Loss, Rendition: st.Rendition}
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
		writeProblem(w, noSession)
		return
	}
	session.End()
	w.WriteHeader(http.StatusOK)
}

var noSession = newProblem(http.StatusNotFound, "session-unknown", "There is no such session, or no longer.", "Begin one by posting an offer to whep.")

// patchWHEP takes a viewer's change. Candidates are not needed: the service waits for
// the viewer to come (ICE lite, RFC 8445, 2.5). With If-Match: "*" ICE begins anew, as
// for a viewer that has changed its network (draft-ietf-wish-whep, 4.3.3).
func (a *API) patchWHEP(w http.ResponseWriter, r *http.Request, name, id string) {
	session, err := a.cfg.WebRTC.Session(name, id)
	if err != nil {
		writeProblem(w, noSession)
		return
	}
	if kind, _, _ := mime.ParseMediaType(r.Header.Get("Content-Type")); kind != trickleType {
		writeProblem(w, newProblem(http.StatusUnsupportedMediaType, "patch-type", "A change is sent as "+trickleType+".", "Set Content-Type."))
		return
	}
	switch strings.Trim(r.Header.Get("If-Match"), `"`) {
	case "*":
		restartWHEP(w, r, session)
	case session.Tag(), "": // some players leave the tag out, and nothing is done with candidates anyway
		w.WriteHeader(http.StatusNoContent)
	default:
		writeProblem(w, newProblem(http.StatusPreconditionFailed, "patch-outdated", "The change is for ICE credentials that the session no longer has.", `Take the newest Etag, or begin anew with If-Match: "*".`))
	}
}

func restartWHEP(w http.ResponseWriter, r *http.Request, session *whep.Session) {
	fragment, err := io.ReadAll(http.MaxBytesReader(w, r.Body, mostOffer))
	if err != nil {
		writeProblem(w, newProblem(http.StatusRequestEntityTooLarge, "offer-too-large", "The change is larger than 64 KiB.", ""))
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), openWithin)
	defer cancel()
	answer, err := session.Restart(ctx, string(fragment))
	if err != nil {
		writeProblem(w, restartProblem(err))
		return
	}
	w.Header().Set("Content-Type", trickleType)
	w.Header().Set("Etag", `"`+session.Tag()+`"`)
	w.WriteHeader(http.StatusOK)
	_, _ = io.WriteString(w, answer) // a viewer that has gone is no error
}

func restartProblem(err error) *Problem {
	if errors.Is(err, whep.ErrFragment) {
		return newProblem(http.StatusUnprocessableEntity, "restart-refused", err.Error(), "Send ice-ufrag and ice-pwd of a new offer, or end the session and begin another.")
	}
	return newProblem(http.StatusServiceUnavailable, "restart-failed", err.Error(), "End the session and begin another.")
}
