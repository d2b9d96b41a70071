package source

import (
	"context"
	"encoding/json"
	"html"
	"net/url"
	"strings"

	"juvalogos/core/phrase"
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
	api, err := s.linked(ctx, address, "EditURI", "application/rsd+xml")
	if err != nil {
		return err
	}
	title, at, err := s.canonical(ctx, api, topic)
	if err != nil {
		return err
	}
	if title == "" {
		return take(Item{Name: topic, Problem: phrase.Of("the encyclopedia has no article on it")})
	}
	item := Item{Name: strings.ReplaceAll(title, "/", "-") + ".html", Address: at}
	if have(item) {
		return take(item)
	}
	var page struct {
		Parse struct{ Title, Text string }
	}
	if err := s.ask(ctx, api, url.Values{"action": {"parse"}, "page": {title}, "prop": {"text"}}, &page); err != nil {
		return err
	}
	if page.Parse.Text == "" {
		return take(Item{Name: item.Name, Problem: phrase.Of("the article is empty")})
	}
	title = html.EscapeString(page.Parse.Title)
	item.Body = []byte("<!doctype html><meta charset=utf-8><title>" + title + "</title><main><h1>" + title + "</h1>\n" +
		page.Parse.Text + "\n</main>\n")
	return take(item)
}

// canonical finds the title that an encyclopedia keeps a topic under, and the
// address of its page; "" if there is none.
func (s *Sources) canonical(ctx context.Context, api *url.URL, topic string) (title, address string, err error) {
	for _, searched := range []bool{false, true} {
		var named struct {
			Query struct {
				Pages []struct {
					Title, CanonicalURL string
					Missing, Invalid    bool
				}
			}
		}
		query := url.Values{"action": {"query"}, "redirects": {"1"}, "prop": {"info"}, "inprop": {"url"},
			"titles": {topic}}
		if err := s.ask(ctx, api, query, &named); err != nil {
			return "", "", err
		}
		if p := named.Query.Pages; len(p) > 0 && !p[0].Missing && !p[0].Invalid {
			return p[0].Title, p[0].CanonicalURL, nil
		}
		if searched {
			break
		}
		var found struct {
			Query struct{ Search []struct{ Title string } }
		}
		query = url.Values{"action": {"query"}, "list": {"search"}, "srsearch": {topic}, "srlimit": {"1"}}
		if err := s.ask(ctx, api, query, &found); err != nil {
			return "", "", err
		}
		if len(found.Query.Search) == 0 {
			break
		}
		topic = found.Query.Search[0].Title
	}
	return "", "", nil
}

// ask asks a MediaWiki API.
func (s *Sources) ask(ctx context.Context, api *url.URL, query url.Values, into any) error {
	query.Set("format", "json")
	query.Set("formatversion", "2")
	u := *api
	u.RawQuery = query.Encode()
	got, err := s.get(ctx, u.String())
	if err != nil {
		return err
	}
	var failed struct{ Error struct{ Info string } }
	if json.Unmarshal(got.Body, &failed) == nil && failed.Error.Info != "" {
		return wrong("%s answers: %s", api.Host, failed.Error.Info)
	}
	if err := json.Unmarshal(got.Body, into); err != nil {
		return wrong("%s does not answer as an encyclopedia with the MediaWiki action API; give the address of its "+
			"api.php or of one of its pages", api.Host)
	}
	return nil
}
