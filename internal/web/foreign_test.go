package web

import (
	"encoding/json"
	"net/netip"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/valyala/fasthttp"

	"juvalogos/internal/api"
)

// Whatever headers say of where a request comes from: it is an address, and never one
// that is a proxy's as long as another is named.
func FuzzForwarded(f *testing.F) {
	f.Add("192.0.2.1, 10.0.0.1", `for=192.0.2.1;proto=https, for="[2001:db8::1]:80"`)
	f.Add("", `for="`)
	s, err := New(Options{Console: fstest.MapFS{"index.html": {Data: []byte(fillMark)}},
		Proxies: []netip.Prefix{netip.MustParsePrefix("0.0.0.0/0")}})
	if err != nil {
		f.Fatal(err)
	}
	f.Fuzz(func(t *testing.T, forwardedFor, forwarded string) {
		var r fasthttp.RequestCtx
		r.Request.Header.Set("X-Forwarded-For", forwardedFor)
		if forwarded != "" {
			r.Request.Header.Set("Forwarded", forwarded)
		}
		c := s.app.AcquireCtx(&r)
		defer s.app.ReleaseCtx(c)
		if at := s.address(c); at == "" || strings.ContainsAny(at, " ,;\"") {
			t.Errorf("%q and %q: %q", forwardedFor, forwarded, at)
		} else if _, err := netip.ParseAddr(at); err != nil {
			t.Errorf("%q and %q: %q is no address", forwardedFor, forwarded, at)
		}
		s.secure(c)
	})
}

// Whatever a program sends as a conversation is sorted or refused.
func FuzzCompletionRequest(f *testing.F) {
	f.Add([]byte(`{"model":"m","messages":[{"role":"user","content":[{"type":"text","text":"x"}]}],"stop":["a"]}`))
	f.Fuzz(func(t *testing.T, body []byte) {
		var b api.CompletionRequest
		if json.Unmarshal(body, &b) != nil {
			return
		}
		question, supplied, _, err := questionOf(b)
		if err == nil && (strings.TrimSpace(question) == "" || supplied == nil) {
			t.Errorf("%s gives no question", body)
		}
		resumeAt(string(body), 1)
		harmless(string(body))
	})
}
