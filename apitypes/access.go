package apitypes

import "time"

// SignIn is what signing in takes.
type SignIn struct {
	Name     string `json:"name" minLength:"1" maxLength:"64" doc:"Name of the account"`
	Password string `json:"password" minLength:"1" maxLength:"256" doc:"Its password"`
}

// SignInPage is what the sign-in page needs to know.
type SignInPage struct {
	FirstAccount string `json:"firstAccount,omitempty" doc:"The account that the first start has made, as long as nobody has signed in"`
}

// Me is who is signed in.
type Me struct {
	Name string `json:"name"`
	Role string `json:"role" enum:"engineer,viewer"`
}

// Account is an account as the API shows it.
type Account struct {
	Name    string    `json:"name"`
	Role    string    `json:"role" enum:"engineer,viewer" doc:"An engineer sees and changes everything; a viewer sees and changes nothing"`
	Created time.Time `json:"created"`
}

// AccountList is all accounts.
type AccountList struct {
	Accounts []Account `json:"accounts"`
}

// NewAccount is what adding an account takes.
type NewAccount struct {
	Name     string `json:"name" pattern:"^[A-Za-z0-9][A-Za-z0-9._@-]*$" patternDescription:"letters, digits and . _ @ -" minLength:"1" maxLength:"64"`
	Role     string `json:"role,omitempty" enum:"engineer,viewer" default:"viewer"`
	Password string `json:"password" minLength:"8" maxLength:"72" doc:"8 to 72 characters"`
}

// NewPassword is what giving an account another password takes.
type NewPassword struct {
	Password string `json:"password" minLength:"8" maxLength:"72" doc:"8 to 72 characters" example:"seven-otters-at-dawn"`
}

// Link lets whoever has it watch one feed.
type Link struct {
	Name    string    `json:"name" pattern:"^[a-z0-9]+(-[a-z0-9]+)*$" patternDescription:"small letters, digits and single hyphens" minLength:"1" maxLength:"40" doc:"What it is for" example:"wall-panel"`
	Created time.Time `json:"created" readOnly:"true"`
	Path    string    `json:"path,omitempty" readOnly:"true" doc:"Beginning of the addresses it opens; shown once, when the link is made"`
}

// NewLink is what making a link takes.
type NewLink struct {
	Name string `json:"name" pattern:"^[a-z0-9]+(-[a-z0-9]+)*$" patternDescription:"small letters, digits and single hyphens" minLength:"1" maxLength:"40" doc:"What it is for" example:"wall-panel"`
}

// LinkList is a feed's links.
type LinkList struct {
	Links []Link `json:"links"`
}
