package reach

import (
	"fmt"
	"net"
	"net/netip"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"juvalogos/core/phrase"
)

// Listed goes where an owner lets visitors go: to hosts that are listed as HOST or
// as *.HOST, which is every name below it, on the usual ports and on public
// machines only; and to those listed as HOST:PORT, wherever they are. An address
// may have a name and a password in it, which are sent to its own host alone.
type Listed []string

// listable is what a list may have: HOST, *.HOST or HOST:PORT.
var listable = regexp.MustCompile(`^(\*\.)?[\pL\pN_-]+(\.[\pL\pN_-]+)*\.?$|^[\pL\pN_-]+(\.[\pL\pN_-]+)*:[0-9]{1,5}$`)

// NewListed reads such a list. It fails on an entry that is no host.
func NewListed(entries []string) (Listed, error) {
	var all Listed
	for _, e := range entries {
		e = strings.ToLower(strings.TrimSpace(e))
		if !listable.MatchString(e) {
			if _, err := netip.ParseAddrPort(e); err != nil {
				return nil, fmt.Errorf("%q is no host; write one like example.org, *.example.org or 10.1.2.3:8080", e)
			}
		}
		all = append(all, e)
	}
	return all, nil
}

// Allow lets addresses on the listed hosts through.
func (l Listed) Allow(u *url.URL) error {
	plainly := *u
	plainly.User = nil // whoever brings a name and a password means to
	if err := plain(&plainly); err != nil {
		return err
	}
	host, port := strings.TrimSuffix(strings.ToLower(u.Hostname()), "."), u.Port()
	if port == "" {
		port = map[string]string{"http": "80", "https": "443"}[u.Scheme]
	}
	usual := u.Scheme == "http" && port == "80" || u.Scheme == "https" && port == "443"
	for _, h := range l {
		below, isBelow := strings.CutPrefix(h, "*")
		if h == net.JoinHostPort(host, port) || usual && (h == host || isBelow && strings.HasSuffix(host, below)) {
			return nil
		}
	}
	return phrase.Errorf("%s is not among the places that this desk may read from", u.Host)
}

// Connect refuses machines that are not public, but for those that were listed
// with their port.
func (l Listed) Connect(name string, at netip.AddrPort) error {
	if public(at.Addr()) || slices.Contains(l, name) {
		return nil
	}
	return &notPublic{listed: true}
}
