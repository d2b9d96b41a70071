package reach

import (
	"fmt"
	"net"
	"net/netip"
	"net/url"
	"strings"
)

// Named goes to hosts that the owner has named, wherever they are: HOST for the
// usual ports, or HOST:PORT.
type Named []string

// Allow lets addresses on the named hosts through.
func (n Named) Allow(u *url.URL) error {
	if err := plain(u); err != nil {
		return err
	}
	host, port := strings.ToLower(u.Hostname()), u.Port()
	usual := port == "" || u.Scheme == "http" && port == "80" || u.Scheme == "https" && port == "443"
	for _, h := range n {
		if h = strings.ToLower(h); h == host && usual || h == net.JoinHostPort(host, port) {
			return nil
		}
	}
	return fmt.Errorf("%s may not be called; the service is started with the hosts that may (-reach)", u.Host)
}

// Connect lets every machine through: the name was allowed.
func (Named) Connect(string, netip.AddrPort) error { return nil }
