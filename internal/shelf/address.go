package shelf

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"net/url"
	"path"
	"strings"

	"golang.org/x/net/html"

	"juvalogos/internal/fetching"
	"juvalogos/internal/record"
)

// mostPages is how many pages of a sitemap are fetched.
const mostPages = 100

// AddAddress fetches what an address leads to and puts it on a shelf: a page or
// a file; the pages of a sitemap, those of the same host, up to mostPages; the
// captions of a recorded talk, from its page or their own address.
func (l *Library) AddAddress(ctx context.Context, slug, address, by string) ([]Added, error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return nil, err
	}
	if l.Fetcher == nil {
		return nil, wrong("this service fetches nothing")
	}
	got, err := l.Fetcher.Get(ctx, address)
	var refused *fetching.Refused
	if errors.As(err, &refused) {
		return nil, wrong("%s", refused.Sentence)
	}
	if err != nil {
		return nil, err
	}
	if pages := sitemap(got.Body); pages != nil {
		return l.addPages(ctx, f, got.Address, pages, by)
	}
	one, err := l.addFetched(ctx, f, got, by)
	if err != nil {
		return nil, err
	}
	return []Added{one}, nil
}

func (l *Library) addFetched(ctx context.Context, f record.Shelf, got fetching.File, by string) (Added, error) {
	name := nameOf(got)
	if track, title := captionsOf(got); track != "" {
		captions, err := l.Fetcher.Get(ctx, track)
		var refused *fetching.Refused
		if errors.As(err, &refused) {
			return Added{Name: name, Problem: "its captions: " + refused.Sentence}, nil
		}
		if err != nil {
			return Added{}, err
		}
		body := captions.Body
		if rest, plain := bytes.CutPrefix(body, []byte("WEBVTT\n")); plain && title != "" { // the page knows what the talk is called
			body = append([]byte("WEBVTT "+strings.Join(strings.Fields(title), " ")+"\n"), rest...)
		}
		return l.add(ctx, f, strings.TrimSuffix(name, ".html")+".vtt", got.Address.String(), by, bytes.NewReader(body))
	}
	return l.add(ctx, f, name, got.Address.String(), by, bytes.NewReader(got.Body))
}

// nameOf is what a fetched file is called: its host and path, with the ending
// that its type has.
func nameOf(got fetching.File) string {
	name := got.Address.Hostname() + strings.TrimRight(got.Address.EscapedPath(), "/")
	if un, err := url.PathUnescape(name); err == nil {
		name = un
	}
	endings := map[string]string{"text/html": ".html", "application/xhtml+xml": ".html", "application/pdf": ".pdf", "text/markdown": ".md", "text/vtt": ".vtt", "text/csv": ".csv", "text/plain": ".txt", "application/json": ".json"}
	if ending := endings[got.Type]; ending != "" && (path.Ext(name) == "" || ending == ".html" && !strings.HasPrefix(path.Ext(name), ".htm") || strings.Count(name, "/") == 0) {
		name += ending
	}
	return cleanName(name)
}

// sitemap lists the pages of one (sitemaps.org); nil if it is none.
func sitemap(body []byte) []string {
	if !bytes.Contains(body[:min(len(body), 2000)], []byte("<urlset")) {
		return nil
	}
	var s struct {
		URLs []struct {
			Loc string `xml:"loc"`
		} `xml:"url"`
	}
	if xml.Unmarshal(body, &s) != nil {
		return nil
	}
	pages := []string{}
	for _, u := range s.URLs {
		pages = append(pages, strings.TrimSpace(u.Loc))
	}
	return pages
}

func (l *Library) addPages(ctx context.Context, f record.Shelf, from *url.URL, pages []string, by string) (all []Added, err error) {
	for i, p := range pages {
		u, err := url.Parse(p)
		switch {
		case i >= mostPages:
			return append(all, Added{Name: from.String(), Problem: "only its first 100 pages were fetched"}), nil
		case err != nil || u.Host != from.Host:
			all = append(all, Added{Name: p, Problem: "it is on another host than the sitemap"})
			continue
		}
		got, err := l.Fetcher.Get(ctx, p)
		var refused *fetching.Refused
		if errors.As(err, &refused) {
			all = append(all, Added{Name: p, Problem: refused.Sentence})
			continue
		}
		if err != nil {
			return all, err
		}
		one, err := l.addFetched(ctx, f, got, by)
		if err != nil {
			return all, err
		}
		all = append(all, one)
	}
	return all, nil
}

// captionsOf finds the captions of a page with a recorded talk (a track element
// that has them), and the page's title.
func captionsOf(got fetching.File) (address, title string) {
	if got.Type != "text/html" || !bytes.Contains(got.Body, []byte("<track")) {
		return "", ""
	}
	root, err := html.Parse(bytes.NewReader(got.Body))
	if err != nil {
		return "", ""
	}
	for n := range root.Descendants() {
		if n.Type != html.ElementNode {
			continue
		}
		if n.Data == "title" && n.FirstChild != nil {
			title = n.FirstChild.Data
		}
		if n.Data != "track" || address != "" {
			continue
		}
		kind, src := "subtitles", ""
		for _, a := range n.Attr {
			switch a.Key {
			case "kind":
				kind = a.Val
			case "src":
				src = a.Val
			}
		}
		if u, err := got.Address.Parse(src); err == nil && src != "" && (kind == "captions" || kind == "subtitles") {
			address = u.String()
		}
	}
	return address, title
}
