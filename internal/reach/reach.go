// Package reach is the one way out over HTTP, but for models: a client whose
// policy is asked of every address, of every redirect and of every machine that
// is connected to, and whose answers are bounded. What people type in is fetched
// by Public; the hosts that an owner has named are called by Named.
//
//	pages := reach.New(reach.Public{}, 100<<20, 30*time.Second)
//	got, err := pages.Do(ctx, reach.Request{Address: "https://example.org/handbook"})
//
// Errors are *Refused, a sentence about the address, or the context's cause.
package reach

import (
	"bytes"
	"context"
	"errors"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"syscall"
	"time"

	"juvalogos/core/phrase"
)

// Policy says where a client may go.
type Policy interface {
	// Allow is asked of an address and of every one that it leads on to; its
	// error says why not.
	Allow(u *url.URL) error
	// Connect is asked of the machine that is about to be connected to, after
	// names were resolved: a name that means another address the second time, or
	// a redirect, does not get round it.
	Connect(at netip.AddrPort) error
}

// Refused is the error of an address that may not be called, or gave nothing.
type Refused struct {
	Host string
	What phrase.Phrase
}

func (r *Refused) Error() string { return r.What.String() }

func refused(host, form string, values ...any) error {
	return &Refused{host, phrase.Of(form, values...)}
}

// Request is what is asked of an address.
type Request struct {
	Method  string // "": GET
	Address string
	Header  http.Header
	Body    []byte
}

// Answer is what an address gave.
type Answer struct {
	Address *url.URL // after redirects
	Status  int
	Type    string // its media type, as the server says, without parameters
	Body    []byte
}

// Client calls addresses. It is safe for concurrent use.
type Client struct {
	policy Policy
	http   *http.Client
	most   int64
	limit  time.Duration
}

const (
	mostRedirects = 5
	agent         = "Juvalogos"
	connectLimit  = 10 * time.Second
	mostHeader    = 64 << 10
)

// New returns a client whose answers have so many bytes at most and take no
// longer than limit.
func New(p Policy, most int64, limit time.Duration) *Client {
	dialer := &net.Dialer{Timeout: connectLimit, Control: func(_, address string, _ syscall.RawConn) error {
		at, err := netip.ParseAddrPort(address)
		if err != nil {
			return err
		}
		return p.Connect(at)
	}}
	return &Client{policy: p, most: most, limit: limit, http: &http.Client{
		Timeout: limit,
		Transport: &http.Transport{
			DialContext: dialer.DialContext, TLSHandshakeTimeout: connectLimit, MaxResponseHeaderBytes: mostHeader,
			DisableKeepAlives: true,
		},
		CheckRedirect: func(r *http.Request, via []*http.Request) error {
			if len(via) > mostRedirects {
				return errors.New("it leads from one address to another without end")
			}
			if from := via[len(via)-1].URL; r.URL.Scheme != from.Scheme || r.URL.Host != from.Host {
				r.Header = http.Header{"User-Agent": {agent}} // no key goes along to another origin
			}
			return p.Allow(r.URL)
		},
	}}
}

// Do calls an address.
func (c *Client) Do(ctx context.Context, r Request) (Answer, error) {
	u, err := url.Parse(strings.TrimSpace(r.Address))
	if err != nil {
		return Answer{}, refused("", "%q is no address", r.Address)
	}
	if err := c.policy.Allow(u); err != nil {
		return Answer{}, refused(u.Host, "%v", err)
	}
	request, err := http.NewRequestWithContext(ctx, r.Method, u.String(), bytes.NewReader(r.Body))
	if err != nil {
		return Answer{}, refused(u.Host, "%q is no address", r.Address)
	}
	for name, values := range r.Header {
		request.Header[name] = values
	}
	request.Header.Set("User-Agent", agent)
	response, err := c.http.Do(request)
	if err != nil {
		return Answer{}, c.unanswered(ctx, u.Host, err)
	}
	defer response.Body.Close()
	body, err := io.ReadAll(io.LimitReader(response.Body, c.most+1))
	switch {
	case err != nil && ctx.Err() != nil:
		return Answer{}, context.Cause(ctx)
	case err != nil:
		return Answer{}, refused(u.Host, "%s broke off", u.Host)
	case int64(len(body)) > c.most:
		return Answer{}, refused(u.Host, "what is at %s has more than %d MB", u.Host, c.most>>20)
	}
	kind, _, _ := strings.Cut(response.Header.Get("Content-Type"), ";")
	return Answer{response.Request.URL, response.StatusCode, strings.TrimSpace(kind), body}, nil
}

// unanswered says why an address gave no answer.
func (c *Client) unanswered(ctx context.Context, host string, err error) error {
	var failed *url.Error
	var private *notPublic
	switch {
	case ctx.Err() != nil:
		return context.Cause(ctx)
	case errors.As(err, &private):
		return refused(host, "%s %v", host, private)
	case errors.As(err, &failed) && failed.Timeout():
		return refused(host, "%s did not answer within %v", host, c.limit)
	case errors.As(err, &failed):
		return refused(host, "%s cannot be reached: %v", host, innermost(failed.Err))
	}
	return refused(host, "%s cannot be reached", host)
}

// innermost strips the address and the verb that net/http wraps round errors.
func innermost(err error) error {
	for {
		inner := errors.Unwrap(err)
		if inner == nil {
			return err
		}
		err = inner
	}
}
