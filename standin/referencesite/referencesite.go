// Package referencesite is a small simulated reference site for demos and
// tests. All of it is made up. It plays an encyclopedia that speaks the
// MediaWiki action API, a paper repository that answers OpenSearch with Atom,
// and a page with a recorded talk and its captions.
package referencesite

import (
	"embed"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"html"
	"net/http"
	"net/url"
	"slices"
	"strings"
)

//go:embed articles papers talk.vtt
var files embed.FS

// redirects are other names of articles.
var redirects = map[string]string{"Ling honey": "Heather honey", "Bell honey": "Heather honey",
	"Greater wax moth": "Wax moth", "Larch mating station": "Larch Hill", "Egg hive": "Sun hive"}

// Paper is one of the repository's.
type Paper struct {
	Number                    int
	Title, Summary, Published string
	Authors                   []string
}

// Papers are all of them.
var Papers = []Paper{
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
}

// Handler serves the site below prefix, like "/reference".
func Handler(prefix string) http.Handler {
	mux := http.NewServeMux()
	s := site{prefix}
	mux.HandleFunc("GET "+prefix+"/{$}", s.front)
	mux.HandleFunc("GET "+prefix+"/w/api.php", s.api)
	mux.HandleFunc("GET "+prefix+"/wiki/{title}", s.page)
	mux.HandleFunc("GET "+prefix+"/opensearch.xml", s.description)
	mux.HandleFunc("GET "+prefix+"/search", s.search)
	mux.HandleFunc("GET "+prefix+"/papers/{file}", s.paper)
	mux.HandleFunc("GET "+prefix+"/talk", s.talk)
	mux.HandleFunc("GET "+prefix+"/talk.vtt", s.captions)
	return mux
}

type site struct{ prefix string }

func base(r *http.Request) string { return "http://" + r.Host }

// titles are the articles'.
func titles() (all []string) {
	entries, _ := files.ReadDir("articles")
	for _, e := range entries {
		all = append(all, strings.TrimSuffix(e.Name(), ".html"))
	}
	return all
}

func (s site) head(w http.ResponseWriter, title string) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	fmt.Fprintf(w, `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>%s</title>
<link rel="EditURI" type="application/rsd+xml" href="%[2]s/w/api.php?action=rsd">
<link rel="search" type="application/opensearchdescription+xml" href="%[2]s/opensearch.xml"></head><body>
<p>Simulated reference site. Everything here is made up.</p>
`, html.EscapeString(title), s.prefix)
}

func (s site) front(w http.ResponseWriter, _ *http.Request) {
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

func (s site) page(w http.ResponseWriter, r *http.Request) {
	title := strings.ReplaceAll(r.PathValue("title"), "_", " ")
	body, err := files.ReadFile("articles/" + title + ".html")
	if err != nil {
		http.NotFound(w, r)
		return
	}
	s.head(w, title)
	fmt.Fprintf(w, "<main><h1>%s</h1>\n%s</main></body></html>", html.EscapeString(title), body)
}

// api answers action=query, with titles or list=search, and action=parse.
func (s site) api(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	w.Header().Set("Content-Type", "application/json; charset=utf-8")
	reply := map[string]any{}
	known := titles()
	switch {
	case q.Get("action") == "query" && q.Get("list") == "search":
		found := []any{}
		for _, t := range known {
			body, _ := files.ReadFile("articles/" + t + ".html")
			every := true
			for _, word := range strings.Fields(strings.ToLower(q.Get("srsearch"))) {
				every = every && strings.Contains(strings.ToLower(t+" "+string(body)), word)
			}
			if every {
				found = append(found, map[string]any{"ns": 0, "title": t})
			}
		}
		reply["query"] = map[string]any{"search": found}
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
			page["canonicalurl"] = base(r) + s.prefix + "/wiki/" + url.PathEscape(strings.ReplaceAll(title, " ", "_"))
		} else {
			page["missing"] = true
		}
		query["pages"] = []any{page}
		reply["query"] = query
	case q.Get("action") == "parse":
		body, err := files.ReadFile("articles/" + q.Get("page") + ".html")
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

func (s site) description(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "application/opensearchdescription+xml")
	fmt.Fprintf(w, `<?xml version="1.0" encoding="UTF-8"?>
<OpenSearchDescription xmlns="http://a9.com/-/spec/opensearch/1.1/">
  <ShortName>Simulated papers</ShortName>
  <Url type="application/atom+xml" template="%s/search?q={searchTerms}&amp;n={count?}"/>
</OpenSearchDescription>`, s.prefix)
}

// search answers with Atom: papers with any of the words, the most words first.
func (s site) search(w http.ResponseWriter, r *http.Request) {
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

func (s site) paper(w http.ResponseWriter, r *http.Request) {
	body, err := files.ReadFile("papers/" + r.PathValue("file"))
	if err != nil {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Content-Type", "application/pdf")
	_, _ = w.Write(body)
}

func (s site) talk(w http.ResponseWriter, _ *http.Request) {
	s.head(w, "Why we weigh hives")
	fmt.Fprintf(w, `<main><h1>Why we weigh hives</h1><video src="%[1]s/talk.webm"><track kind="captions" srclang="en" src="%[1]s/talk.vtt"></video></main></body></html>`, s.prefix)
}

func (s site) captions(w http.ResponseWriter, _ *http.Request) {
	body, _ := files.ReadFile("talk.vtt")
	w.Header().Set("Content-Type", "text/vtt")
	_, _ = w.Write(body)
}
