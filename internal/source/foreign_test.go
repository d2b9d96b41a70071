package source

import (
	"encoding/xml"
	"net/url"
	"strings"
	"testing"

	"juvalogos/internal/reach"
)

// Whatever a site sends for a sitemap, a feed or a page that names its captions:
// addresses come of it, or nothing.
func FuzzSites(f *testing.F) {
	f.Add([]byte(`<urlset><url><loc>http://vale.invalid/a</loc></url></urlset>`))
	f.Add([]byte(`<video><track kind="captions" src="a.vtt"></video>`))
	f.Add([]byte(`<feed><entry><id>http://x/</id><title>T</title><link rel="alternate" href="/a"/></entry></feed>`))
	base := &url.URL{Scheme: "http", Host: "vale.invalid", Path: "/x"}
	f.Fuzz(func(t *testing.T, body []byte) {
		for _, page := range sitemap(body) {
			if strings.TrimSpace(page) == "" {
				t.Error("an empty address")
			}
		}
		got := reach.Answer{Address: base, Status: 200, Type: "text/html", Body: body}
		if address, _ := captionsOf(got); address != "" {
			if u, err := url.Parse(address); err != nil || u.Host == "" {
				t.Errorf("captions at %q", address)
			}
		}
		if name := nameOf(got); name == "" {
			t.Error("a page without a name")
		}
		var e entry
		if xml.Unmarshal(body, &e) == nil {
			e.places(base)
			e.about("T")
		}
		filled(string(body), "bees", 5)
		resolved(base, string(body))
	})
}
