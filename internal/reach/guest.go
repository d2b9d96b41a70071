package reach

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/temoto/robotstxt"
)

// Guest is a client that keeps to what sites ask of programs: their robots.txt
// (RFC 9309), how many may ask at once, and when to come again (Retry-After). It
// remembers them for an hour. It is safe for concurrent use.
type Guest struct {
	*Client
	now func() time.Time

	mu    sync.Mutex
	hosts map[string]*host
}

// host is what is known of a site.
type host struct {
	turns chan struct{} // of those who ask at once

	mu     sync.Mutex
	rules  *robotstxt.Group // nil: everything may be asked for
	asked  time.Time        // when they were asked for; zero: not yet
	closed time.Time        // it asked not to be asked before
	last   time.Time        // asked
}

const (
	rulesFor     = time.Hour
	hostsKept    = 2000
	hostAtOnce   = 3
	mostRules    = 512 << 10
	longestDelay = 5 * time.Second  // between two questions, whatever the site asks for
	longestWait  = 8 * time.Second  // for a site that says when to come again; else it is said
	longestAway  = 10 * time.Minute // that is believed of Retry-After
)

// NewGuest makes a guest of a client; a nil now is time.Now.
func NewGuest(c *Client, now func() time.Time) *Guest {
	if now == nil {
		now = time.Now
	}
	return &Guest{Client: c, now: now, hosts: map[string]*host{}}
}

// Do calls an address as Client.Do does, if the site lets programs do so, once it
// is time. For an interface robots.txt is left out: what is made for programs to ask,
// such as a search, is asked.
func (g *Guest) Do(ctx context.Context, r Request, isInterface bool) (Answer, error) {
	u, err := url.Parse(strings.TrimSpace(r.Address))
	if err != nil {
		return Answer{}, refused("", Forbidden, "%q is no address", r.Address)
	}
	if err := g.policy.Allow(u); err != nil {
		return Answer{}, forbidden(u.Host, err)
	}
	h := g.host(u)
	if !isInterface {
		if err := g.permitted(ctx, u); err != nil {
			return Answer{}, err
		}
		r.Hop = func(to *url.URL) error { return g.permitted(ctx, to) }
	}
	select {
	case h.turns <- struct{}{}:
		defer func() { <-h.turns }()
	case <-ctx.Done():
		return Answer{}, context.Cause(ctx)
	}
	for try := 1; ; try++ {
		if err := g.pause(ctx, u, h); err != nil {
			return Answer{}, err
		}
		got, err := g.Client.Do(ctx, r)
		if err != nil || got.Status != http.StatusTooManyRequests && got.Status != http.StatusServiceUnavailable {
			return got, err
		}
		away := g.comeAgain(got.Header)
		if away == 0 {
			return got, nil
		}
		h.mu.Lock()
		h.closed = g.now().Add(away)
		h.mu.Unlock()
		if try > 2 {
			return got, nil
		}
	}
}

// host is what is known of the site of an address.
func (g *Guest) host(u *url.URL) *host {
	g.mu.Lock()
	defer g.mu.Unlock()
	key := strings.ToLower(u.Scheme + "://" + u.Host)
	h := g.hosts[key]
	if h == nil {
		if len(g.hosts) >= hostsKept {
			for k := range g.hosts { // any of them: what is asked often is soon known again
				delete(g.hosts, k)
				break
			}
		}
		h = &host{turns: make(chan struct{}, hostAtOnce)}
		g.hosts[key] = h
	}
	return h
}

// pause waits until a site may be asked. The error says when, if that is not soon.
func (g *Guest) pause(ctx context.Context, u *url.URL, h *host) error {
	h.mu.Lock()
	now := g.now()
	wait := h.closed.Sub(now)
	if wait > longestWait {
		h.mu.Unlock()
		return refused(u.Host, Slow, "%s asks programs to come again in %d seconds", u.Host, int(wait.Seconds())+1)
	}
	if h.rules != nil && h.rules.CrawlDelay > 0 {
		wait = max(wait, h.last.Add(min(h.rules.CrawlDelay, longestDelay)).Sub(now))
	}
	wait = max(wait, 0)
	h.last = now.Add(wait)
	h.mu.Unlock()
	if wait == 0 {
		return nil
	}
	select {
	case <-time.After(wait):
		return nil
	case <-ctx.Done():
		return context.Cause(ctx)
	}
}

// comeAgain is for how long a site asks to be left alone; 0: it does not say.
func (g *Guest) comeAgain(h http.Header) time.Duration {
	said := h.Get("Retry-After")
	if n, err := strconv.Atoi(strings.TrimSpace(said)); err == nil && n > 0 {
		return min(time.Duration(n)*time.Second, longestAway)
	}
	if at, err := http.ParseTime(said); err == nil && at.After(g.now()) {
		return min(at.Sub(g.now()), longestAway)
	}
	return 0
}

// permitted asks a site's robots.txt about an address.
func (g *Guest) permitted(ctx context.Context, u *url.URL) error {
	h := g.host(u)
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.asked.IsZero() || g.now().Sub(h.asked) > rulesFor {
		rules, err := g.rules(ctx, u)
		if err != nil {
			return err
		}
		h.rules, h.asked = rules, g.now()
	}
	path := u.EscapedPath()
	if u.RawQuery != "" {
		path += "?" + u.RawQuery
	}
	if path == "" {
		path = "/"
	}
	if h.rules != nil && !h.rules.Test(path) {
		return refused(u.Host, Forbidden, "%s asks programs not to read this page", u.Host)
	}
	return nil
}

// rules are what a site's robots.txt says to us; nil: everything may be read. One
// that cannot be had because the site is in trouble forbids everything (RFC 9309,
// 2.3.1.4).
func (g *Guest) rules(ctx context.Context, u *url.URL) (*robotstxt.Group, error) {
	got, err := g.Client.Do(ctx, Request{Address: u.Scheme + "://" + u.Host + "/robots.txt", Most: mostRules})
	var bad *Refused
	switch {
	case errors.As(err, &bad) && bad.Why == Large:
		return nil, refused(u.Host, Forbidden, "%s says in more than can be read what programs may read there", u.Host)
	case errors.As(err, &bad) && bad.Why == Forbidden:
		return nil, nil // it leads elsewhere, where nobody may go: it is not there
	case err != nil:
		return nil, err
	case got.Status >= 500:
		return nil, refused(u.Host, Away, "%s has trouble answering (%d)", u.Host, got.Status)
	case got.Status >= 400:
		return nil, nil
	}
	all, err := robotstxt.FromBytes(got.Body)
	if err != nil {
		return nil, nil // nothing that can be read is said
	}
	return all.FindGroup(agent), nil
}
