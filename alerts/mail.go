package alerts

import (
	"context"
	"errors"
	"fmt"
	"net"
	"strconv"
	"strings"

	"github.com/wneessen/go-mail"

	"webostrum/core/alert"
)

// How a mail server is spoken to.
const (
	StartTLS = "starttls" // TLS, begun in the clear (RFC 3207)
	TLS      = "tls"      // from the beginning (RFC 8314)
	NoTLS    = "none"     // for servers on this machine or network
)

// Mail sends messages by e-mail.
type Mail struct {
	Server   string // host and port; empty for none
	Security string // StartTLS, TLS or NoTLS
	User     string
	Password string
	From     string
	To       []string
}

func (Mail) name() string { return "e-mail" }

func (m Mail) on() bool { return m.Server != "" && len(m.To) > 0 }

const longestSubject = 120

func (m Mail) send(ctx context.Context, message alert.Message, link string) error {
	host, portText, err := net.SplitHostPort(m.Server)
	port, portErr := strconv.Atoi(portText)
	if err != nil || portErr != nil {
		return fmt.Errorf("the mail server %q is none: write it like mail.example.org:587", m.Server)
	}
	letter := mail.NewMsg()
	if err := letter.From(m.From); err != nil {
		return fmt.Errorf("the sender %q cannot be used: %w", m.From, err)
	}
	if err := letter.To(m.To...); err != nil {
		return fmt.Errorf("a receiver cannot be used: %w", err)
	}
	line := strings.Join(strings.Fields(subject(message)), " ")
	if r := []rune(line); len(r) > longestSubject {
		line = string(r[:longestSubject-1]) + "…"
	}
	letter.Subject("Webostrum: " + line)
	letter.SetBodyString(mail.TypeTextPlain, text(message, link))
	options := []mail.Option{mail.WithPort(port), mail.WithTimeout(sendWithin)}
	switch m.Security {
	case TLS:
		options = append(options, mail.WithSSL())
	case NoTLS:
		options = append(options, mail.WithTLSPolicy(mail.NoTLS))
	default:
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory))
	}
	if m.User != "" {
		options = append(options, mail.WithSMTPAuth(authOf(m.Security)), mail.WithUsername(m.User), mail.WithPassword(m.Password))
	}
	client, err := mail.NewClient(host, options...)
	if err != nil {
		return err
	}
	if err := client.DialAndSendWithContext(ctx, letter); err != nil {
		return errors.New("the mail server did not take it: " + strings.Join(strings.Fields(err.Error()), " "))
	}
	return nil
}

// authOf is how to sign in: a password goes in the clear only where the settings say so.
func authOf(security string) mail.SMTPAuthType {
	if security == NoTLS {
		return mail.SMTPAuthPlainNoEnc
	}
	return mail.SMTPAuthAutoDiscover
}
