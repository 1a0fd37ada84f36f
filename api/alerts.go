package api

import (
	"context"
	"encoding/json"
	"fmt"
	"net/mail"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"webostrum/alerts"
	"webostrum/apitypes"
	"webostrum/certs"
	"webostrum/core/alert"
	"webostrum/record"
	"webostrum/station"
)

const (
	settingAlerts = "alerts"
	wholePercent  = 100
)

// alerting is what somebody is told of.
type alerting struct {
	keeper *alerts.Keeper

	mu       sync.Mutex
	settings apitypes.AlertSettings // with their secrets; guarded by mu
}

// usualAlerts are those of a service of which nothing was said.
func usualAlerts() apitypes.AlertSettings {
	return apitypes.AlertSettings{
		DownMinutes: 5, DiskPercent: 10, CertificateDays: 14, Allowance: true, Recordings: true, Feeds: []string{}, Tags: []string{},
		Mail: apitypes.AlertMail{Security: alerts.StartTLS, To: []string{}},
	}
}

func (a *API) openAlerts() error {
	a.alerting.settings = usualAlerts()
	a.alerting.keeper = alerts.New(alerts.Config{Wrong: a.wrong, Sent: a.alertSent, Log: a.cfg.Log})
	text, err := a.store.Setting(settingAlerts)
	if err == nil && text != "" {
		err = json.Unmarshal([]byte(text), &a.alerting.settings)
	}
	if err == nil {
		a.alerting.keeper.Set(a.alertTo(a.alerting.settings))
	}
	return err
}

// alertTo are settings as who sends needs them.
func (a *API) alertTo(s apitypes.AlertSettings) alerts.Settings {
	out := alerts.Settings{
		Webhook: alerts.Webhook{URL: s.Webhook.URL, Secret: s.Webhook.Secret},
		Mail:    alerts.Mail{Server: s.Mail.Server, Security: s.Mail.Security, User: s.Mail.User, Password: s.Mail.Password, From: s.Mail.From, To: s.Mail.To},
		Quiet:   alert.Quiet{From: timeOfDay(s.QuietFrom), To: timeOfDay(s.QuietTo), Zone: time.Local},
	}
	if outside := a.outside(); outside != "" {
		out.Link = outside + "/morning"
	}
	return out
}

func timeOfDay(text string) time.Duration {
	t, err := time.Parse("15:04", text)
	if err != nil {
		return 0
	}
	return time.Duration(t.Hour())*time.Hour + time.Duration(t.Minute())*time.Minute
}

func (a *API) alertSettings() apitypes.AlertSettings {
	a.alerting.mu.Lock()
	defer a.alerting.mu.Unlock()
	return a.alerting.settings
}

// wrong is what is wrong now, as far as somebody is told of it.
func (a *API) wrong(now time.Time) (list []alert.Condition) {
	s := a.alertSettings()
	if s.DownMinutes > 0 {
		for _, f := range a.station.List() {
			if c, ok := downCondition(f, s, now); ok {
				list = append(list, c)
			}
		}
	}
	list = append(list, a.recordingConditions(s)...)
	if free, ok := a.store.FreeShare(); ok && s.DiskPercent > 0 && free*wholePercent < s.DiskPercent {
		list = append(list, alert.Condition{
			Key: "disk", Text: fmt.Sprintf("The disk of the data folder is nearly full: %.0f %% are free", free*wholePercent), Since: now,
			Remedy: "Make room, or give the data folder another disk. Without room no event and no change is kept.",
		})
	}
	if l, ok := a.cfg.Listeners.Failing(); ok {
		list = append(list, alert.Condition{
			Key: "listener", Text: fmt.Sprintf("No connections are accepted for %s: %v", l.Name, l.Failing), Since: now,
			Remedy: "Raise the limit of open files of the service (LimitNOFILE in its unit), or have fewer viewers.",
		})
	}
	if c, ok := a.certificateCondition(s, now); ok {
		list = append(list, c)
	}
	if used := a.AllowanceUsed(now); s.Allowance && used >= warnAt {
		list = append(list, alert.Condition{
			Key: "allowance", Text: fmt.Sprintf("%.0f %% of what may be sent to viewers this month is sent", used*wholePercent), Since: now,
			Remedy: "Raise the allowance, or have viewers take smaller renditions.",
		})
	}
	return list
}

// recordingConditions are feeds that cannot be recorded, and those in which something moves.
func (a *API) recordingConditions(s apitypes.AlertSettings) (list []alert.Condition) {
	if a.cfg.Recordings == nil {
		return nil
	}
	for _, f := range a.station.List() {
		name := f.Rules().Name
		state := a.cfg.Recordings.State(name)
		switch {
		case !concerned(f, s):
		case s.Recordings && state.Problem != nil:
			list = append(list, alert.Condition{Key: "recording " + name, Feed: name, Text: name + " is not recorded: " + state.Problem.Error(), Remedy: state.Problem.Kind.Remedy, Since: state.Since})
		case s.Motion && state.Recording && state.Why == record.WhyMotion:
			list = append(list, alert.Condition{Key: "motion " + name, Feed: name, Text: "Something moves in " + name, Remedy: "Look at its recording.", Since: state.Since})
		}
	}
	return list
}

// concerned says whether somebody is told of a feed.
func concerned(f *station.Feed, s apitypes.AlertSettings) bool {
	rules := f.Rules()
	return (len(s.Feeds) == 0 || slices.Contains(s.Feeds, rules.Name)) && (len(s.Tags) == 0 || slices.ContainsFunc(rules.Tags, func(t string) bool { return slices.Contains(s.Tags, t) }))
}

func downCondition(f *station.Feed, s apitypes.AlertSettings, now time.Time) (c alert.Condition, ok bool) {
	rules, condition := f.Rules(), f.Condition()
	switch condition.State {
	case station.StateLive, station.StateOff, station.StateIdle, station.StateWaiting:
		return c, false
	}
	if !concerned(f, s) {
		return c, false
	}
	since := f.DownSince()
	if since.IsZero() || now.Sub(since) < time.Duration(s.DownMinutes*float64(time.Minute)) {
		return c, false
	}
	c = alert.Condition{Key: "feed " + rules.Name, Feed: rules.Name, Text: rules.Name + " is down: " + condition.Reason(), Since: since}
	if condition.Fault != nil {
		c.Remedy = condition.Fault.Kind.Remedy
	}
	return c, true
}

func (a *API) certificateCondition(s apitypes.AlertSettings, now time.Time) (c alert.Condition, ok bool) {
	if a.cfg.Certs == nil || s.CertificateDays == 0 {
		return c, false
	}
	state := a.cfg.Certs.State(now)
	c = alert.Condition{Key: "certificate", Since: now, Remedy: certificateRemedy(state.Kind)}
	switch {
	case state.Trouble != nil:
		c.Text = "HTTPS: " + state.Trouble.Error()
	case !state.Ends.IsZero() && state.Ends.Before(now.AddDate(0, 0, s.CertificateDays)):
		c.Text = "The certificate for HTTPS ends on " + state.Ends.UTC().Format(time.DateOnly)
	default:
		return c, false
	}
	return c, true
}

func certificateRemedy(kind string) string {
	switch kind {
	case certs.KindACME:
		return "Look at what the authority says, and whether ports 80 and 443 of the name lead here; it is asked again by itself."
	case certs.KindOwn:
		return "Start the service again."
	}
	return "Put another certificate in the files' place: it is taken within seconds, without a restart."
}

// alertSent notes what became of a message.
func (a *API) alertSent(by string, m alert.Message, err error) {
	a.counted.alert(by, err)
	what := fmt.Sprintf("%d told by %s", len(m.Raised)+len(m.Over)+m.More, by)
	if err != nil {
		a.station.By("", "").Note("", station.EventWarning, "an alert could not be sent by "+by+": "+err.Error())
		return
	}
	a.station.By("", "").Note("", station.EventAlert, "an alert was sent: "+what)
}

func (a *API) alertOperations(h huma.API) {
	huma.Register(h, operation("GET", "/alerts", "show-alerts", "Of what somebody is told, and how", needsEngineer, 200), a.showAlerts)
	huma.Register(h, operation("PUT", "/alerts", "set-alerts", "Set of what somebody is told, and how", needsEngineer, 200), a.setAlerts)
	huma.Register(h, operation("POST", "/alerts/test", "test-alerts", "Send a message that says that it is a test", needsEngineer, 200), a.testAlerts)
}

func (a *API) showAlerts(context.Context, *struct{}) (*struct{ Body apitypes.AlertSettings }, error) {
	return &struct{ Body apitypes.AlertSettings }{withoutSecrets(a.alertSettings())}, nil
}

func withoutSecrets(s apitypes.AlertSettings) apitypes.AlertSettings {
	s.Webhook.Signed = s.Webhook.Secret != ""
	s.Webhook.Secret, s.Mail.Password = "", ""
	s.Webhook.URL = hideQuery(s.Webhook.URL)
	return s
}

func (a *API) setAlerts(ctx context.Context, in *struct{ Body apitypes.AlertSettings }) (*struct{ Body apitypes.AlertSettings }, error) {
	a.alerting.mu.Lock()
	defer a.alerting.mu.Unlock()
	before, s := a.alerting.settings, in.Body
	s.Webhook.URL = revealQuery(s.Webhook.URL, before.Webhook.URL)
	if s.Webhook.Secret == "" && staysAtHost(s.Webhook.URL, before.Webhook.URL) {
		s.Webhook.Secret = before.Webhook.Secret
	}
	if s.Mail.Password == "" && s.Mail.Server == before.Mail.Server && s.Mail.User == before.Mail.User {
		s.Mail.Password = before.Mail.Password
	}
	s.Feeds, s.Tags, s.Mail.To = append([]string{}, s.Feeds...), append([]string{}, s.Tags...), append([]string{}, s.Mail.To...)
	if err := checkAlerts(s); err != nil {
		return nil, err
	}
	text, err := json.Marshal(s)
	if err == nil {
		err = a.store.SetSetting(settingAlerts, string(text))
	}
	if err != nil {
		return nil, answerFor(err)
	}
	a.alerting.settings = s // as it was checked
	a.alerting.keeper.Set(a.alertTo(s))
	a.by(ctx).Note("", station.EventChange, "alerts were set")
	return &struct{ Body apitypes.AlertSettings }{withoutSecrets(s)}, nil
}

// staysAtHost says whether two addresses lead to the same host: a secret does not go to another.
func staysAtHost(a, b string) bool {
	x, errX := url.Parse(a)
	y, errY := url.Parse(b)
	return errX == nil && errY == nil && x.Host == y.Host
}

func checkAlerts(s apitypes.AlertSettings) error {
	if u, err := url.Parse(s.Webhook.URL); s.Webhook.URL != "" && (err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || strings.Contains(u.RawQuery, hidden)) {
		return refused("webhook.url", "write an address such as https://hooks.example.org/cameras")
	}
	if (s.QuietFrom == "") != (s.QuietTo == "") {
		return refused("quietTo", "a quiet time has a beginning and an end")
	}
	m := s.Mail
	if m.Server == "" {
		return nil
	}
	if _, err := url.Parse("smtp://" + m.Server); err != nil || portText(m.Server) == 0 {
		return refused("mail.server", "write host and port, such as mail.example.org:587")
	}
	if _, err := mail.ParseAddress(m.From); err != nil {
		return refused("mail.from", "write an address such as cameras@example.org")
	}
	if len(m.To) == 0 {
		return refused("mail.to", "write who is written to")
	}
	for _, to := range m.To {
		if _, err := mail.ParseAddress(to); err != nil {
			return refused("mail.to", fmt.Sprintf("%q is no address", to))
		}
	}
	return nil
}

func (a *API) testAlerts(ctx context.Context, _ *struct{}) (*struct{ Body apitypes.AlertTest }, error) {
	s := a.alertSettings()
	if s.Webhook.URL == "" && s.Mail.Server == "" {
		return nil, refused("webhook.url", "there is nobody to tell: set a webhook or a mail server first")
	}
	out := apitypes.AlertTest{Results: []apitypes.AlertResult{}}
	for by, err := range alerts.Test(ctx, a.alertTo(s), time.Now()) {
		r := apitypes.AlertResult{By: by}
		if err != nil {
			r.Trouble = err.Error()
		}
		out.Results = append(out.Results, r)
	}
	slices.SortFunc(out.Results, func(x, y apitypes.AlertResult) int { return strings.Compare(x.By, y.By) })
	return &struct{ Body apitypes.AlertTest }{out}, nil
}
