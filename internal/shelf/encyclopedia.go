package shelf

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"html"
	"net/url"
	"slices"
	"strings"

	xhtml "golang.org/x/net/html"

	"juvalogos/internal/fetching"
	"juvalogos/internal/record"
)

// AddTopic puts an encyclopedia's article on a topic on a shelf, under its
// canonical title: what is there by another name is not fetched again. The
// encyclopedia speaks the MediaWiki action API; address is that of its API
// (api.php) or of any of its pages. A topic that no title and no redirect has
// is searched for.
func (l *Library) AddTopic(ctx context.Context, slug, address, topic, by string) ([]Added, error) {
	f, err := l.site(ctx, slug)
	if err != nil {
		return nil, err
	}
	topic = strings.Join(strings.Fields(topic), " ")
	if topic == "" {
		return nil, wrong("write a topic")
	}
	api, err := l.linked(ctx, address, "EditURI", "application/rsd+xml")
	if err != nil {
		return nil, err
	}
	title, source, err := l.canonical(ctx, api, topic)
	if err != nil {
		return nil, err
	}
	if title == "" {
		return []Added{{Name: topic, Problem: "the encyclopedia has no article on it"}}, nil
	}
	name := cleanName(strings.ReplaceAll(title, "/", "-") + ".html")
	there, err := l.Store.Shelves.Documents(ctx, f.ID)
	if err != nil {
		return nil, err
	}
	if i := slices.IndexFunc(there, func(d record.Document) bool { return d.Name == name && d.Source == source }); i >= 0 {
		return []Added{{Document: there[i].ID, Name: name}}, nil
	}
	var page struct {
		Parse struct{ Title, Text string }
	}
	if err := l.ask(ctx, api, url.Values{"action": {"parse"}, "page": {title}, "prop": {"text"}}, &page); err != nil {
		return nil, err
	}
	if page.Parse.Text == "" {
		return []Added{{Name: name, Problem: "the article is empty"}}, nil
	}
	title = html.EscapeString(page.Parse.Title)
	body := "<!doctype html><meta charset=utf-8><title>" + title + "</title><main><h1>" + title + "</h1>\n" + page.Parse.Text + "\n</main>\n"
	one, err := l.add(ctx, f, name, source, by, strings.NewReader(body))
	if err != nil {
		return nil, err
	}
	return []Added{one}, nil
}

// canonical finds the title that an encyclopedia keeps a topic under, and the
// address of its page; "" if there is none.
func (l *Library) canonical(ctx context.Context, api *url.URL, topic string) (title, address string, err error) {
	for _, searched := range []bool{false, true} {
		var named struct {
			Query struct {
				Pages []struct {
					Title, CanonicalURL string
					Missing, Invalid    bool
				}
			}
		}
		query := url.Values{"action": {"query"}, "redirects": {"1"}, "prop": {"info"}, "inprop": {"url"}, "titles": {topic}}
		if err := l.ask(ctx, api, query, &named); err != nil {
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
		if err := l.ask(ctx, api, query, &found); err != nil {
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
func (l *Library) ask(ctx context.Context, api *url.URL, query url.Values, into any) error {
	query.Set("format", "json")
	query.Set("formatversion", "2")
	u := *api
	u.RawQuery = query.Encode()
	got, err := l.get(ctx, u.String())
	if err != nil {
		return err
	}
	var failed struct{ Error struct{ Info string } }
	if json.Unmarshal(got.Body, &failed) == nil && failed.Error.Info != "" {
		return wrong("%s answers: %s", api.Host, failed.Error.Info)
	}
	if err := json.Unmarshal(got.Body, into); err != nil {
		return wrong("%s does not answer as an encyclopedia with the MediaWiki action API; give the address of its api.php or of one of its pages", api.Host)
	}
	return nil
}

// site is the shelf, if this service fetches anything.
func (l *Library) site(ctx context.Context, slug string) (record.Shelf, error) {
	if l.Fetcher == nil {
		return record.Shelf{}, wrong("this service fetches nothing")
	}
	return l.Shelf(ctx, slug)
}

// get fetches an address; what is refused is the caller's mistake.
func (l *Library) get(ctx context.Context, address string) (fetching.File, error) {
	got, err := l.Fetcher.Get(ctx, address)
	var refused *fetching.Refused
	if errors.As(err, &refused) {
		return got, wrong("%s", refused.Sentence)
	}
	return got, err
}

// linked is an address, or where the page at that address says that something
// is: <link rel=REL type=KIND href=...>. Its query is left out.
func (l *Library) linked(ctx context.Context, address, rel, kind string) (*url.URL, error) {
	u, err := url.Parse(strings.TrimSpace(address))
	if err != nil || u.Host == "" {
		return nil, wrong("%q is no address", address)
	}
	if strings.HasSuffix(u.Path, ".php") || strings.HasSuffix(u.Path, ".xml") || strings.Contains(u.RawQuery, "{searchTerms}") {
		return u, nil
	}
	got, err := l.get(ctx, address)
	if err != nil {
		return nil, err
	}
	if got.Type != "text/html" {
		return got.Address, nil
	}
	root, err := xhtml.Parse(bytes.NewReader(got.Body))
	if err != nil {
		return nil, fmt.Errorf("read %s: %w", address, err)
	}
	for n := range root.Descendants() {
		if n.Type != xhtml.ElementNode || n.Data != "link" {
			continue
		}
		said := map[string]string{}
		for _, a := range n.Attr {
			said[a.Key] = a.Val
		}
		if strings.EqualFold(said["rel"], rel) && said["type"] == kind {
			if at, err := got.Address.Parse(said["href"]); err == nil {
				if rel == "EditURI" {
					at.RawQuery = ""
				}
				return at, nil
			}
		}
	}
	return nil, wrong("the page at %s does not say where that can be asked for; give the address itself", u.Host)
}
