package apitypes

// AlertSettings say of what somebody is told, who, how and when.
type AlertSettings struct {
	DownMinutes     float64  `json:"downMinutes" required:"false" minimum:"0" maximum:"10080" default:"5" doc:"A feed that has been down for so long is told of; 0 for not at all"`
	Feeds           []string `json:"feeds" required:"false" nullable:"false" maxItems:"1000" doc:"Only these feeds; all when empty"`
	Tags            []string `json:"tags" required:"false" nullable:"false" maxItems:"100" doc:"Only feeds with one of these tags; all when empty"`
	DiskPercent     float64  `json:"diskPercent" required:"false" minimum:"0" maximum:"100" default:"10" doc:"Told when less of the data folder's disk is free; 0 for not at all"`
	CertificateDays int      `json:"certificateDays" required:"false" minimum:"0" maximum:"365" default:"14" doc:"Told when the certificate ends within so many days, or cannot be used; 0 for not at all"`
	Allowance       bool     `json:"allowance" required:"false" default:"true" doc:"Told when the month's allowance is nearly used"`

	Recordings bool `json:"recordings" required:"false" default:"true" doc:"Told when a feed cannot be recorded: a disk that is full or gone"`
	Motion     bool `json:"motion" required:"false" default:"false" doc:"Told when something moves in a feed that is recorded on motion"`

	Webhook AlertWebhook `json:"webhook" required:"false"`
	Mail    AlertMail    `json:"mail" required:"false"`

	QuietFrom string `json:"quietFrom" required:"false" pattern:"^([01][0-9]|2[0-3]):[0-5][0-9]$|^$" patternDescription:"a time of day such as 22:00" doc:"From this time of day, of the service's machine, on nobody is told; what was wrong meanwhile is told at the end. Empty for none" example:"22:00"`
	QuietTo   string `json:"quietTo" required:"false" pattern:"^([01][0-9]|2[0-3]):[0-5][0-9]$|^$" patternDescription:"a time of day such as 06:30" example:"06:30"`
}

// AlertWebhook is an address that messages are posted to.
type AlertWebhook struct {
	URL    string `json:"url" required:"false" maxLength:"2048" doc:"http:// or https://; empty for none. What stands behind a ? is shown as ***" example:"https://hooks.example.org/cameras"`
	Secret string `json:"secret,omitempty" maxLength:"256" writeOnly:"true" doc:"That messages are signed by; left out it stays"`
	Signed bool   `json:"signed" readOnly:"true" doc:"Whether there is a secret"`
}

// AlertMail is a mail server and who is written to.
type AlertMail struct {
	Server   string   `json:"server" required:"false" maxLength:"300" doc:"Host and port; empty for none" example:"mail.example.org:587"`
	Security string   `json:"security,omitempty" enum:"starttls,tls,none" default:"starttls" doc:"none is for a server on this machine or network"`
	User     string   `json:"user" required:"false" maxLength:"256"`
	Password string   `json:"password,omitempty" maxLength:"256" writeOnly:"true" doc:"Left out it stays"`
	From     string   `json:"from" required:"false" maxLength:"256" example:"cameras@example.org"`
	To       []string `json:"to" required:"false" nullable:"false" maxItems:"50" example:"[\"duty@example.org\"]"`
}

// AlertTest is what came of a test message, by each way.
type AlertTest struct {
	Results []AlertResult `json:"results"`
}

// AlertResult is one way's.
type AlertResult struct {
	By      string `json:"by" enum:"webhook,e-mail"`
	Trouble string `json:"trouble,omitempty" doc:"Why it did not go out; missing when it did"`
}
