package reach

import (
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// What visitors may reach is what is listed; a machine in a private network only by
// the very name and port.
func TestListed(t *testing.T) {
	l, err := NewListed([]string{"Hive.example", "*.moor.example", "10.1.2.3:8080", "localhost"})
	if err != nil {
		t.Fatal(err)
	}
	for address, want := range map[string]bool{
		"http://hive.example/x": true, "https://HIVE.example:443/": true, "http://hive.example./": true,
		"http://hive.example:8080/": false, "http://old.hive.example/": false, "http://hive.example.evil/": false,
		"https://a.b.moor.example/": true, "https://moor.example/": false, "https://amoor.example/": false,
		"http://10.1.2.3:8080/": true, "http://10.1.2.3/": false, "http://10.1.2.4:8080/": false,
		"ftp://hive.example/": false, "http://a:b@hive.example/": true, "http://hive.example@evil.example/": false,
	} {
		u, err := url.Parse(address)
		if err != nil {
			t.Fatal(err)
		}
		if got := l.Allow(u) == nil; got != want {
			t.Errorf("%s: %v", address, got)
		}
	}
	for _, c := range []struct {
		name, machine string
		want          bool
	}{
		{"hive.example:80", "93.184.216.34:80", true},
		{"hive.example:80", "127.0.0.1:80", false}, // the name means another machine now
		{"hive.example:443", "169.254.169.254:443", false},
		{"localhost:80", "127.0.0.1:80", false},
		{"a.moor.example:80", "[::1]:80", false},
		{"10.1.2.3:8080", "10.1.2.3:8080", true},
		{"10.1.2.3:80", "10.1.2.3:80", false},
	} {
		if got := l.Connect(c.name, netip.MustParseAddrPort(c.machine)) == nil; got != c.want {
			t.Errorf("%s at %s: %v", c.name, c.machine, got)
		}
	}
	for _, bad := range []string{"", "http://hive.example", "hive.example/x", "*", "a b"} {
		if _, err := NewListed([]string{bad}); err == nil || !strings.Contains(err.Error(), "example.org") {
			t.Errorf("%q: %v", bad, err)
		}
	}
}

// guestAt is a guest of a site.
func guestAt(t *testing.T, h http.HandlerFunc, now func() time.Time) (*Guest, string) {
	t.Helper()
	site := httptest.NewServer(h)
	t.Cleanup(site.Close)
	l, err := NewListed([]string{strings.TrimPrefix(site.URL, "http://")})
	if err != nil {
		t.Fatal(err)
	}
	return NewGuest(New(l, 1<<20, 5*time.Second), now), site.URL
}

func TestAGuestKeepsToRobots(t *testing.T) {
	var asked atomic.Int64
	g, at := guestAt(t, func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/robots.txt":
			asked.Add(1)
			fmt.Fprint(w,
				"User-agent: *\nDisallow: /all\n\nUser-agent: juvalogos\nDisallow: /private\nDisallow: /*?id=\n")
		case "/leads":
			http.Redirect(w, r, "/private/x", http.StatusFound)
		default:
			fmt.Fprint(w, "hello")
		}
	}, nil)
	for path, allowed := range map[string]bool{"/open": true, "/all": true, "/private": false, "/private/x": false,
		"/leads": false, "/open?id=4": false, "/": true} {
		_, err := g.Do(t.Context(), Request{Address: at + path}, false)
		var r *Refused
		if allowed && err != nil || !allowed && (!errors.As(err, &r) ||
			!strings.Contains(r.What.String(), "asks programs not to")) {
			t.Errorf("%s: %v", path, err)
		}
	}
	if n := asked.Load(); n != 1 {
		t.Errorf("robots.txt was asked for %d times", n)
	}
	if _, err := g.Do(t.Context(), Request{Address: at + "/private/api"}, true); err != nil {
		t.Errorf("an interface: %v", err)
	}
}

// A site whose robots.txt cannot be had is left alone; one without one is not.
func TestRobotsThatCannotBeHad(t *testing.T) {
	for status, allowed := range map[int]bool{404: true, 403: true, 500: false, 503: false} {
		g, at := guestAt(t, func(w http.ResponseWriter, r *http.Request) {
			if r.URL.Path == "/robots.txt" {
				w.WriteHeader(status)
			}
		}, nil)
		if _, err := g.Do(t.Context(), Request{Address: at + "/x"}, false); (err == nil) != allowed {
			t.Errorf("%d: %v", status, err)
		}
	}
}

// Who asks to come again later is asked later: after a little while in the same call,
// after a longer one not before it is over.
func TestRetryAfter(t *testing.T) {
	var mu sync.Mutex
	ahead := time.Duration(0)
	now := func() time.Time { mu.Lock(); defer mu.Unlock(); return time.Now().Add(ahead) }
	var wait atomic.Int64
	var asked atomic.Int64
	g, at := guestAt(t, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/robots.txt" {
			http.NotFound(w, r)
			return
		}
		if asked.Add(1); wait.Load() > 0 {
			w.Header().Set("Retry-After", fmt.Sprint(wait.Swap(0)))
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		fmt.Fprint(w, "hello")
	}, now)
	wait.Store(1)
	began := time.Now()
	got, err := g.Do(t.Context(), Request{Address: at + "/x"}, false)
	if err != nil || got.Status != 200 || time.Since(began) < 900*time.Millisecond {
		t.Errorf("after a second: %d, %v, in %v", got.Status, err, time.Since(began))
	}
	wait.Store(300)
	asked.Store(0)
	for range 3 {
		var r *Refused
		if _, err := g.Do(t.Context(), Request{Address: at + "/x"}, false); !errors.As(err, &r) || r.Why != Slow ||
			!strings.Contains(r.What.String(), "come again in") {
			t.Errorf("after five minutes: %v", err)
		}
	}
	if n := asked.Load(); n != 1 {
		t.Errorf("it was asked %d times", n)
	}
	mu.Lock()
	ahead = 6 * time.Minute
	mu.Unlock()
	if got, err := g.Do(t.Context(), Request{Address: at + "/x"}, false); err != nil || string(got.Body) != "hello" {
		t.Errorf("then: %v", err)
	}
}

// Not more than a few ask one site at once, however many want to.
func TestAFewAtOnce(t *testing.T) {
	var there, most atomic.Int64
	g, at := guestAt(t, func(w http.ResponseWriter, r *http.Request) {
		if n := there.Add(1); n > most.Load() {
			most.Store(n)
		}
		time.Sleep(20 * time.Millisecond)
		there.Add(-1)
	}, nil)
	var all sync.WaitGroup
	for i := range 30 {
		all.Go(func() {
			if _, err := g.Do(t.Context(), Request{Address: fmt.Sprintf("%s/%d", at, i)}, false); err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	if n := most.Load(); n > hostAtOnce || n < 2 {
		t.Errorf("%d at once", n)
	}
}
