package source_test

import (
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"juvalogos/internal/reach"
	"juvalogos/internal/source"
)

// site serves pages by their paths, and sources that reach it.
func site(t *testing.T, pages map[string]string) (address string, s *source.Sources) {
	t.Helper()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, is := pages[r.URL.Path]
		if !is {
			http.NotFound(w, r)
			return
		}
		kind := "text/html; charset=utf-8"
		if strings.HasSuffix(r.URL.Path, ".xml") {
			kind = "application/xml"
		}
		w.Header().Set("Content-Type", kind)
		fmt.Fprint(w, strings.ReplaceAll(body, "HOST", "http://"+r.Host))
	}))
	t.Cleanup(server.Close)
	return server.URL, source.New(reach.New(reach.Public{Private: true}, 1<<20, 5*time.Second))
}

func gather(into *[]source.Item) source.Take {
	return func(i source.Item) error {
		*into = append(*into, i)
		return nil
	}
}

func TestAPageComesAlone(t *testing.T) {
	address, s := site(t, map[string]string{"/swarm": "<title>Swarms</title><p>They leave in May.</p>"})
	var got []source.Item
	if err := s.Address(t.Context(), address+"/swarm", gather(&got)); err != nil {
		t.Fatal(err)
	}
	if len(got) != 1 || !strings.Contains(string(got[0].Body), "in May") || got[0].Address != address+"/swarm" {
		t.Errorf("got %+v", got)
	}
}

// Of a sitemap every page comes, and one that fails says why while the others
// are brought.
func TestASitemapBringsItsPages(t *testing.T) {
	address, s := site(t, map[string]string{
		"/sitemap.xml": `<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">
			<url><loc>HOST/a</loc></url><url><loc>HOST/gone</loc></url><url><loc>HOST/b</loc></url></urlset>`,
		"/a": "<p>Alder</p>", "/b": "<p>Birch</p>",
	})
	var got []source.Item
	if err := s.Address(t.Context(), address+"/sitemap.xml", gather(&got)); err != nil {
		t.Fatal(err)
	}
	bodies, problems := 0, 0
	for _, i := range got {
		if !i.Problem.IsZero() {
			problems++
			if !strings.Contains(i.Problem.String(), "404") || !strings.Contains(i.Name, "gone") {
				t.Errorf("%s: %s", i.Name, i.Problem)
			}
		} else if len(i.Body) > 0 {
			bodies++
		}
	}
	if bodies != 2 || problems != 1 {
		t.Errorf("%d came, %d did not: %+v", bodies, problems, got)
	}
}

// What the caller got wrong is a sentence; what the taker does not want ends
// the bringing.
func TestMistakes(t *testing.T) {
	address, s := site(t, map[string]string{"/a": "<p>Alder</p>"})
	var mistake *source.Mistake
	for _, bad := range []string{address + "/nothing", "ftp://example.org/a", "nonsense", ""} {
		if err := s.Address(t.Context(), bad, gather(new([]source.Item))); !errors.As(err, &mistake) ||
			mistake.What.IsZero() {
			t.Errorf("%q: %v", bad, err)
		}
	}
	full := errors.New("the shelf is full")
	if err := s.Address(t.Context(), address+"/a", func(source.Item) error { return full }); !errors.Is(err, full) {
		t.Errorf("got %v", err)
	}
	closed := source.New(reach.New(reach.Public{}, 1<<20, time.Second))
	if err := closed.Address(t.Context(), address+"/a", gather(new([]source.Item))); !errors.As(err, &mistake) {
		t.Errorf("a private address was reached: %v", err)
	}
}

// What a page shows at a glance tells whether there is anything to read.
func TestWhatIsWorthReading(t *testing.T) {
	long := strings.Repeat("word ", 80)
	for page, says := range map[string]string{
		"<title>A</title><p>We are closed today, because of the fair.<script>count()</script>": "",
		"<title>A</title><div id=app></div><script src=a.js></script>": "a " +
			"program in the page",
		"<title>A</title><noscript>Switch on scripts</noscript><p>Loading, please wait a little<script>x": "a " +
			"program in the page",
		"<title>A</title><p>" + long + "<form><input type=password></form>":    "",
		"<title>A</title><p>Please sign in.<form><input TYPE=Password></form>": "sign in",
		"<title>A</title><body> ": "no text on the page",
		"  \n ":                   "is empty",
	} {
		address, _ := site(t, map[string]string{"/a": page})
		hosts, err := reach.NewListed([]string{strings.TrimPrefix(address, "http://")})
		if err != nil {
			t.Fatal(err)
		}
		s := source.ForGuests(reach.NewGuest(reach.New(hosts, 1<<20, 5*time.Second), nil))
		look, err := s.LookAtAddress(t.Context(), address+"/a", 5, func(string) (string, time.Time, bool) {
			return "", time.Time{}, false
		})
		if says == "" && (err != nil || len(look.Works) != 1 || look.Works[0].Name != "A") ||
			says != "" && (err == nil || !strings.Contains(err.Error(), says)) {
			t.Errorf("%q: %+v, %v", page, look, err)
		}
	}
}

// An index of sitemaps leads to their pages, of its own host, up to a bound; what is
// beyond is counted.
func TestAnIndexOfSitemaps(t *testing.T) {
	address, _ := site(t, map[string]string{
		"/index.xml": `<sitemapindex><sitemap><loc>HOST/one.xml</loc></sitemap>
			<sitemap><loc>http://elsewhere.example/x.xml</loc></sitemap><sitemap><loc>HOST/two.xml</loc></sitemap></sitemapindex>`,
		"/one.xml": "<urlset><url><loc>HOST/a</loc></url><url><loc>http://elsewhere.example/b</loc></url></urlset>",
		"/two.xml": "<urlset><url><loc>HOST/c</loc></url><url><loc>HOST/d</loc></url></urlset>",
		"/a":       "<p>Alder",
	})
	hosts, err := reach.NewListed([]string{strings.TrimPrefix(address, "http://")})
	if err != nil {
		t.Fatal(err)
	}
	s := source.ForGuests(reach.NewGuest(reach.New(hosts, 1<<20, 5*time.Second), nil))
	none := func(string) (string, time.Time, bool) { return "", time.Time{}, false }
	look, err := s.LookAtAddress(t.Context(), address+"/index.xml", 2, none)
	if err != nil || len(look.Works) != 2 || look.Works[1].Address != address+"/c" || look.LeftOut != 1 {
		t.Errorf("%+v, %v", look, err)
	}
}
