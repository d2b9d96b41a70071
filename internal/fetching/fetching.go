// Package fetching gets files from addresses that people type in, without
// letting them reach what only this machine or its network can.
package fetching

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"syscall"
	"time"
)

// Fetcher gets files. It is safe for concurrent use.
type Fetcher struct {
	http *http.Client
	most int64
}

// File is what an address gave.
type File struct {
	Address *url.URL // after redirects
	Type    string   // its media type, as the server says
	Body    []byte
}

// Refused is the error of an address that is not fetched, or that gave
// nothing; it is a sentence.
type Refused struct{ Sentence string }

func (r *Refused) Error() string { return r.Sentence }

func refused(format string, a ...any) error { return &Refused{fmt.Sprintf(format, a...)} }

const (
	longest       = 30 * time.Second
	mostRedirects = 5
)

// New returns a fetcher of files of so many bytes at most. private allows
// addresses of this machine and of private networks.
func New(private bool, most int64) *Fetcher {
	dialer := &net.Dialer{Timeout: 10 * time.Second}
	if !private {
		// What is looked at is the address that is connected to, after names
		// were resolved: a name that means another address the second time, or
		// a redirect, does not get round it.
		dialer.Control = func(_, address string, _ syscall.RawConn) error {
			at, err := netip.ParseAddrPort(address)
			if err != nil || !public(at.Addr()) {
				return errPrivate
			}
			return nil
		}
	}
	return &Fetcher{most: most, http: &http.Client{
		Timeout: longest,
		Transport: &http.Transport{
			DialContext: dialer.DialContext, TLSHandshakeTimeout: 10 * time.Second, ResponseHeaderTimeout: 20 * time.Second,
			MaxResponseHeaderBytes: 64 << 10, DisableKeepAlives: true,
		},
		CheckRedirect: func(r *http.Request, via []*http.Request) error {
			if len(via) > mostRedirects {
				return errors.New("it leads from one address to another without end")
			}
			return plain(r.URL)
		},
	}}
}

var errPrivate = errors.New("private address")

// notPublic are ranges that no page of the world is in, beside those that
// net/netip knows.
var notPublic = func() (all []netip.Prefix) {
	for _, p := range []string{"0.0.0.0/8", "100.64.0.0/10", "192.0.0.0/24", "192.0.2.0/24", "198.18.0.0/15", "198.51.100.0/24", "203.0.113.0/24", "240.0.0.0/4", "64:ff9b::/96", "64:ff9b:1::/48", "100::/64", "2001::/32", "2001:db8::/32", "2002::/16"} {
		all = append(all, netip.MustParsePrefix(p))
	}
	return all
}()

func public(a netip.Addr) bool {
	a = a.Unmap()
	if !a.IsGlobalUnicast() || a.IsPrivate() || a.IsLoopback() || a.IsLinkLocalUnicast() || a.Zone() != "" {
		return false
	}
	for _, p := range notPublic {
		if p.Contains(a) {
			return false
		}
	}
	return true
}

func plain(u *url.URL) error {
	if u.Scheme != "http" && u.Scheme != "https" || u.Hostname() == "" {
		return errors.New("only addresses that begin with http:// or https:// are fetched")
	}
	if u.User != nil {
		return errors.New("an address with a name and a password in it is not fetched")
	}
	return nil
}

// Get fetches an address. The error is a *Refused or the context's cause.
func (f *Fetcher) Get(ctx context.Context, address string) (File, error) {
	u, err := url.Parse(strings.TrimSpace(address))
	if err != nil {
		return File{}, refused("%q is no address", address)
	}
	if err := plain(u); err != nil {
		return File{}, refused("%s: %v", u.Redacted(), err)
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, u.String(), nil)
	if err != nil {
		return File{}, refused("%q is no address", address)
	}
	request.Header.Set("User-Agent", "Juvalogos")
	response, err := f.http.Do(request)
	if err != nil {
		var failed *url.Error
		switch {
		case ctx.Err() != nil:
			return File{}, context.Cause(ctx)
		case errors.Is(err, errPrivate):
			return File{}, refused("%s is on this machine or in a private network; the owner can allow that with start -fetch-private true", u.Host)
		case errors.As(err, &failed) && failed.Timeout():
			return File{}, refused("%s did not answer within %v", u.Host, longest)
		case errors.As(err, &failed):
			return File{}, refused("%s cannot be fetched: %v", u.Host, innermost(failed.Err))
		}
		return File{}, refused("%s cannot be fetched", u.Host)
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		return File{}, refused("%s answers %s", u.Host, response.Status)
	}
	body, err := io.ReadAll(io.LimitReader(response.Body, f.most+1))
	if err != nil {
		return File{}, refused("%s broke off", u.Host)
	}
	if int64(len(body)) > f.most {
		return File{}, refused("what is there has more than %d MB", f.most>>20)
	}
	kind, _, _ := strings.Cut(response.Header.Get("Content-Type"), ";")
	return File{response.Request.URL, strings.TrimSpace(kind), body}, nil
}

func innermost(err error) error {
	for {
		inner := errors.Unwrap(err)
		if inner == nil {
			return err
		}
		err = inner
	}
}
