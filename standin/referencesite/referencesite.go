// Package referencesite is a small simulated reference site for demos and
// tests. All of it is made up. It plays an encyclopedia that speaks the
// MediaWiki action API, a paper repository that answers OpenSearch with Atom,
// and a page with a recorded talk and its captions.
package referencesite

import (
	"cmp"
	"embed"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"hash/crc32"
	"html"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

//go:embed articles papers sounds talk.vtt
var files embed.FS

// redirects are other names of articles.
var redirects = map[string]string{"Ling honey": "Heather honey", "Bell honey": "Heather honey",
	"Greater wax moth": "Wax moth", "Larch mating station": "Larch Hill", "Egg hive": "Sun hive",
	"Bee ball": "Winter cluster", "Straw hive of the Alder Vale": "Alder skep"}

// ambiguous are pages that tell of several meanings.
var ambiguous = map[string]bool{"Cluster": true}

// Paper is one of the repository's.
type Paper struct {
	Number                    int
	Title, Summary, Published string
	Authors                   []string
}

// Papers are all of them.
var Papers = append([]Paper{
	{1, "Listening to the winter cluster: hum frequency and survival in 214 colonies",
		"We recorded the hum of 214 colonies in the Alder Vale during three winters. Colonies whose hum stayed " +
			"between 190 and 230 hertz survived in 93 percent of cases; a moaning above 300 hertz came before the " +
			"loss of the queen.", "2024-03-11T09:00:00Z", []string{"Ilse Marrow", "Teodor Quill"}},
	{2, "Drone brood removal as a varroa treatment: a two-year comparison",
		"In 60 colonies over two years we compared the removal of drone brood with no treatment before August. " +
			"Removal every 21 days halved the mite load in July, but did not replace the treatment with formic acid.",
		"2025-10-02T09:00:00Z", []string{"Anneke Holm"}},
	{3, "How far do bees fly for heather? Waggle dances on the moor",
		"We decoded 1,180 waggle dances of six colonies. The median distance to heather was 1.4 kilometres; on the " +
			"best days bees flew up to 5.2 kilometres.", "2026-01-20T09:00:00Z", []string{"Bram Adair", "Ilse Marrow"}},
}, pollen()...)

// Broken is the number of the paper whose file is broken.
const Broken = 17

// Site is the site, with what a test may change about it. It is safe for concurrent
// use.
type Site struct {
	// Nap is for how long the slow page sleeps; 0: four seconds.
	Nap    time.Duration
	prefix string
	mux    *http.ServeMux

	mu      sync.Mutex
	changed map[string]string
	asked   map[string]int
}

// New returns a site below prefix, like "/reference". Its robots.txt is at the root.
func New(prefix string) *Site {
	s := &Site{prefix: prefix, mux: http.NewServeMux(), changed: map[string]string{}, asked: map[string]int{}}
	for path, h := range map[string]http.HandlerFunc{
		"/{$}": s.front, "/w/api.php": s.api, "/wiki/{title}": s.page, "/opensearch.xml": s.description,
		"/search": s.search, "/papers/{file}": s.paper, "/talk": s.talk, "/talk.vtt": s.captions,
		"/moved": s.moved, "/app": s.app, "/slow": s.slow, "/members": s.members, "/drafts/{file}": s.page,
		"/empty": func(w http.ResponseWriter, _ *http.Request) { w.Header().Set("Content-Type", "text/html") },
		"/busy":  s.busy, "/sitemap.xml": s.sitemap, "/sounds/{file}": s.sound,
	} {
		s.mux.HandleFunc("GET "+prefix+path, h)
	}
	s.mux.HandleFunc("GET /robots.txt", func(w http.ResponseWriter, _ *http.Request) {
		fmt.Fprintf(w, "User-agent: *\nDisallow: %s/drafts/\n", prefix)
	})
	return s
}

// sound is a recording.
func (s *Site) sound(w http.ResponseWriter, r *http.Request) {
	body, err := files.ReadFile("sounds/" + r.PathValue("file"))
	if err != nil {
		http.NotFound(w, r)
		return
	}
	_, ending, _ := strings.Cut(r.PathValue("file"), ".")
	w.Header().Set("Content-Type", map[string]string{"mp3": "audio/mpeg", "m4a": "audio/mp4",
		"ogg": "audio/ogg"}[ending])
	_, _ = w.Write(body)
}

// Handler serves the site below prefix.
func Handler(prefix string) http.Handler { return New(prefix) }

func (s *Site) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	s.asked[strings.TrimPrefix(r.URL.Path, s.prefix)]++
	s.mu.Unlock()
	s.mux.ServeHTTP(w, r)
}

// Asked is how often a path of the site was asked for, or with "" how often anything
// but robots.txt was.
func (s *Site) Asked(path string) (n int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for p, times := range s.asked {
		if p == path || path == "" && p != "/robots.txt" {
			n += times
		}
	}
	return n
}

// Change gives an article another text.
func (s *Site) Change(title, body string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.changed[title] = body
}

// article is the text of an article.
func (s *Site) article(title string) ([]byte, error) {
	s.mu.Lock()
	body, is := s.changed[title]
	s.mu.Unlock()
	if is {
		return []byte(body), nil
	}
	return files.ReadFile("articles/" + title + ".html")
}

// revision tells one text of an article from another.
func (s *Site) revision(title string) int {
	body, _ := s.article(title)
	return int(crc32.ChecksumIEEE(body))
}

func base(r *http.Request) string { return "http://" + r.Host }

// titles are the articles'.
func titles() (all []string) {
	entries, _ := files.ReadDir("articles")
	for _, e := range entries {
		all = append(all, strings.TrimSuffix(e.Name(), ".html"))
	}
	return all
}

func (s *Site) head(w http.ResponseWriter, title string) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	fmt.Fprintf(w, `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>%s</title>
<link rel="EditURI" type="application/rsd+xml" href="%[2]s/w/api.php?action=rsd">
<link rel="search" type="application/opensearchdescription+xml" href="%[2]s/opensearch.xml"></head><body>
<p>Simulated reference site. Everything here is made up.</p>
`, html.EscapeString(title), s.prefix)
}

func (s *Site) front(w http.ResponseWriter, _ *http.Request) {
	s.head(w, "A simulated reference site")
	fmt.Fprint(w, "<main><h1>A simulated reference site</h1><ul>")
	for _, t := range titles() {
		fmt.Fprintf(w, `<li><a href="%s/wiki/%s">%s</a></li>`, s.prefix, url.PathEscape(t), html.EscapeString(t))
	}
	for _, p := range Papers {
		fmt.Fprintf(w, `<li><a href="%s/papers/%d.pdf">%s</a></li>`, s.prefix, p.Number, html.EscapeString(p.Title))
	}
	fmt.Fprintf(w, `<li><a href="%s/talk">A recorded talk</a></li></ul></main></body></html>`, s.prefix)
}

func (s *Site) page(w http.ResponseWriter, r *http.Request) {
	title := strings.ReplaceAll(r.PathValue("title"), "_", " ")
	body, err := s.article(title)
	if err != nil {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("ETag", fmt.Sprintf(`"%d"`, s.revision(title)))
	if r.Header.Get("If-None-Match") == w.Header().Get("ETag") {
		w.WriteHeader(http.StatusNotModified)
		return
	}
	s.head(w, title)
	fmt.Fprintf(w, "<main><h1>%s</h1>\n%s</main></body></html>", html.EscapeString(title), body)
}

// api answers action=query, with titles or list=search, and action=parse.
func (s *Site) api(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	w.Header().Set("Content-Type", "application/json; charset=utf-8")
	reply := map[string]any{}
	known := titles()
	switch {
	case q.Get("action") == "query" && q.Get("list") == "search":
		reply["query"] = s.found(q.Get("srsearch"))
	case q.Get("action") == "query" && q.Get("list") == "prefixsearch":
		begin := []any{}
		for _, t := range known {
			if strings.HasPrefix(strings.ToLower(t), strings.ToLower(q.Get("pssearch"))) {
				begin = append(begin, map[string]any{"ns": 0, "title": t})
			}
		}
		reply["query"] = map[string]any{"prefixsearch": begin}
	case q.Get("action") == "query":
		title := strings.ReplaceAll(q.Get("titles"), "_", " ")
		if title != "" {
			title = strings.ToUpper(title[:1]) + title[1:]
		}
		query := map[string]any{}
		if to, is := redirects[title]; is && q.Has("redirects") {
			query["redirects"] = []any{map[string]any{"from": title, "to": to}}
			title = to
		}
		page := map[string]any{"ns": 0, "title": title}
		if slices.Contains(known, title) {
			page["lastrevid"] = s.revision(title)
			page["revisions"] = []any{map[string]any{"timestamp": "2026-09-14T08:30:00Z"}}
			if ambiguous[title] {
				page["pageprops"] = map[string]any{"disambiguation": ""}
			}
			page["canonicalurl"] = base(r) + s.prefix + "/wiki/" + url.PathEscape(strings.ReplaceAll(title, " ", "_"))
		} else {
			page["missing"] = true
		}
		query["pages"] = []any{page}
		reply["query"] = query
	case q.Get("action") == "parse":
		body, err := s.article(q.Get("page"))
		if err != nil {
			reply["error"] = map[string]any{"code": "missingtitle", "info": "The page you specified doesn't exist."}
			break
		}
		reply["parse"] = map[string]any{"title": q.Get("page"), "text": string(body)}
	default:
		reply["error"] = map[string]any{"code": "badvalue", "info": "Unrecognized value for parameter \"action\"."}
	}
	_ = json.NewEncoder(w).Encode(reply)
}

// found are the articles with every word of a search.
func (s *Site) found(search string) map[string]any {
	found := []any{}
	for _, t := range titles() {
		body, _ := s.article(t)
		every := !ambiguous[t]
		for _, word := range strings.Fields(strings.ToLower(search)) {
			every = every && strings.Contains(strings.ToLower(t+" "+string(body)), word)
		}
		if every {
			found = append(found, map[string]any{"ns": 0, "title": t})
		}
	}
	return map[string]any{"search": found}
}

func (s *Site) description(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "application/opensearchdescription+xml")
	fmt.Fprintf(w, `<?xml version="1.0" encoding="UTF-8"?>
<OpenSearchDescription xmlns="http://a9.com/-/spec/opensearch/1.1/">
  <ShortName>Simulated papers</ShortName>
  <Url type="application/atom+xml" template="%s/search?q={searchTerms}&amp;n={count?}"/>
</OpenSearchDescription>`, s.prefix)
}

// search answers with Atom: papers with any of the words, the most words first.
func (s *Site) search(w http.ResponseWriter, r *http.Request) {
	words := strings.Fields(strings.ToLower(r.URL.Query().Get("q")))
	hits := func(p Paper) (n int) {
		for _, word := range words {
			if strings.Contains(strings.ToLower(p.Title+" "+p.Summary), word) {
				n++
			}
		}
		return n
	}
	found := slices.DeleteFunc(slices.Clone(Papers), func(p Paper) bool { return hits(p) == 0 })
	slices.SortStableFunc(found, func(a, b Paper) int { return hits(b) - hits(a) })
	w.Header().Set("Content-Type", "application/atom+xml; charset=utf-8")
	text := func(s string) string {
		var b strings.Builder
		_ = xml.EscapeText(&b, []byte(s))
		return b.String()
	}
	fmt.Fprintf(w, `<?xml version="1.0" encoding="UTF-8"?><feed xmlns="http://www.w3.org/2005/Atom" xmlns:os="http://a9.com/-/spec/opensearch/1.1/"><title>Simulated papers</title><os:totalResults>%d</os:totalResults>`, len(found))
	if n, err := strconv.Atoi(r.URL.Query().Get("n")); err == nil && n < len(found) {
		found = found[:max(n, 0)]
	}
	for _, p := range found {
		fmt.Fprintf(w, `<entry><id>%[1]s%[2]s/papers/%[3]d</id><title>%[4]s</title><summary>%[5]s</summary><published>%[6]s</published>`, base(r), s.prefix, p.Number, text(p.Title), text(p.Summary), p.Published)
		for _, a := range p.Authors {
			fmt.Fprintf(w, `<author><name>%s</name></author>`, text(a))
		}
		fmt.Fprintf(w, `<link rel="related" type="application/pdf" href="%s/papers/%d.pdf"/></entry>`, s.prefix,
			p.Number)
	}
	fmt.Fprint(w, `</feed>`)
}

func (s *Site) paper(w http.ResponseWriter, r *http.Request) {
	number, _ := strconv.Atoi(strings.TrimSuffix(r.PathValue("file"), ".pdf"))
	body, err := files.ReadFile("papers/" + r.PathValue("file"))
	if number == Broken {
		body, err = []byte("%PDF-1.4\n% it breaks off here"), nil
	} else if i := slices.IndexFunc(Papers, func(p Paper) bool { return p.Number == number }); err != nil && i >= 0 {
		body, err = typeset(Papers[i]), nil
	}
	if err != nil {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Content-Type", "application/pdf")
	_, _ = w.Write(body)
}

func (s *Site) talk(w http.ResponseWriter, _ *http.Request) {
	s.head(w, "Why we weigh hives")
	fmt.Fprintf(w, `<main><h1>Why we weigh hives</h1><video src="%[1]s/talk.webm"><track kind="captions" srclang="en" src="%[1]s/talk.vtt"></video></main></body></html>`, s.prefix)
}

func (s *Site) captions(w http.ResponseWriter, _ *http.Request) {
	body, _ := files.ReadFile("talk.vtt")
	w.Header().Set("Content-Type", "text/vtt")
	_, _ = w.Write(body)
}

func (s *Site) moved(w http.ResponseWriter, r *http.Request) {
	http.Redirect(w, r, s.prefix+"/wiki/Sun_hive", http.StatusMovedPermanently)
}

// app is a page whose text a program in it would write.
func (s *Site) app(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	fmt.Fprint(w, `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Hive weights, live</title></head>
<body><div id="app"></div><noscript>Please switch on scripts.</noscript>
<script>document.getElementById("app").textContent = "The weights of all hives, as they are now."</script></body></html>`)
}

// slow answers when it has slept.
func (s *Site) slow(w http.ResponseWriter, r *http.Request) {
	select {
	case <-time.After(cmp.Or(s.Nap, 4*time.Second)):
	case <-r.Context().Done():
		return
	}
	s.head(w, "The slow page")
	fmt.Fprint(w, "<main><h1>The slow page</h1><p>Whoever waits for the willows to flower sees the first pollen "+
		"come in on the ninth of March. This page takes its time, so that waiting can be "+
		"tried.</p></main></body></html>")
}

// members lets only those in who sign in.
func (s *Site) members(w http.ResponseWriter, _ *http.Request) {
	s.head(w, "Members")
	fmt.Fprint(w, `<main><h1>Members</h1><form><p>Sign in to read on.</p><input type="password"></form></main></body></html>`)
}

// busy asks to be left alone for a minute.
func (s *Site) busy(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Retry-After", "60")
	http.Error(w, "come again", http.StatusTooManyRequests)
}

func (s *Site) sitemap(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "application/xml")
	fmt.Fprint(w, `<?xml version="1.0" encoding="UTF-8"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">`)
	for _, t := range titles() {
		fmt.Fprintf(w, "<url><loc>%s%s/wiki/%s</loc></url>", base(r), s.prefix,
			url.PathEscape(strings.ReplaceAll(t, " ", "_")))
	}
	fmt.Fprint(w, "</urlset>")
}
