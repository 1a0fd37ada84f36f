package api

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"errors"
	"log/slog"
	"maps"
	"net/http"
	"strings"
	"time"

	"webostrum/access"
	"webostrum/core/fault"
	"webostrum/core/httpauth"
	"webostrum/deliver/problem"
	"webostrum/station"
	"webostrum/store"
)

// Plain sign-in is Basic and Digest: what wall panels, home automation and video
// programs know. It opens media and nothing else, so that no page of another site
// can use it to change anything.

const nonceLasts = 5 * time.Minute

// nonces makes nonces that need not be remembered: each is the time of its making
// and a sum over it.
type nonces struct{ key [32]byte }

func newNonces() (n nonces) {
	_, _ = rand.Read(n.key[:]) // it never fails
	return n
}

func (n *nonces) sum(at []byte) []byte {
	m := hmac.New(sha256.New, n.key[:])
	m.Write(at)
	return m.Sum(nil)
}

func (n *nonces) fresh(now time.Time) string {
	at := binary.BigEndian.AppendUint64(nil, uint64(now.Unix()))
	return base64.RawURLEncoding.EncodeToString(append(at, n.sum(at)...))
}

// check says whether a nonce is ours, and whether it has gone stale.
func (n *nonces) check(text string, now time.Time) (ours, stale bool) {
	raw, err := base64.RawURLEncoding.DecodeString(text)
	const head = 8
	if err != nil || len(raw) != head+sha256.Size || !hmac.Equal(n.sum(raw[:head]), raw[head:]) {
		return false, false
	}
	made := time.Unix(int64(binary.BigEndian.Uint64(raw)), 0)
	return true, now.Sub(made) > nonceLasts
}

// plain is what came of a plain sign-in.
type plain struct {
	who   *store.Account
	tried bool
	stale bool
	wait  time.Duration // before the next try is looked at
}

// plainSignIn looks at a request's Basic or Digest answer.
func (a *API) plainSignIn(r *http.Request) (p plain) {
	answer := httpauth.ParseAnswer(r.Header.Get("Authorization"))
	if answer.Scheme != "basic" && answer.Scheme != "digest" {
		return p
	}
	now, client := time.Now(), access.ClientOf(r.RemoteAddr)
	p.tried = true
	if answer.Scheme == "digest" {
		if ours, stale := a.nonces.check(answer.Nonce, now); !ours || stale {
			p.stale = stale
			return p // made by an earlier run, or old: no sign of a wrong password
		}
	}
	known := a.store.KnowsClient(answer.User, client)
	settle, wait := a.throttle.Reserve(client, answer.User, known, now)
	if p.wait = wait; wait > 0 {
		return p
	}
	var judged bool
	if answer.Scheme == "basic" {
		p.who, judged = a.basic(r, answer)
	} else {
		p.who, judged = a.digest(r, answer)
	}
	settle(p.who != nil || !judged)
	if p.who != nil && len(p.who.SecondSealed) > 0 {
		p.who = nil // a password alone is not enough, and panels have accounts of their own
		return p
	}
	switch {
	case p.who != nil && !known:
		if err := a.store.KnowClient(p.who, client, now); err != nil {
			slog.Warn("a client could not be remembered", "error", err)
		}
	case p.who == nil && judged:
		a.station.By("", access.HostOf(r.RemoteAddr)).Note("", station.EventSignIn, "a sign-in for media from "+access.HostOf(r.RemoteAddr)+" failed")
	}
	return p
}

// basic checks name and password; judged is false when that could not be done.
func (a *API) basic(r *http.Request, answer httpauth.Answer) (who *store.Account, judged bool) {
	acc, d, err := a.store.Digests(answer.User)
	if err == nil && d.SHA256 == "" { // from before there were digests
		return a.slowly(r, answer)
	}
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, false
	}
	c := httpauth.Challenge{Scheme: "basic", Realm: store.Realm, Algorithm: "SHA-256"}
	if c.Answers(answer, r.Method, d.SHA256) && err == nil {
		return acc, true
	}
	return nil, true
}

// slowly checks by the password's hash, as signing in to the console does.
func (a *API) slowly(r *http.Request, answer httpauth.Answer) (*store.Account, bool) {
	end, err := a.checks.begin(r.Context(), false)
	if err != nil {
		return nil, false
	}
	defer end()
	acc, err := a.store.CheckPassword(answer.User, answer.Password)
	if err != nil {
		return nil, errors.Is(err, store.ErrPassword)
	}
	return acc, true
}

func (a *API) digest(r *http.Request, answer httpauth.Answer) (who *store.Account, judged bool) {
	if answer.URI != r.RequestURI {
		return nil, true // an answer to another question
	}
	acc, d, err := a.store.Digests(answer.User)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, false
	}
	secret := map[string]string{"MD5": d.MD5, "SHA-256": d.SHA256}[answer.Algorithm()]
	c := httpauth.Challenge{Scheme: "digest", Realm: store.Realm, Nonce: answer.Nonce, Algorithm: answer.Algorithm(), QOP: "auth"}
	if secret != "" && err == nil && c.Answers(answer, r.Method, secret) {
		return acc, true
	}
	return nil, true
}

// demand asks for a sign-in. Browsers that load something for a page are not asked
// for a password in a box of their own: the page does that.
func (a *API) demand(w http.ResponseWriter, r *http.Request, p plain) {
	if viewersOnly(r) {
		problem.Write(w, fault.New(fault.FeedNotShown, nil, ""))
		return
	}
	if p.wait > 0 {
		header, err := tooOften(p.wait)
		maps.Copy(w.Header(), header)
		problem.Write(w, err)
		return
	}
	if mode := r.Header.Get("Sec-Fetch-Mode"); mode == "" || mode == "navigate" {
		for _, c := range []httpauth.Challenge{
			{Scheme: "digest", Realm: store.Realm, Nonce: a.nonces.fresh(time.Now()), Algorithm: "SHA-256", QOP: "auth", Stale: p.stale},
			{Scheme: "digest", Realm: store.Realm, Nonce: a.nonces.fresh(time.Now()), Algorithm: "MD5", QOP: "auth", Stale: p.stale},
			{Scheme: "basic", Realm: store.Realm},
		} {
			w.Header().Add("WWW-Authenticate", c.Header())
		}
	}
	w.Header().Add("WWW-Authenticate", `Bearer realm="`+store.Realm+`"`)
	code := fault.FeedSignInNeeded
	if p.tried && !p.stale {
		code = fault.SignInWrong
	}
	problem.Write(w, fault.New(code, nil, ""))
}

// viaLink takes a link's text out of a media path, "link/TEXT/rest".
func viaLink(path string) (rest, link string) {
	after, ok := strings.CutPrefix(path, "link/")
	if !ok {
		return path, ""
	}
	link, rest, _ = strings.Cut(after, "/")
	return rest, link
}
