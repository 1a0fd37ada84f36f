package whep

import (
	"fmt"
	"slices"
	"strings"
)

// ICEServer is a STUN or TURN server that viewers are told of (RFC 7064, RFC 7065).
type ICEServer struct {
	URL        string `json:"urls"`
	Username   string `json:"username,omitempty"`
	Credential string `json:"credential,omitempty"`
}

// iceSchemes are those of URLs of such servers; the last two need a user.
var iceSchemes = []string{"stun", "stuns", "turn", "turns"}

// ParseICEServer reads stun:HOST:PORT or turn:USER:PASSWORD@HOST:PORT?transport=tcp.
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
	case relay && (!whole || user == "" || password == ""):
		return ICEServer{}, fmt.Errorf("the TURN server %s needs a user and a password; write it like turn:USER:PASSWORD@turn.example:3478", host)
	case !relay && hasUser:
		return ICEServer{}, fmt.Errorf("the STUN server %s takes no user", host)
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
func (s ICEServer) Link() string {
	link := "<" + s.URL + `>; rel="ice-server"`
	if s.Username == "" {
		return link
	}
	quote := strings.NewReplacer(`\`, `\\`, `"`, `\"`)
	return link + fmt.Sprintf(`; username="%s"; credential="%s"; credential-type="password"`, quote.Replace(s.Username), quote.Replace(s.Credential))
}
