package whep

import (
	"crypto/hmac"
	"crypto/sha1"
	"encoding/base64"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
)

// ICEServer is a STUN or TURN server that viewers are told of (RFC 7064, RFC 7065).
type ICEServer struct {
	URL        string
	Username   string
	Credential string

	secret string // that credentials which end are made of; empty for none
}

// credentialLasts is how long made credentials are good: a viewer may begin anew for so
// long.
const credentialLasts = 12 * time.Hour

// Told is a server as a viewer is told of it.
type Told struct{ URL, Username, Credential string }

// At returns what a viewer is told now. With a shared secret the user is the time at
// which the password ends, and the password a sum over it, as TURN servers check them
// (draft-uberti-behave-turn-rest, 2.2).
func (s ICEServer) At(now time.Time) Told {
	if s.secret == "" {
		return Told{s.URL, s.Username, s.Credential}
	}
	user := strconv.FormatInt(now.Add(credentialLasts).Unix(), 10)
	m := hmac.New(sha1.New, []byte(s.secret))
	m.Write([]byte(user))
	return Told{s.URL, user, base64.StdEncoding.EncodeToString(m.Sum(nil))}
}

// iceSchemes are those of URLs of such servers; the last two need a user.
var iceSchemes = []string{"stun", "stuns", "turn", "turns"}

// ParseICEServer reads stun:HOST:PORT, turn:USER:PASSWORD@HOST:PORT?transport=tcp, or, for
// passwords that end, turn:SECRET@HOST:PORT.
func ParseICEServer(text string) (ICEServer, error) {
	scheme, rest, ok := strings.Cut(text, ":")
	who, host, hasUser := cutLast(rest, "@")
	if !hasUser {
		host = rest
	}
	relay := strings.HasPrefix(scheme, "turn")
	user, password, whole := strings.Cut(who, ":")
	switch {
	case !ok || host == "" || !slices.Contains(iceSchemes, scheme) || strings.ContainsAny(host, " /<>\""):
		return ICEServer{}, fmt.Errorf("%q is no STUN or TURN server; write it like stun:stun.example:3478 or turn:USER:PASSWORD@turn.example:3478", text)
	case relay && (user == "" || whole && password == ""):
		return ICEServer{}, fmt.Errorf("the TURN server %s needs a shared secret, or a user and a password; write it like turn:SECRET@turn.example:3478 or turn:USER:PASSWORD@turn.example:3478", host)
	case !relay && hasUser:
		return ICEServer{}, fmt.Errorf("the STUN server %s takes no user", host)
	}
	if relay && !whole {
		return ICEServer{URL: scheme + ":" + host, secret: user}, nil
	}
	return ICEServer{URL: scheme + ":" + host, Username: user, Credential: password}, nil
}

func cutLast(s, sep string) (before, after string, ok bool) {
	if i := strings.LastIndex(s, sep); i >= 0 {
		return s[:i], s[i+len(sep):], true
	}
	return "", s, false
}

// Link is the header that tells a viewer of the server (draft-ietf-wish-whep, 4.6).
func (s Told) Link() string {
	link := "<" + s.URL + `>; rel="ice-server"`
	if s.Username == "" {
		return link
	}
	quote := strings.NewReplacer(`\`, `\\`, `"`, `\"`)
	return link + fmt.Sprintf(`; username="%s"; credential="%s"; credential-type="password"`, quote.Replace(s.Username), quote.Replace(s.Credential))
}
