package errand_test

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/limits"
	"juvalogos/internal/testbed"
)

// hostile is a site that does all it can to harm whoever reads it, and another one
// that nobody may reach.
func hostile(t *testing.T, more []limits.Limit) (at string, reached *atomic.Int64, b *testbed.Bed) {
	t.Helper()
	reached = new(atomic.Int64)
	inside := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		reached.Add(1)
		fmt.Fprint(w, "<title>Inside</title><p>What only this network may read, such as the keys of the hives.</p>")
	}))
	t.Cleanup(inside.Close)
	insidePort := inside.URL[strings.LastIndexByte(inside.URL, ':'):]
	var bomb bytes.Buffer
	z := gzip.NewWriter(&bomb)
	for range 1 << 10 {
		_, _ = z.Write(make([]byte, 1<<20))
	}
	_ = z.Close()
	long := strings.Repeat("word ", 30)
	site := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		page := func(body string) {
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, body)
		}
		switch path := r.URL.Path; {
		case path == "/in":
			http.Redirect(w, r, inside.URL+"/", http.StatusFound)
		case path == "/in-by-name":
			http.Redirect(w, r, "http://localhost"+insidePort+"/", http.StatusMovedPermanently)
		case path == "/in-six":
			http.Redirect(w, r, "http://[::ffff:127.0.0.1]"+insidePort+"/", http.StatusTemporaryRedirect)
		case path == "/in-number":
			http.Redirect(w, r, "http://2130706433"+insidePort+"/", http.StatusFound)
		case path == "/file":
			http.Redirect(w, r, "file:///etc/passwd", http.StatusFound)
		case path == "/round":
			http.Redirect(w, r, "/round", http.StatusFound)
		case path == "/captions":
			page(`<title>Talk</title><video><track kind="captions" src="` + inside.URL + `/x.vtt"></video>` + long)
		case path == "/canonical":
			page(`<title>C</title><link rel="canonical" href="` + inside.URL + `/"><p>` + long)
		case path == "/sitemap.xml":
			fmt.Fprintf(w, "<urlset><url><loc>%s/</loc></url><url><loc>http://%s/page/1</loc></url></urlset>",
				inside.URL, r.Host)
		case path == "/bomb":
			w.Header().Set("Content-Encoding", "gzip")
			w.Header().Set("Content-Type", "text/html")
			_, _ = w.Write(bomb.Bytes())
		case path == "/endless":
			w.Header().Set("Content-Type", "text/html")
			for {
				if _, err := fmt.Fprint(w, strings.Repeat("<p>more and more", 100)); err != nil {
					return
				}
			}
		case path == "/drip":
			w.Header().Set("Content-Type", "text/html")
			for {
				if _, err := fmt.Fprint(w, "x"); err != nil {
					return
				}
				w.(http.Flusher).Flush()
				select {
				case <-time.After(100 * time.Millisecond):
				case <-r.Context().Done():
					return
				}
			}
		case path == "/header":
			w.Header().Set("X-Long", strings.Repeat("x", 1<<20))
		case path == "/deep":
			page("<title>Deep</title>" + strings.Repeat("<div>", 200_000) + long)
		case path == "/script":
			page(`<title><script>alert(1)</script></title><p onclick="alert(1)">` + long + `<a href="javascript:alert(1)">x</a>`)
		case path == "/mine":
			w.Header().Set("Cache-Control", "private, max-age=60")
			page("<title>Mine</title><p>" + long)
		case strings.HasPrefix(path, "/page/"):
			page("<title>Page " + path + "</title><p>" + long + path)
		default:
			http.NotFound(w, r)
		}
	}))
	t.Cleanup(site.Close)
	b = testbed.New(t, testbed.Options{Visit: []string{strings.TrimPrefix(site.URL, "http://")}, Limits: more})
	publish(t, b, "slug: open\ntitle: Open\npurpose: Reads anything.\nmodel: thyme-mini\n"+
		"bring: {addresses: true, most: 5}\n")
	return site.URL, reached, b
}

// Nothing that a visitor names leads to what only this machine or its network may
// reach, and nothing takes more than it may.
func TestHostileAddresses(t *testing.T) {
	at, reached, b := hostile(t, nil)
	for path, says := range map[string]string{
		"/in": "not among the places", "/in-by-name": "not among the places", "/in-six": "not among the places",
		"/in-number": "not among the places", "/file": "http:// or https://", "/round": "without end",
		"/captions": "not among the places", "/bomb": "more than 10 MB", "/endless": "more than 10 MB",
		"/drip": "did not answer within", "/header": "cannot be reached",
	} {
		e := bring(t, b.Client, "open", "", api.Wish{About: at + path})
		if e.State != "failed" || !strings.Contains(e.Problem, says) || len(e.Works) != 0 {
			t.Errorf("%s: %s %q %+v", path, e.State, e.Problem, e.Works)
		}
	}
	if e := bring(t, b.Client, "open", "", api.Wish{About: at + "/sitemap.xml"}); e.Brought != 1 || len(e.Works) != 1 {
		t.Errorf("a sitemap that leads inside: %+v", e)
	}
	// A page does not pass for another host's.
	if e := bring(t, b.Client, "open", "", api.Wish{About: at + "/canonical"}); e.State != "ready" ||
		e.Works[0].Address != at+"/canonical" {
		t.Errorf("canonical: %+v", e)
	}
	for _, path := range []string{"/deep", "/script"} {
		e := bring(t, b.Client, "open", "", api.Wish{About: at + path})
		if len(e.Works) != 1 {
			t.Errorf("%s: %+v", path, e)
		}
		for _, w := range e.Works {
			if w.Address != at+path {
				t.Errorf("%s: a link to %q", path, w.Address)
			}
		}
	}
	// What is answered as private is kept for whoever brought it, and for nobody else.
	other := visitor(t, b, "other")
	for i, c := range []struct {
		who  *client.Client
		kept int
	}{{b.Client, 0}, {b.Client, 1}, {other, 0}, {other, 1}} {
		if e := bring(t, c.who, "open", "", api.Wish{About: at + "/mine"}); e.State != "ready" || e.Kept != c.kept {
			t.Errorf("private, %d: %+v", i, e)
		}
	}
	if n := reached.Load(); n != 0 {
		t.Errorf("what is inside was reached %d times", n)
	}
}

// Thousands of addresses from one visitor are refused from some on, and another
// visitor is served meanwhile.
func TestThousandsOfAddressesFromOneVisitor(t *testing.T) {
	at, _, b := hostile(t, limits.Defaults)
	greedy := visitor(t, b, "greedy")
	jar := newVisitor(t, b)
	var refused, taken atomic.Int64
	var all sync.WaitGroup
	for n := range 8 {
		all.Go(func() {
			for i := range 150 {
				status := jar.bring(t, fmt.Sprintf("%s/page/%d-%d", at, n, i))
				if status == http.StatusTooManyRequests {
					refused.Add(1)
				} else if status == http.StatusAccepted {
					taken.Add(1)
				}
			}
		})
	}
	e := bring(t, greedy, "open", "", api.Wish{About: at + "/page/mine"})
	if e.State != "ready" {
		t.Errorf("somebody else meanwhile: %+v", e)
	}
	all.Wait()
	if taken.Load() > 60 || refused.Load() < 1000 {
		t.Errorf("%d were taken, %d refused", taken.Load(), refused.Load())
	}
}

// browser is a visitor with a cookie, as a page has.
type browser struct {
	http *http.Client
	at   string
}

func newVisitor(t *testing.T, b *testbed.Bed) *browser {
	t.Helper()
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	v := &browser{http: &http.Client{Jar: jar}, at: b.Address}
	answer, err := v.http.Get(b.Address + "/api/at/open")
	if err != nil {
		t.Fatal(err)
	}
	answer.Body.Close()
	v.bring(t, "http://nowhere.example/")
	return v
}

// bring has an address brought into a new conversation, and returns the status.
func (v *browser) bring(t *testing.T, address string) int {
	r, err := http.NewRequestWithContext(t.Context(), "POST", v.at+"/api/at/open/errands",
		strings.NewReader(fmt.Sprintf(`{"kind": "address", "about": %q}`, address)))
	if err != nil {
		t.Error(err)
		return 0
	}
	r.Header.Set("Content-Type", "application/json")
	answer, err := v.http.Do(r)
	if err != nil {
		t.Error(err)
		return 0
	}
	answer.Body.Close()
	return answer.StatusCode
}

// What a site says of itself is bounded before it is put on record, whatever signs are
// in it; and what a visitor writes is.
func TestWordsThatAttack(t *testing.T) {
	long := strings.Repeat("very long ", 200_000)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch q := r.URL.Query(); {
		case r.URL.Path == "/title":
			w.Header().Set("Content-Type", "text/html")
			w.Header().Set("ETag", `"`+strings.Repeat("e", 20_000)+`"`)
			fmt.Fprint(w, "<title>\x00 \x1b[31m"+long+"</title><p>"+strings.Repeat("word ", 40))
		case r.URL.Path == "/canonical":
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, `<title>T</title><link rel=canonical href="/`+strings.Repeat("x", 50_000)+`"><p>`+
				strings.Repeat("word ", 40))
		case q.Get("action") == "parse":
			fmt.Fprintf(w, `{"parse": {"title": "Many", "text": %q}}`, strings.Repeat(`<li><a title="`+long[:4000]+`">x</a> `+
				long[:4000], 300))
		case q.Get("titles") == "Many":
			fmt.Fprint(w, `{"query": {"pages": [{"title": "Many", "canonicalurl": "http://x/", "pageprops": {"disambiguation": ""}}]}}`)
		case q.Get("titles") == "Script":
			fmt.Fprint(w, `{"query": {"pages": [{"title": "Script\u0000", "canonicalurl": "javascript:alert(1)"}]}}`)
		case q.Get("titles") == "Wrong":
			fmt.Fprint(w, `{"error": {"info": "the database is on fire"}}`)
		case q.Get("titles") == "Broken":
			fmt.Fprint(w, `[[[[[[`)
		default:
			http.NotFound(w, r)
		}
	}))
	t.Cleanup(server.Close)
	b := testbed.New(t, testbed.Options{Visit: []string{strings.TrimPrefix(server.URL, "http://")}})
	publish(t, b, "slug: open\ntitle: Open\npurpose: Reads anything.\nmodel: thyme-mini\nbring:\n  addresses: true\n"+
		"  sources: [{kind: encyclopedia, title: E, address: "+server.URL+"/w/api.php}]\n")
	e := bring(t, b.Client, "open", "", api.Wish{About: server.URL + "/title"})
	if e.State != "ready" || len(e.Works) != 1 || len([]rune(e.Works[0].Name)) > 300 {
		t.Errorf("a long title: %s %q", e.State, e.Problem)
	}
	if e := bring(t, b.Client, "open", "", api.Wish{About: server.URL + "/canonical"}); e.State != "failed" ||
		!strings.Contains(e.Problem, "too long") {
		t.Errorf("a long address: %s %q", e.State, e.Problem)
	}
	if e := bring(t, b.Client, "open", "", api.Wish{About: "Many"}); e.State != "choose" || len(e.Meanings) > 12 ||
		len(e.Meanings[0].Title) > 300 {
		t.Errorf("many meanings: %s, %d", e.State, len(e.Meanings))
	}
	for _, about := range []string{"Script", "Wrong", "Broken"} {
		e := bring(t, b.Client, "open", "", api.Wish{About: about})
		if e.State != "failed" || strings.Contains(e.Problem, "fire") || strings.Contains(e.Problem, "MediaWiki") {
			t.Errorf("%s: %s %q", about, e.State, e.Problem)
		}
	}
	for _, about := range []string{strings.Repeat("x", 400), "http://x/" + strings.Repeat("y", 3000)} {
		if e, err := b.Client.Bring(t.Context(), "open", "", api.Wish{About: about}); err == nil {
			t.Errorf("%d letters were taken: %+v", len(about), e)
		}
	}
	if _, err := b.Client.Bring(t.Context(), "open", "", api.Wish{About: "a\x00b\xff \n c"}); err != nil {
		t.Errorf("signs that are none: %v", err)
	}
}
