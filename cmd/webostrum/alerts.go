package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
)

func (a *app) alerts() *cli.Command {
	return &cli.Command{
		Name: "alerts", Usage: "of what somebody is told, by webhook and e-mail: show, set, test", OnUsageError: usageError,
		Commands: []*cli.Command{
			{Name: "show", Usage: "of what somebody is told", Flags: []cli.Flag{outputFlag()}, OnUsageError: usageError, Action: func(ctx context.Context, c *cli.Command) error {
				cl, err := a.service(c)
				if err != nil {
					return err
				}
				s, err := cl.Alerts(ctx)
				if err != nil {
					return err
				}
				return a.show(c, s, func(w io.Writer) { printAlerts(w, s) })
			}},
			a.alertsSet(),
			{Name: "test", Usage: "send a message that says that it is a test", Flags: []cli.Flag{outputFlag()}, OnUsageError: usageError, Action: func(ctx context.Context, c *cli.Command) error {
				cl, err := a.service(c)
				if err != nil {
					return err
				}
				t, err := cl.TestAlerts(ctx)
				if err != nil {
					return err
				}
				failed := false
				err = a.show(c, t, func(w io.Writer) {
					for _, r := range t.Results {
						row(w, r.By, firstOf(r.Trouble, "was taken"))
						failed = failed || r.Trouble != ""
					}
				})
				if err == nil && failed {
					err = errors.New("not all of it went out")
				}
				return err
			}},
		},
	}
}

// alertFlags tie flags to alert settings.
func alertFlags() []struct {
	flag cli.Flag
	set  func(*cli.Command, *apitypes.AlertSettings)
} {
	type S = apitypes.AlertSettings
	secret := func(name, usage, variable string) cli.Flag {
		return &cli.StringFlag{Name: name, Usage: usage, Sources: cli.EnvVars(variable)}
	}
	return []struct {
		flag cli.Flag
		set  func(*cli.Command, *S)
	}{
		{&cli.FloatFlag{Name: "down", HideDefault: true, Usage: "tell of a feed that has been down for `MINUTES`; 0 for not at all"}, func(c *cli.Command, s *S) { s.DownMinutes = c.Float("down") }},
		{&cli.StringSliceFlag{Name: "feeds", Usage: "only these `FEEDS`, a,b; none for all"}, func(c *cli.Command, s *S) { s.Feeds = listed(c, "feeds") }},
		{&cli.StringSliceFlag{Name: "tags", Usage: "only feeds with one of these `TAGS`, a,b; none for all"}, func(c *cli.Command, s *S) { s.Tags = listed(c, "tags") }},
		{&cli.FloatFlag{Name: "disk", HideDefault: true, Usage: "tell when less than `PERCENT` of the disk is free; 0 for not at all"}, func(c *cli.Command, s *S) { s.DiskPercent = c.Float("disk") }},
		{&cli.IntFlag{Name: "certificate", HideDefault: true, Usage: "tell when the certificate ends within `DAYS`; 0 for not at all"}, func(c *cli.Command, s *S) { s.CertificateDays = c.Int("certificate") }},
		{&cli.BoolFlag{Name: "allowance", HideDefault: true, Usage: "tell when the month's allowance is nearly used; --allowance=false stops it"}, func(c *cli.Command, s *S) { s.Allowance = c.Bool("allowance") }},
		{&cli.BoolFlag{Name: "recordings", HideDefault: true, Usage: "tell when a feed cannot be recorded; --recordings=false stops it"}, func(c *cli.Command, s *S) { s.Recordings = c.Bool("recordings") }},
		{&cli.BoolFlag{Name: "motion", HideDefault: true, Usage: "tell when something moves in a feed that is recorded on motion"}, func(c *cli.Command, s *S) { s.Motion = c.Bool("motion") }},
		{&cli.StringFlag{Name: "webhook", Usage: "`URL` that messages are posted to; empty for none"}, func(c *cli.Command, s *S) { s.Webhook.URL = c.String("webhook") }},
		{secret("webhook-secret", "`TEXT` that they are signed by", "WEBOSTRUM_WEBHOOK_SECRET"), func(c *cli.Command, s *S) { s.Webhook.Secret = c.String("webhook-secret") }},
		{&cli.StringFlag{Name: "mail-server", Usage: "`HOST:PORT` of a mail server; empty for none"}, func(c *cli.Command, s *S) { s.Mail.Server = c.String("mail-server") }},
		{&cli.StringFlag{Name: "mail-security", Usage: "starttls, tls or none"}, func(c *cli.Command, s *S) { s.Mail.Security = c.String("mail-security") }},
		{&cli.StringFlag{Name: "mail-user", Usage: "`USER` there"}, func(c *cli.Command, s *S) { s.Mail.User = c.String("mail-user") }},
		{secret("mail-password", "its `PASSWORD`", "WEBOSTRUM_MAIL_PASSWORD"), func(c *cli.Command, s *S) { s.Mail.Password = c.String("mail-password") }},
		{&cli.StringFlag{Name: "mail-from", Usage: "`ADDRESS` of the sender"}, func(c *cli.Command, s *S) { s.Mail.From = c.String("mail-from") }},
		{&cli.StringSliceFlag{Name: "mail-to", Usage: "`ADDRESSES` that are written to, a,b"}, func(c *cli.Command, s *S) { s.Mail.To = listed(c, "mail-to") }},
		{&cli.StringFlag{Name: "quiet", Usage: "`TIME` of day in which nobody is told, such as 22:00-06:30; none for none"}, func(c *cli.Command, s *S) {
			s.QuietFrom, s.QuietTo, _ = strings.Cut(c.String("quiet"), "-")
			if c.String("quiet") == "none" {
				s.QuietFrom, s.QuietTo = "", ""
			}
		}},
	}
}

func (a *app) alertsSet() *cli.Command {
	settings := alertFlags()
	flags := []cli.Flag{outputFlag()}
	for _, s := range settings {
		flags = append(flags, s.flag)
	}
	return &cli.Command{
		Name: "set", Usage: "set of what somebody is told, and how; what is not given stays", Flags: flags, OnUsageError: usageError,
		Action: func(ctx context.Context, c *cli.Command) error {
			cl, err := a.service(c)
			if err != nil {
				return err
			}
			now, err := cl.Alerts(ctx)
			if err != nil {
				return err
			}
			for _, s := range settings {
				if c.IsSet(s.flag.Names()[0]) {
					s.set(c, &now)
				}
			}
			if now, err = cl.SetAlerts(ctx, now); err != nil {
				return err
			}
			return a.show(c, now, func(w io.Writer) { printAlerts(w, now) })
		},
	}
}

func printAlerts(w io.Writer, s apitypes.AlertSettings) {
	orNot := func(on bool, text string, args ...any) string {
		if !on {
			return "not told"
		}
		return fmt.Sprintf(text, args...)
	}
	of := "all feeds"
	if len(s.Feeds)+len(s.Tags) > 0 {
		of = strings.Join(append(append([]string{}, s.Feeds...), s.Tags...), ", ")
	}
	row(w, "feeds", orNot(s.DownMinutes > 0, "down for %g min, of %s", s.DownMinutes, of))
	row(w, "disk", orNot(s.DiskPercent > 0, "less than %g %% free", s.DiskPercent))
	row(w, "certificate", orNot(s.CertificateDays > 0, "ends within %d days", s.CertificateDays))
	row(w, "allowance", orNot(s.Allowance, "nearly used"))
	row(w, "recordings", orNot(s.Recordings, "that cannot be written"))
	row(w, "motion", orNot(s.Motion, "in feeds that are recorded on motion"))
	hook := firstOf(s.Webhook.URL, "none")
	if s.Webhook.URL != "" {
		hook += map[bool]string{true: ", signed", false: ", not signed"}[s.Webhook.Signed]
	}
	row(w, "webhook", hook)
	mail := "none"
	if s.Mail.Server != "" {
		mail = fmt.Sprintf("%s by %s (%s)", strings.Join(s.Mail.To, ", "), s.Mail.Server, s.Mail.Security)
	}
	row(w, "e-mail", mail)
	quiet := "none"
	if s.QuietFrom != "" {
		quiet = s.QuietFrom + " to " + s.QuietTo + ", by the service's clock"
	}
	row(w, "quiet time", quiet)
}
