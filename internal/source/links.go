package source

import (
	"bytes"
	"context"
	"fmt"
	"net/url"
	"strings"

	"golang.org/x/net/html"
)

// mostHead is how much of a page is looked through for what it links to.
const mostHead = 512 << 10

// linked is an address, or where the page at that address says that something
// is: <link rel=REL type=KIND href=...>. Its query is left out.
func (s *Sources) linked(ctx context.Context, address, rel, kind string) (*url.URL, error) {
	u, err := url.Parse(strings.TrimSpace(address))
	if err != nil || u.Host == "" {
		return nil, misplaced("%q is no address", address)
	}
	if strings.HasSuffix(u.Path, ".php") || strings.HasSuffix(u.Path, ".xml") ||
		strings.Contains(u.RawQuery, "{searchTerms}") {
		return u, nil
	}
	got, err := s.askInterface(ctx, address)
	if err != nil {
		return nil, err
	}
	if got.Type != "text/html" {
		return got.Address, nil
	}
	root, err := html.Parse(bytes.NewReader(got.Body[:min(len(got.Body), mostHead)]))
	if err != nil {
		return nil, fmt.Errorf("read %s: %w", address, err)
	}
	for n := range root.Descendants() {
		if n.Type != html.ElementNode || n.Data != "link" {
			continue
		}
		said := map[string]string{}
		for _, a := range n.Attr {
			said[a.Key] = a.Val
		}
		if strings.EqualFold(said["rel"], rel) && said["type"] == kind {
			if at, err := got.Address.Parse(said["href"]); err == nil {
				if rel == "EditURI" {
					at.RawQuery = ""
				}
				return at, nil
			}
		}
	}
	return nil, misplaced("the page at %s does not say where that can be asked for; give the address itself", u.Host)
}
