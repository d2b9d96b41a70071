package notices

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"crypto/tls"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"mime"
	"net"
	"net/http"
	"net/mail"
	"net/smtp"
	"net/url"
	"strconv"
	"strings"
	"time"
)

// Webhook posts notices as JSON. With a secret the headers Notice-Time, seconds since 1970,
// and Notice-Signature, the HMAC-SHA256 of that, a dot and the body in hexadecimal, tell
// that they are ours and when they were made.
type Webhook struct {
	Address string
	Secret  string
	Client  *http.Client
}

var _ Channel = (*Webhook)(nil)

// Name implements Channel.
func (*Webhook) Name() string { return "webhook" }

// Send implements Channel. It fails if the address cannot be reached or does not answer 2xx.
func (w *Webhook) Send(ctx context.Context, n Notice) error {
	body, err := json.Marshal(n)
	if err != nil {
		return err
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, w.Address, bytes.NewReader(body))
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "application/json")
	if w.Secret != "" {
		at := strconv.FormatInt(n.At.Unix(), 10)
		r.Header.Set("Notice-Time", at)
		r.Header.Set("Notice-Signature", Sign(w.Secret, at, body))
	}
	answer, err := w.Client.Do(r)
	var at *url.Error
	if errors.As(err, &at) {
		return at.Err // without the address, which may be a secret
	}
	if err != nil {
		return err
	}
	answer.Body.Close()
	if answer.StatusCode/100 != 2 {
		return fmt.Errorf("the webhook answers %s", answer.Status)
	}
	return nil
}

// Sign is the signature of a body at a time.
func Sign(secret, at string, body []byte) string {
	m := hmac.New(sha256.New, []byte(secret))
	m.Write([]byte(at + "."))
	m.Write(body)
	return hex.EncodeToString(m.Sum(nil))
}

// Mail sends notices through an SMTP server (RFC 5321), by TLS where the server offers it.
type Mail struct {
	Server         string // host:port
	User, Password string // both or none
	From, To       string
	Immediately    bool // TLS from the beginning, as at port 465
	Insecure       bool // a password may go without TLS: on this machine
	dial           net.Dialer
}

var _ Channel = (*Mail)(nil)

// Name implements Channel.
func (*Mail) Name() string { return "mail" }

// ReadMail reads an address like smtp://user@mail.example.net:587/?from=A&to=B; smtps for TLS
// from the beginning. It fails, saying what is wrong, if it is no such address.
func ReadMail(address, password string) (*Mail, error) {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "smtp" && u.Scheme != "smtps" || u.Hostname() == "" {
		return nil,
			fmt.Errorf("%q is no mail server; write it like smtp://user@mail.example.net:587/?to=owner@example.net",
				address)
	}
	m := &Mail{Immediately: u.Scheme == "smtps", User: u.User.Username(), Password: password,
		From: u.Query().Get("from"), To: u.Query().Get("to")}
	port := u.Port()
	if port == "" {
		port = map[bool]string{false: "25", true: "465"}[m.Immediately]
	}
	m.Server = net.JoinHostPort(u.Hostname(), port)
	if m.From == "" {
		m.From = m.To
	}
	for name, a := range map[string]string{"to": m.To, "from": m.From} {
		if _, err := mail.ParseAddress(a); err != nil {
			return nil, fmt.Errorf("the mail server's address needs %s=ADDRESS, like ?to=owner@example.net", name)
		}
	}
	ip := net.ParseIP(u.Hostname())
	m.Insecure = u.Hostname() == "localhost" || ip != nil && ip.IsLoopback()
	return m, nil
}

// Send implements Channel. It fails as the server does, and if a password would go without TLS.
func (m *Mail) Send(ctx context.Context, n Notice) error {
	conn, err := m.dial.DialContext(ctx, "tcp", m.Server)
	if err != nil {
		return err
	}
	defer conn.Close()
	if at, is := ctx.Deadline(); is {
		_ = conn.SetDeadline(at)
	}
	host, _, _ := net.SplitHostPort(m.Server)
	settings := &tls.Config{ServerName: host, MinVersion: tls.VersionTLS12}
	if m.Immediately {
		conn = tls.Client(conn, settings)
	}
	c, err := smtp.NewClient(conn, host)
	if err != nil {
		return err
	}
	defer c.Close()
	safe := m.Immediately
	if offered, _ := c.Extension("STARTTLS"); offered && !safe {
		if err := c.StartTLS(settings); err != nil {
			return err
		}
		safe = true
	}
	if m.User != "" {
		if !safe && !m.Insecure {
			return fmt.Errorf("%s offers no TLS; the password does not go without", m.Server)
		}
		if err := c.Auth(smtp.PlainAuth("", m.User, m.Password, host)); err != nil {
			return err
		}
	}
	from, to := bare(m.From), bare(m.To)
	if err := c.Mail(from); err != nil {
		return err
	}
	if err := c.Rcpt(to); err != nil {
		return err
	}
	w, err := c.Data()
	if err != nil {
		return err
	}
	if _, err := w.Write(letter(m.From, m.To, n)); err != nil {
		return err
	}
	if err := w.Close(); err != nil {
		return err
	}
	return c.Quit()
}

func bare(address string) string {
	a, err := mail.ParseAddress(address)
	if err != nil {
		return address
	}
	return a.Address
}

// letter is a notice as a message (RFC 5322).
func letter(from, to string, n Notice) []byte {
	subject, text := "Trouble: "+n.What, n.What+"\n\nSince "+n.Since.UTC().Format(time.RFC1123)+".\n"
	if n.Kind == Over {
		subject = "Over: " + n.What
		text = "This is over: " + n.What + "\n\nIt began " + n.Since.UTC().Format(time.RFC1123) + " and ended " +
			n.At.UTC().Format(time.RFC1123) + ".\n"
	}
	if n.Service != "" {
		text += "\nThe service: " + n.Service + "\n"
	}
	var b strings.Builder
	for _, h := range [][2]string{{"From", from}, {"To", to}, {"Subject", mime.QEncoding.Encode("utf-8",
		oneLine(subject))},
		{"Date", n.At.Format(time.RFC1123Z)}, {"MIME-Version", "1.0"}, {"Content-Type", "text/plain; charset=utf-8"},
		{"Auto-Submitted", "auto-generated"}} {
		b.WriteString(h[0] + ": " + oneLine(h[1]) + "\r\n")
	}
	b.WriteString("\r\n" + strings.ReplaceAll(text, "\n", "\r\n"))
	return []byte(b.String())
}

func oneLine(text string) string { return strings.Join(strings.Fields(text), " ") }
