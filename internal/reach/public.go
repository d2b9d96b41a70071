package reach

import (
	"net/netip"
	"net/url"

	"juvalogos/core/phrase"
)

// Public goes to pages of the world, and not to what only this machine or its
// network can reach.
type Public struct {
	// Private allows this machine and private networks too.
	Private bool
}

// Allow lets plain addresses of the web through.
func (Public) Allow(u *url.URL) error { return plain(u) }

// Connect refuses machines that are not public.
func (p Public) Connect(_ string, at netip.AddrPort) error {
	if !p.Private && !public(at.Addr()) {
		return &notPublic{}
	}
	return nil
}

// notPublic is the error of a machine that is not.
type notPublic struct{ listed bool } // by a list for visitors

func (n *notPublic) Error() string {
	return "is on this machine or in a private network; the owner can allow that with start -fetch-private true"
}

// outsideOfPublic are ranges that no page of the world is in, beside those that
// net/netip knows.
var outsideOfPublic = func() (all []netip.Prefix) {
	for _, p := range []string{"0.0.0.0/8", "100.64.0.0/10", "192.0.0.0/24", "192.0.2.0/24", "198.18.0.0/15",
		"198.51.100.0/24", "203.0.113.0/24", "240.0.0.0/4", "64:ff9b::/96", "64:ff9b:1::/48", "100::/64", "2001::/32",
		"2001:db8::/32", "2002::/16"} {
		all = append(all, netip.MustParsePrefix(p))
	}
	return all
}()

func public(a netip.Addr) bool {
	a = a.Unmap()
	if !a.IsGlobalUnicast() || a.IsPrivate() || a.IsLoopback() || a.IsLinkLocalUnicast() || a.Zone() != "" {
		return false
	}
	for _, p := range outsideOfPublic {
		if p.Contains(a) {
			return false
		}
	}
	return true
}

func plain(u *url.URL) error {
	if u.Scheme != "http" && u.Scheme != "https" || u.Hostname() == "" {
		return phrase.Errorf("only addresses that begin with http:// or https:// are fetched")
	}
	if u.User != nil {
		return phrase.Errorf("an address with a name and a password in it is not fetched")
	}
	return nil
}
