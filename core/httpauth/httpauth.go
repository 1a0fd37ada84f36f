// Package httpauth answers and checks the sign-in challenges that HTTP and
// RTSP share: Basic (RFC 7617) and Digest (RFC 7616, and RFC 2069 without qop,
// which old cameras still speak) with MD5 and SHA-256.
package httpauth

import (
	"crypto/md5" //nolint:gosec // the scheme's own algorithm
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"strings"
)

// ErrNoScheme is returned when none of the challenges can be answered.
var ErrNoScheme = errors.New("httpauth: neither Basic nor a known kind of Digest was offered")

// ErrBasicOnly is returned by a client that answers Digest alone, when only Basic was offered.
var ErrBasicOnly = errors.New("httpauth: only Basic was offered")

// Challenge is one offer of a WWW-Authenticate header.
type Challenge struct {
	Scheme    string // "basic" or "digest"
	Realm     string
	Nonce     string
	Opaque    string
	Algorithm string // as written; empty means MD5
	QOP       string // "auth" when offered, else empty
	Stale     bool
}

// ParseChallenges reads all values of WWW-Authenticate, each of which may hold
// several challenges.
func ParseChallenges(values []string) []Challenge {
	var all []Challenge
	for _, v := range values {
		for _, item := range splitList(v) {
			name, value, isParam := cutParam(item)
			if scheme, rest, ok := strings.Cut(item, " "); !isParam || (ok && !strings.Contains(scheme, "=")) {
				if !ok {
					scheme, rest = item, ""
				}
				all = append(all, Challenge{Scheme: strings.ToLower(scheme)})
				name, value, isParam = cutParam(rest)
			}
			if isParam && len(all) > 0 {
				all[len(all)-1].set(name, value)
			}
		}
	}
	return all
}

func (c *Challenge) set(name, value string) {
	switch strings.ToLower(name) {
	case "realm":
		c.Realm = value
	case "nonce":
		c.Nonce = value
	case "opaque":
		c.Opaque = value
	case "algorithm":
		c.Algorithm = value
	case "stale":
		c.Stale = strings.EqualFold(value, "true")
	case "qop":
		for q := range strings.SplitSeq(value, ",") {
			if strings.EqualFold(strings.TrimSpace(q), "auth") {
				c.QOP = "auth"
			}
		}
	}
}

// splitList splits at commas that are not within quotes.
func splitList(s string) []string {
	var items []string
	quoted, begin := false, 0
	for i := 0; i < len(s); i++ {
		switch {
		case s[i] == '\\' && quoted:
			i++
		case s[i] == '"':
			quoted = !quoted
		case s[i] == ',' && !quoted:
			items = append(items, strings.TrimSpace(s[begin:i]))
			begin = i + 1
		}
	}
	return append(items, strings.TrimSpace(s[begin:]))
}

func cutParam(item string) (name, value string, ok bool) {
	name, value, ok = strings.Cut(strings.TrimSpace(item), "=")
	value = strings.TrimSpace(value)
	if len(value) > 1 && value[0] == '"' && value[len(value)-1] == '"' {
		value = strings.NewReplacer(`\"`, `"`, `\\`, `\`).Replace(value[1 : len(value)-1])
	}
	return strings.TrimSpace(name), value, ok
}

// newHash returns the hash of an algorithm and whether it is a session
// variant; nil when it is not known.
func newHash(algorithm string) (h func() hash.Hash, session bool) {
	name := strings.ToUpper(algorithm)
	name, session = strings.CutSuffix(name, "-SESS")
	switch name {
	case "", "MD5":
		return md5.New, session
	case "SHA-256":
		return sha256.New, session
	}
	return nil, false
}

// strength orders the challenges: the strongest that can be answered is taken.
func (c *Challenge) strength() int {
	switch c.Scheme {
	case "basic":
		return 1
	case "digest":
		if strings.HasPrefix(strings.ToUpper(c.Algorithm), "SHA-256") {
			return 3
		}
		if h, _ := newHash(c.Algorithm); h != nil {
			return 2
		}
	}
	return 0
}

// Client answers challenges for one user. It is not safe for concurrent use.
type Client struct {
	User, Password string

	// DigestOnly answers no Basic challenge, which would send the password to whoever asks.
	DigestOnly bool

	challenge *Challenge
	count     uint32
}

// Challenged takes the challenges of a 401 answer and picks the strongest.
// again is true when answering makes sense: nothing was answered yet, or the
// nonce has only gone stale.
func (c *Client) Challenged(values []string) (again bool, err error) {
	var best *Challenge
	basic := false
	for _, ch := range ParseChallenges(values) {
		if c.DigestOnly && ch.Scheme == "basic" {
			basic = true
			continue
		}
		if ch.strength() > 0 && (best == nil || ch.strength() > best.strength()) {
			best = &ch
		}
	}
	if best == nil && basic {
		return false, ErrBasicOnly
	}
	if best == nil {
		return false, ErrNoScheme
	}
	// Many cameras change the nonce without saying that the old one is stale.
	again = c.challenge == nil || best.Stale || (best.Nonce != c.challenge.Nonce && c.count > 1)
	c.challenge, c.count = best, 0
	return again, nil
}

// Authorization returns the header value for a request, or "" before the
// first challenge. cnonce must be fresh and random.
func (c *Client) Authorization(method, uri, cnonce string) string {
	ch := c.challenge
	if ch == nil {
		return ""
	}
	c.count++
	if ch.Scheme == "basic" {
		return "Basic " + base64.StdEncoding.EncodeToString([]byte(c.User+":"+c.Password))
	}
	nc := fmt.Sprintf("%08x", c.count)
	response := ch.response(Secret(ch.Algorithm, c.User, ch.Realm, c.Password), method, uri, nc, cnonce)
	var b strings.Builder
	fmt.Fprintf(&b, `Digest username=%s, realm=%s, nonce=%s, uri=%s, response="%s"`,
		quote(c.User), quote(ch.Realm), quote(ch.Nonce), quote(uri), response)
	if ch.Algorithm != "" {
		fmt.Fprintf(&b, ", algorithm=%s", ch.Algorithm)
	}
	if ch.Opaque != "" {
		fmt.Fprintf(&b, ", opaque=%s", quote(ch.Opaque))
	}
	if ch.QOP != "" || ch.session() {
		fmt.Fprintf(&b, `, cnonce=%s`, quote(cnonce))
	}
	if ch.QOP != "" {
		fmt.Fprintf(&b, `, qop=%s, nc=%s`, ch.QOP, nc)
	}
	return b.String()
}

func quote(s string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`, "\r", "", "\n", "").Replace(s) + `"`
}

func (c *Challenge) session() bool {
	_, s := newHash(c.Algorithm)
	return s
}

// response computes the request digest (RFC 7616, 3.4.1; without qop RFC 2069)
// from the hash of user, realm and password.
func (c *Challenge) response(secret, method, uri, nc, cnonce string) string {
	newH, session := newHash(c.Algorithm)
	a1 := secret
	if session {
		a1 = sum(newH, a1, c.Nonce, cnonce)
	}
	a2 := sum(newH, method, uri)
	if c.QOP == "" {
		return sum(newH, a1, c.Nonce, a2)
	}
	return sum(newH, a1, c.Nonce, nc, cnonce, c.QOP, a2)
}

func sum(newH func() hash.Hash, parts ...string) string {
	h := newH()
	h.Write([]byte(strings.Join(parts, ":")))
	return hex.EncodeToString(h.Sum(nil))
}

// Secret is the hash of user, realm and password (RFC 7616, 3.4.2), by which a
// server can check answers without keeping the password. The algorithm must be
// MD5 or SHA-256, or empty for MD5.
func Secret(algorithm, user, realm, password string) string {
	newH, _ := newHash(algorithm)
	return sum(newH, user, realm, password)
}

// Header writes the challenge as a value of WWW-Authenticate.
func (c *Challenge) Header() string {
	if c.Scheme == "basic" {
		return "Basic realm=" + quote(c.Realm)
	}
	v := fmt.Sprintf("Digest realm=%s, nonce=%s", quote(c.Realm), quote(c.Nonce))
	if c.Algorithm != "" {
		v += ", algorithm=" + c.Algorithm
	}
	if c.QOP != "" {
		v += `, qop="` + c.QOP + `"`
	}
	if c.Stale {
		v += ", stale=true"
	}
	return v
}

// Answer is what an Authorization value holds.
type Answer struct {
	Scheme   string // "basic" or "digest", or another in lower case
	User     string
	Password string // basic
	Nonce    string // digest, like the rest
	URI      string

	algorithm, qop, nc, cnonce, response string
}

// ParseAnswer reads an Authorization value; what does not fit stays empty.
func ParseAnswer(authorization string) (a Answer) {
	scheme, rest, _ := strings.Cut(authorization, " ")
	a.Scheme = strings.ToLower(scheme)
	if a.Scheme == "basic" {
		if given, err := base64.StdEncoding.DecodeString(strings.TrimSpace(rest)); err == nil {
			a.User, a.Password, _ = strings.Cut(string(given), ":")
		}
		return a
	}
	p := make(map[string]string)
	for _, item := range splitList(rest) {
		if name, value, ok := cutParam(item); ok {
			p[strings.ToLower(name)] = value
		}
	}
	a.User, a.Nonce, a.URI = p["username"], p["nonce"], p["uri"]
	a.algorithm, a.qop, a.nc, a.cnonce, a.response = p["algorithm"], p["qop"], p["nc"], p["cnonce"], p["response"]
	return a
}

// Algorithm is the algorithm of a Digest answer as challenges write it; MD5 when
// it names none.
func (a Answer) Algorithm() string {
	if a.algorithm == "" {
		return "MD5"
	}
	return strings.ToUpper(a.algorithm)
}

// Answers says whether an answer fits the challenge, for the hash of user, realm
// and password (see Secret). Its URI is taken as it stands.
func (c *Challenge) Answers(a Answer, method, secret string) bool {
	if a.Scheme != c.Scheme {
		return false
	}
	if c.Scheme == "basic" {
		return same(Secret(c.Algorithm, a.User, c.Realm, a.Password), secret)
	}
	if a.Nonce != c.Nonce || a.qop != c.QOP {
		return false
	}
	return same(c.response(secret, method, a.URI, a.nc, a.cnonce), strings.ToLower(a.response))
}

func same(a, b string) bool { return subtle.ConstantTimeCompare([]byte(a), []byte(b)) == 1 }

// Check is Answers for one user whose password is known.
func (c *Challenge) Check(authorization, method, user, password string) bool {
	a := ParseAnswer(authorization)
	return a.User == user && c.Answers(a, method, Secret(c.Algorithm, user, c.Realm, password))
}
