package source

import (
	"cmp"
	"context"
	"encoding/json"
	"html"
	"net/url"
	"strconv"
	"strings"
	"time"

	nethtml "golang.org/x/net/html"

	"juvalogos/core/phrase"
	"juvalogos/core/yamlfile"
)

// Topic brings an encyclopedia's article on a topic, under its canonical title.
// have reports whether a document of that name and address is there already:
// then it is not fetched again, and its item has no body. The encyclopedia
// speaks the MediaWiki action API; address is that of its API (api.php) or of
// any of its pages. A topic that no title and no redirect has is searched for.
func (s *Sources) Topic(ctx context.Context, address, topic string, have func(Item) bool, take Take) error {
	if topic = strings.Join(strings.Fields(topic), " "); topic == "" {
		return wrong("write a topic")
	}
	api, err := s.interfaceOf(ctx, address)
	if err != nil {
		return err
	}
	a, _, err := s.canonical(ctx, api, topic)
	if err != nil {
		return err
	}
	if a.Title == "" {
		return take(Item{Name: topic, Problem: phrase.Of("the encyclopedia has no article on it")})
	}
	if a.ambiguous {
		if meanings, err := s.meanings(ctx, api, a.Title); err == nil && len(meanings) > 0 {
			titles := make([]string, len(meanings))
			for i, m := range meanings {
				titles[i] = m.Title
			}
			return take(Item{Name: topic, Problem: phrase.Of("it has several meanings; write one of: %s",
				strings.Join(titles, "; "))})
		}
	}
	item := Item{Name: a.file(), Address: a.Address}
	if have(item) {
		return take(item)
	}
	item, err = s.article(ctx, api, a)
	if problem := problemOf(err); !problem.IsZero() && item.Name != "" {
		return take(Item{Name: item.Name, Problem: problem})
	}
	if err != nil {
		return err
	}
	return take(item)
}

// interfaceOf is the address of an encyclopedia's interface.
func (s *Sources) interfaceOf(ctx context.Context, address string) (*url.URL, error) {
	at, err := s.placed("topics "+address, func() (string, error) {
		u, err := s.linked(ctx, address, "EditURI", "application/rsd+xml")
		if err != nil {
			return "", err
		}
		return u.String(), nil
	})
	if err != nil {
		return nil, err
	}
	return url.Parse(at)
}

// titled is an article as the encyclopedia keeps it.
type titled struct {
	Title, Address string
	Revision       string    // its newest
	Dated          time.Time // of when that is
	ambiguous      bool      // it tells of several meanings of its title
}

// file is what an article's file is called.
func (a titled) file() string { return strings.ReplaceAll(a.Title, "/", "-") + ".html" }

// article fetches an article. The item has a name where the article is empty.
func (s *Sources) article(ctx context.Context, api *url.URL, a titled) (Item, error) {
	var page struct {
		Parse struct{ Title, Text string }
	}
	item := Item{Name: a.file(), Address: a.Address}
	if err := s.ask(ctx, api, url.Values{"action": {"parse"}, "page": {a.Title}, "prop": {"text"},
		"disableeditsection": {"1"}, "disabletoc": {"1"}}, &page); err != nil {
		return Item{}, err
	}
	if page.Parse.Text == "" {
		return item, wrong("the article is empty")
	}
	title := html.EscapeString(page.Parse.Title)
	item.Body = []byte("<!doctype html><meta charset=utf-8><title>" + title + "</title><main><h1>" + title + "</h1>\n" +
		page.Parse.Text + "\n</main>\n")
	return item, nil
}

// mostMeanings is how many are told.
const mostMeanings = 12

// meanings are what a page that tells of several meanings names: each item of its
// lists that begins with a link to an article.
func (s *Sources) meanings(ctx context.Context, api *url.URL, title string) (all []Meaning, err error) {
	var page struct {
		Parse struct{ Title, Text string }
	}
	if err := s.ask(ctx, api, url.Values{"action": {"parse"}, "page": {title}, "prop": {"text"}}, &page); err != nil {
		return nil, err
	}
	z := nethtml.NewTokenizer(strings.NewReader(page.Parse.Text))
	var m Meaning
	var said strings.Builder
	inItem := false
	end := func() {
		m.About = strings.Trim(strings.Join(strings.Fields(said.String()), " "), " ,;–-")
		if inItem && m.Title != "" && len(all) < mostMeanings {
			all = append(all, m)
		}
		m, inItem = Meaning{}, false
		said.Reset()
	}
	for {
		switch z.Next() {
		case nethtml.ErrorToken:
			end()
			return all, nil
		case nethtml.TextToken:
			said.Write(z.Text())
		case nethtml.StartTagToken:
			switch t := z.Token(); {
			case t.Data == "li":
				end()
				inItem = true
			case t.Data == "a" && inItem && m.Title == "":
				for _, a := range t.Attr {
					if a.Key == "title" {
						m.Title = a.Val
					}
				}
			}
		case nethtml.EndTagToken:
			if t := z.Token(); t.Data == "li" || t.Data == "ul" {
				end()
			}
		}
	}
}

// canonical finds the article that an encyclopedia keeps on a topic; its title is ""
// if there is none. nearest: none has the name, and this is the nearest.
func (s *Sources) canonical(ctx context.Context, api *url.URL, topic string) (a titled, nearest bool, err error) {
	if a, err = s.byTitle(ctx, api, topic); err != nil || a.Title != "" {
		return a, false, err
	}
	for _, find := range []func(context.Context, *url.URL, string) (string, error){s.suggested, s.prefixed} {
		title, err := find(ctx, api, topic)
		if err != nil {
			return a, false, err
		}
		if title == "" {
			continue
		}
		if a, err = s.byTitle(ctx, api, title); err != nil || a.Title != "" {
			return a, true, err
		}
	}
	return a, false, nil
}

// byTitle is the article of a title, or that such a title leads on to.
func (s *Sources) byTitle(ctx context.Context, api *url.URL, title string) (a titled, err error) {
	var named struct {
		Query struct {
			Pages []struct {
				Title, CanonicalURL string
				Missing, Invalid    bool
				LastRevID           int64
				Revisions           []struct{ Timestamp time.Time }
				PageProps           map[string]any
			}
		}
	}
	query := url.Values{"action": {"query"}, "redirects": {"1"}, "prop": {"info|pageprops|revisions"},
		"inprop": {"url"}, "rvprop": {"timestamp"}, "titles": {title}}
	if err := s.ask(ctx, api, query, &named); err != nil {
		return a, err
	}
	p := named.Query.Pages
	if len(p) == 0 || p[0].Missing || p[0].Invalid {
		return a, nil
	}
	a = titled{Title: p[0].Title, Address: p[0].CanonicalURL}
	if p[0].LastRevID != 0 {
		a.Revision = strconv.FormatInt(p[0].LastRevID, 10)
	}
	if len(p[0].Revisions) > 0 {
		a.Dated = p[0].Revisions[0].Timestamp
	}
	_, a.ambiguous = p[0].PageProps["disambiguation"]
	return a, nil
}

// suggested is the title that a search for a topic finds first, spelt as the search
// suggests if it finds nothing.
func (s *Sources) suggested(ctx context.Context, api *url.URL, topic string) (string, error) {
	for range 2 {
		var found struct {
			Query struct {
				SearchInfo struct{ Suggestion string }
				Search     []struct{ Title string }
			}
		}
		query := url.Values{"action": {"query"}, "list": {"search"}, "srsearch": {topic}, "srlimit": {"10"},
			"srinfo": {"suggestion"}}
		if err := s.ask(ctx, api, query, &found); err != nil {
			return "", err
		}
		if all := found.Query.Search; len(all) > 0 {
			titles := make([]string, len(all))
			for i, f := range all {
				titles[i] = f.Title
			}
			return nearestOf(topic, titles), nil
		}
		if topic = found.Query.SearchInfo.Suggestion; topic == "" {
			break
		}
	}
	return "", nil
}

// prefixed is the title nearest to a topic among those that begin as it does.
func (s *Sources) prefixed(ctx context.Context, api *url.URL, topic string) (string, error) {
	for _, beginning := range beginnings(topic) {
		var found struct {
			Query struct{ PrefixSearch []struct{ Title string } }
		}
		query := url.Values{"action": {"query"}, "list": {"prefixsearch"}, "pssearch": {beginning}, "pslimit": {"20"}}
		if err := s.ask(ctx, api, query, &found); err != nil {
			return "", err
		}
		titles := make([]string, len(found.Query.PrefixSearch))
		for i, f := range found.Query.PrefixSearch {
			titles[i] = f.Title
		}
		if near := yamlfile.Nearest(topic, titles); near != "" {
			return near, nil
		}
	}
	return "", nil
}

// beginnings are a topic and shorter and shorter beginnings of it.
func beginnings(topic string) (all []string) {
	runes := []rune(topic)
	for _, n := range []int{len(runes), 4, 2} {
		if n <= len(runes) && (len(all) == 0 || n < len(runes)) {
			all = append(all, string(runes[:n]))
		}
	}
	return all
}

// nearestOf is the title that is written most like a topic, or the first of all if none
// is like it.
func nearestOf(topic string, titles []string) string {
	return cmp.Or(yamlfile.Nearest(topic, titles), titles[0])
}

// ask asks a MediaWiki API.
func (s *Sources) ask(ctx context.Context, api *url.URL, query url.Values, into any) error {
	query.Set("format", "json")
	query.Set("formatversion", "2")
	u := *api
	u.RawQuery = query.Encode()
	got, err := s.askInterface(ctx, u.String())
	if err != nil {
		return err
	}
	if len(got.Body) > 4*mostSpelt {
		return misplaced("what %s answers is too long", api.Host)
	}
	var failed struct{ Error struct{ Info string } }
	if json.Unmarshal(got.Body, &failed) == nil && failed.Error.Info != "" {
		return misplaced("%s answers: %s", api.Host, failed.Error.Info)
	}
	if err := json.Unmarshal(got.Body, into); err != nil {
		return misplaced("%s does not answer as an encyclopedia with the MediaWiki action API; give the address of "+
			"its "+
			"api.php or of one of its pages", api.Host)
	}
	return nil
}
