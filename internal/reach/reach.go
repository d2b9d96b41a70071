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
	"cmp"
	"context"
	"errors"
	"io"
	"math"
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
	// a redirect, does not get round it. name is HOST:PORT as it was asked for.
	Connect(name string, at netip.AddrPort) error
}

// Reason is why an address gave nothing.
type Reason int

// The reasons.
const (
	Forbidden Reason = iota // it may not be called
	Away                    // nobody answers there
	Slow                    // it took too long
	Broken                  // the answer broke off
	Large                   // the answer has too many bytes
)

// Refused is the error of an address that may not be called, or gave nothing.
type Refused struct {
	Host string
	Why  Reason
	What phrase.Phrase
}

func (r *Refused) Error() string { return r.What.String() }

func refused(host string, why Reason, form string, values ...any) error {
	return &Refused{host, why, phrase.Of(form, values...)}
}

// forbidden says why a policy lets nobody at an address.
func forbidden(host string, err error) error { return &Refused{host, Forbidden, phrase.OfError(err)} }

// Request is what is asked of an address.
type Request struct {
	Method  string // "": GET
	Address string
	Header  http.Header
	Body    []byte
	// Most is the most bytes of the answer; 0: the client's.
	Most int64
	// Hop is asked before every redirect is followed, after the policy; nil: nobody is.
	Hop func(*url.URL) error
}

// Answer is what an address gave.
type Answer struct {
	Address *url.URL // after redirects
	Status  int
	Type    string // its media type, as the server says, without parameters
	Header  http.Header
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
	dial := func(ctx context.Context, network, name string) (net.Conn, error) {
		dialer := &net.Dialer{Timeout: connectLimit, Control: func(_, address string, _ syscall.RawConn) error {
			at, err := netip.ParseAddrPort(address)
			if err != nil {
				return err
			}
			return p.Connect(strings.ToLower(name), at)
		}}
		return dialer.DialContext(ctx, network, name)
	}
	return &Client{policy: p, most: most, limit: limit, http: &http.Client{
		Timeout: limit,
		Transport: &http.Transport{
			DialContext: dial, TLSHandshakeTimeout: connectLimit, MaxResponseHeaderBytes: mostHeader,
			DisableKeepAlives: true,
		},
		CheckRedirect: func(r *http.Request, via []*http.Request) error {
			if len(via) > mostRedirects {
				return phrase.Errorf("it leads from one address to another without end")
			}
			if from := via[len(via)-1].URL; r.URL.Scheme != from.Scheme || r.URL.Host != from.Host {
				r.Header = http.Header{"User-Agent": {agent}} // no key goes along to another origin
			}
			if err := p.Allow(r.URL); err != nil {
				return err
			}
			if hop, asked := r.Context().Value(hopKey{}).(func(*url.URL) error); asked {
				return hop(r.URL)
			}
			return nil
		},
	}}
}

// hopKey is that of a request's Hop in its context.
type hopKey struct{}

// Do calls an address.
func (c *Client) Do(ctx context.Context, r Request) (Answer, error) {
	u, err := url.Parse(strings.TrimSpace(r.Address))
	if err != nil {
		return Answer{}, refused("", Forbidden, "%q is no address", r.Address)
	}
	if err := c.policy.Allow(u); err != nil {
		return Answer{}, forbidden(u.Host, err)
	}
	calling := ctx
	if r.Hop != nil {
		calling = context.WithValue(ctx, hopKey{}, r.Hop)
	}
	most := cmp.Or(r.Most, c.most)
	request, err := http.NewRequestWithContext(calling, r.Method, u.String(), bytes.NewReader(r.Body))
	if err != nil {
		return Answer{}, refused(u.Host, Forbidden, "%q is no address", r.Address)
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
	body, err := io.ReadAll(io.LimitReader(response.Body, most+1))
	switch {
	case err != nil && ctx.Err() != nil:
		return Answer{}, context.Cause(ctx)
	case isTimeout(err):
		return Answer{}, refused(u.Host, Slow, "%s did not answer within %d seconds", u.Host, seconds(c.limit))
	case err != nil:
		return Answer{}, refused(u.Host, Broken, "%s broke off", u.Host)
	case int64(len(body)) > most:
		return Answer{}, refused(u.Host, Large, "what is at %s has more than %d MB", u.Host, most>>20)
	}
	kind, _, _ := strings.Cut(response.Header.Get("Content-Type"), ";")
	return Answer{response.Request.URL, response.StatusCode, strings.TrimSpace(kind), response.Header, body}, nil
}

// unanswered says why an address gave no answer.
func (c *Client) unanswered(ctx context.Context, host string, err error) error {
	var failed *url.Error
	var private *notPublic
	var before *Refused
	var not *phrase.Error
	switch {
	case ctx.Err() != nil:
		return context.Cause(ctx)
	case errors.As(err, &before):
		return before
	case errors.As(err, &not):
		return forbidden(host, not)
	case errors.As(err, &private) && private.listed:
		return refused(host, Forbidden, "%s is on this machine or in a private network, which visitors cannot reach",
			host)
	case errors.As(err, &private):
		return refused(host, Forbidden, "%s is on this machine or in a private network; the owner can allow that with "+
			"start -fetch-private true", host)
	case isTimeout(err):
		return refused(host, Slow, "%s did not answer within %d seconds", host, seconds(c.limit))
	case errors.As(err, &failed):
		return refused(host, Away, "%s cannot be reached: %v", host, innermost(failed.Err))
	}
	return refused(host, Away, "%s cannot be reached", host)
}

func seconds(d time.Duration) int { return int(math.Ceil(d.Seconds())) }

func isTimeout(err error) bool {
	var timed interface{ Timeout() bool }
	return errors.As(err, &timed) && timed.Timeout()
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
