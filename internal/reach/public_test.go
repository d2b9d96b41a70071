package reach

import (
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"strings"
	"testing"
	"time"
)

func TestWhatIsPublic(t *testing.T) {
	for address, want := range map[string]bool{
		"93.184.216.34": true, "2606:2800:220:1::1": true,
		"127.0.0.1": false, "10.1.2.3": false, "192.168.0.1": false, "172.20.0.1": false, "169.254.169.254": false,
		"100.64.1.1": false,
		"0.0.0.0":    false, "224.0.0.1": false, "255.255.255.255": false, "::1": false, "fe80::1": false,
		"fc00::1": false, "::ffff:127.0.0.1": false, "64:ff9b::7f00:1": false, "::": false,
	} {
		if got := public(netip.MustParseAddr(address)); got != want {
			t.Errorf("%s: %v", address, got)
		}
	}
}

func TestFetching(t *testing.T) {
	site := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/page":
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			fmt.Fprint(w, "<p>hello")
		case "/moved":
			http.Redirect(w, r, "/page", http.StatusFound)
		case "/round":
			http.Redirect(w, r, "/round", http.StatusFound)
		case "/file":
			http.Redirect(w, r, "file:///etc/passwd", http.StatusFound)
		case "/large":
			fmt.Fprint(w, strings.Repeat("x", 3<<20))
		default:
			http.NotFound(w, r)
		}
	}))
	defer site.Close()
	f := New(Public{Private: true}, 1<<20, time.Minute)
	for path, want := range map[string]string{"/page": "", "/moved": "", "/round": "without end",
		"/file": "http:// or https://", "/large": "more than 1 MB"} {
		got, err := f.Do(t.Context(), Request{Address: site.URL + path})
		var r *Refused
		if want == "" && (err != nil || string(got.Body) != "<p>hello" || got.Type != "text/html" ||
			got.Address.Path != "/page") || want != "" &&
			(!errors.As(err, &r) || !strings.Contains(r.What.String(), want)) {
			t.Errorf("%s: %v %v", path, got, err)
		}
	}
	for address, want := range map[string]string{"ftp://x/y": "http://", "not an address": "http://",
		"http://a:b@example.org": "password", "http://": "http://"} {
		if _, err := f.Do(t.Context(), Request{Address: address}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", address, err)
		}
	}
	// Nobody gets at this machine, whatever the name that leads there.
	for _, address := range []string{site.URL + "/page", strings.Replace(site.URL, "127.0.0.1", "localhost", 1) +
		"/page"} {
		if _, err := New(Public{}, 1<<20, time.Minute).Do(t.Context(), Request{Address: address}); err == nil ||
			!strings.Contains(err.Error(), "private network") {
			t.Errorf("%s: %v", address, err)
		}
	}
}

// Named hosts may be called, and lead on to none but them.
func TestNamedHosts(t *testing.T) {
	n := Named{"hive.example", "127.0.0.1:7117"}
	for address, want := range map[string]bool{
		"http://hive.example/x": true, "https://HIVE.example:443/": true, "http://127.0.0.1:7117/": true,
		"http://hive.example:8080/": false, "http://127.0.0.1/": false, "http://other.example/": false,
		"ftp://hive.example/": false, "http://a:b@hive.example/": false,
	} {
		u, err := url.Parse(address)
		if err != nil {
			t.Fatal(err)
		}
		if got := n.Allow(u) == nil; got != want {
			t.Errorf("%s: %v", address, got)
		}
	}
}
