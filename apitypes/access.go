package apitypes

import "time"

// SignIn is what signing in takes.
type SignIn struct {
	Name     string `json:"name" minLength:"1" maxLength:"64" doc:"Name of the account"`
	Password string `json:"password" minLength:"1" maxLength:"256" doc:"Its password"`
	Code     string `json:"code,omitempty" maxLength:"12" doc:"Six digits of the second factor, where the account has one"`
}

// SignInPage is what the sign-in page needs to know.
type SignInPage struct {
	FirstAccount string `json:"firstAccount,omitempty" doc:"The account that the first start has made, as long as nobody has signed in"`
}

// Me is who is signed in.
type Me struct {
	Name   string `json:"name"`
	Role   string `json:"role" enum:"engineer,viewer"`
	Second bool   `json:"second" doc:"Whether the account has a second factor"`
}

// Account is an account as the API shows it.
type Account struct {
	Name    string    `json:"name"`
	Role    string    `json:"role" enum:"engineer,viewer,panel" doc:"An engineer sees and changes everything; a viewer sees the feeds that are theirs; a panel opens media of the feeds that name it, by Basic or Digest"`
	Created time.Time `json:"created"`
	Second  bool      `json:"second" doc:"Whether it has a second factor"`
	Feeds   []string  `json:"feeds" doc:"Feeds that name it"`
}

// AccountList is all accounts.
type AccountList struct {
	Accounts []Account `json:"accounts"`
}

// NewAccount is what adding an account takes.
type NewAccount struct {
	Name     string   `json:"name" pattern:"^[A-Za-z0-9][A-Za-z0-9._@-]*$" patternDescription:"letters, digits and . _ @ -" minLength:"1" maxLength:"64"`
	Role     string   `json:"role,omitempty" enum:"engineer,viewer,panel" default:"viewer"`
	Password string   `json:"password" minLength:"8" maxLength:"256" doc:"8 to 256 characters; common and easily guessed ones are refused"`
	Feeds    []string `json:"feeds,omitempty" maxItems:"200" doc:"Feeds that shall name it" example:"[\"lower-station\"]"`
}

// NewPassword is what giving an account another password takes.
type NewPassword struct {
	Password string `json:"password" minLength:"8" maxLength:"256" doc:"8 to 256 characters; common and easily guessed ones are refused" example:"seven-otters-at-dawn"`
}

// AccountChange is what changing an account takes; what is left out stays.
type AccountChange struct {
	Role   string `json:"role,omitempty" enum:"engineer,viewer,panel"`
	Second *bool  `json:"second,omitempty" doc:"false takes the second factor away, for somebody who has lost it"`
}

// OwnPassword is what changing one's own password takes.
type OwnPassword struct {
	Present  string `json:"present" minLength:"1" maxLength:"256" doc:"The password until now"`
	Password string `json:"password" minLength:"8" maxLength:"256" doc:"8 to 256 characters; common and easily guessed ones are refused" example:"seven-otters-at-dawn"`
}

// SecondFactor is what an authenticator is set up with; it holds after a code of it was
// sent.
type SecondFactor struct {
	Secret string `json:"secret" doc:"To type in, base 32"`
	URL    string `json:"url" doc:"The same as an otpauth: address, for a QR code"`
}

// SecondCode sets a second factor up, or takes it away.
type SecondCode struct {
	Secret string `json:"secret,omitempty" maxLength:"64" doc:"That was made; left out to take the factor away"`
	Code   string `json:"code" minLength:"6" maxLength:"12" doc:"Six digits that the authenticator shows"`
}

// Link lets whoever has it watch one feed.
type Link struct {
	NewLink
	Feed    string     `json:"feed"`
	Created time.Time  `json:"created"`
	Used    *time.Time `json:"used,omitempty" doc:"When it opened something last"`
	Viewers int        `json:"viewers" doc:"How many watch by it now"`
	Over    bool       `json:"over" doc:"Whether its end has passed"`

	Watch string `json:"watch,omitempty" doc:"Path of its page; missing for a link from before texts were signed, which was shown once"`
	Embed string `json:"embed,omitempty" doc:"Path of its page for iframes"`
	Media string `json:"media,omitempty" doc:"Beginning of the paths of its media: mjpeg, still.jpg, hls/index.m3u8, whep"`
	Text  string `json:"text,omitempty" doc:"Its text, for the player's link attribute"`
}

// NewLink is what making a link takes.
type NewLink struct {
	Name string `json:"name" pattern:"^[a-z0-9]+(-[a-z0-9]+)*$" patternDescription:"small letters, digits and single hyphens" minLength:"1" maxLength:"40" doc:"What it is for" example:"wall-panel"`
	LinkSettings
}

// LinkSettings are what can be changed of a link.
type LinkSettings struct {
	Ends       *time.Time `json:"ends,omitempty" doc:"When it ends; without, when somebody ends it" example:"2030-05-01T18:00:00Z"`
	Sites      []string   `json:"sites" required:"false" nullable:"false" maxItems:"64" doc:"Sites whose pages may show it; empty for those of the feed" example:"[\"example.org\"]"`
	Deliveries []string   `json:"deliveries" required:"false" nullable:"false" enum:"hls,fragments,webrtc,motion-jpeg,still,rtsp" maxItems:"6" doc:"That it opens; empty for all that the feed gives" example:"[\"hls\"]"`
	Most       int        `json:"most,omitempty" minimum:"0" maximum:"1000000" doc:"Viewers at a time; 0 for no limit of its own" example:"20"`
}

// LinkKey is what signs links from now on.
type LinkKey struct {
	Key   int64 `json:"key" doc:"Its number"`
	Ended int   `json:"ended" doc:"How many links ended with the keys before it"`
}

// NewLinkKey is what making a signing key takes.
type NewLinkKey struct {
	EndOthers bool `json:"endOthers,omitempty" doc:"Whether links that other keys have signed end"`
}

// LinkList is a feed's links.
type LinkList struct {
	Links []Link `json:"links"`
}

// Token is a token for a program.
type Token struct {
	NewToken
	ID      int64      `json:"id"`
	Account string     `json:"account" doc:"Whose it is; it can do no more than that account"`
	Created time.Time  `json:"created"`
	Used    *time.Time `json:"used,omitempty" doc:"When it was used last, to a minute"`
	Text    string     `json:"text,omitempty" doc:"What a program signs in with: Authorization: Bearer TEXT. Shown once, when it is made"`
}

// NewToken is what making a token takes.
type NewToken struct {
	Name  string     `json:"name" minLength:"1" maxLength:"64" doc:"What it is for" example:"grafana"`
	Scope string     `json:"scope" enum:"read,manage,media,metrics" doc:"read sees what an engineer sees; manage changes, too; media opens media of the feeds that are named; metrics reads /metrics"`
	Feeds []string   `json:"feeds,omitempty" maxItems:"200" doc:"media: the feeds" example:"[\"lower-station\"]"`
	Ends  *time.Time `json:"ends,omitempty" doc:"When it ends; without, when somebody ends it" example:"2030-05-01T18:00:00Z"`
}

// TokenList is all tokens.
type TokenList struct {
	Tokens []Token `json:"tokens" doc:"The newest first"`
}

// BrowserSession is a browser that is signed in.
type BrowserSession struct {
	ID      int64      `json:"id"`
	Account string     `json:"account"`
	Address string     `json:"address" doc:"Where it signed in from"`
	Browser string     `json:"browser" doc:"What it calls itself"`
	Created time.Time  `json:"created"`
	Used    *time.Time `json:"used,omitempty" doc:"When it was used last, to a minute"`
	Ends    time.Time  `json:"ends"`
	Own     bool       `json:"own" doc:"Whether it is the one that asks"`
}

// SessionList is the browsers that are signed in.
type SessionList struct {
	Sessions []BrowserSession `json:"sessions" doc:"The newest first"`
}

// Address is one that the service can be reached by.
type Address struct {
	URL   string `json:"url" example:"http://192.0.2.10:7600"`
	Reach string `json:"reach" enum:"machine,network,outside" doc:"Who gets there: this machine alone, its network, or the outside, as far as the address tells"`
	Own   bool   `json:"own" doc:"Whether it is the one that was asked by"`

	Outside bool `json:"outside" doc:"Whether it is the one that viewers outside come by, as the settings say"`
}

// AddressList is all of them.
type AddressList struct {
	Addresses []Address `json:"addresses"`
}

// Embedding is what puts a feed into a page.
type Embedding struct {
	Address string   `json:"address" doc:"Of the page"`
	Iframe  string   `json:"iframe" doc:"HTML"`
	Element string   `json:"element" doc:"HTML: the player's script and element"`
	Image   string   `json:"image,omitempty" doc:"HTML: Motion JPEG, or a still, without script"`
	Video   string   `json:"video,omitempty" doc:"HTML: for browsers that play HLS themselves"`
	Script  string   `json:"script" doc:"Address of the player's script"`
	Reach   string   `json:"reach" enum:"machine,network,outside"`
	Notes   []string `json:"notes" doc:"What else to know before it is pasted"`

	ReachNote string `json:"reachNote,omitempty" doc:"Who does not get to the address, and which others there are"`
}
