package web

import (
	"net/netip"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"
)

// Where requests come from. What a header says of it is believed only of the
// proxies that whoever runs the service has named.

// address is the address that a request comes from: the peer's, or what a proxy
// that is believed says of it.
func (s *door) address(c fiber.Ctx) string {
	peer := c.RequestCtx().RemoteIP().String()
	if !s.believed(peer) {
		return peer
	}
	// Each proxy adds where it got the request from: the last one that is no proxy
	// of ours is where it came from.
	for _, hop := range slices.Backward(hops(c)) {
		at, err := netip.ParseAddr(hop)
		if err != nil {
			return peer
		}
		if peer = at.Unmap().WithZone("").String(); !s.believed(peer) {
			return peer
		}
	}
	return peer
}

// believed reports whether an address is that of a proxy that is believed.
func (s *door) believed(address string) bool {
	at, err := netip.ParseAddr(address)
	return err == nil && slices.ContainsFunc(s.proxies, func(p netip.Prefix) bool { return p.Contains(at.Unmap()) })
}

// hops are the addresses that a request has come by, as its headers say, the
// nearest last: of Forwarded (RFC 7239), else of X-Forwarded-For.
func hops(c fiber.Ctx) (all []string) {
	if elements := listIn(c, "Forwarded"); elements != nil {
		for _, e := range elements {
			all = append(all, withoutPort(parameterOf(e, "for")))
		}
		return all
	}
	for _, e := range listIn(c, fiber.HeaderXForwardedFor) {
		all = append(all, withoutPort(e))
	}
	return all
}

// listIn is a header's elements, those of all its lines.
func listIn(c fiber.Ctx, header string) (all []string) {
	for _, line := range c.Request().Header.PeekAll(header) {
		for e := range strings.SplitSeq(string(line), ",") {
			all = append(all, strings.TrimSpace(e))
		}
	}
	return all
}

// parameterOf is a parameter of an element of Forwarded; "" if it has none.
func parameterOf(element, name string) string {
	for pair := range strings.SplitSeq(element, ";") {
		if key, value, ok := strings.Cut(strings.TrimSpace(pair), "="); ok && strings.EqualFold(key, name) {
			return strings.Trim(value, `"`)
		}
	}
	return ""
}

// withoutPort is an address without the port and the brackets that it may have.
func withoutPort(text string) string {
	if at, err := netip.ParseAddrPort(text); err == nil {
		return at.Addr().String()
	}
	return strings.Trim(text, "[]")
}

// secure reports whether the browser has reached us over https, as far as we can
// know: by the proxy that is believed.
func (s *door) secure(c fiber.Ctx) bool {
	if c.RequestCtx().IsTLS() {
		return true
	}
	if !s.believed(c.RequestCtx().RemoteIP().String()) {
		return false
	}
	if elements := listIn(c, "Forwarded"); elements != nil {
		return strings.EqualFold(parameterOf(elements[0], "proto"), "https")
	}
	protocols := listIn(c, fiber.HeaderXForwardedProto)
	return len(protocols) > 0 && strings.EqualFold(protocols[0], "https")
}
