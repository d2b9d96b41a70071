package source

import (
	"bytes"
	"context"
	"encoding/xml"
	"net/url"
	"strings"

	"juvalogos/core/phrase"
)

// mostPages is how many pages of a sitemap are fetched.
const mostPages = 100

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

// sitemapIndex lists the sitemaps of an index of them (sitemaps.org); nil if it is
// none.
func sitemapIndex(body []byte) (all []string) {
	if !bytes.Contains(body[:min(len(body), 2000)], []byte("<sitemapindex")) {
		return nil
	}
	var s struct {
		Sitemaps []struct {
			Loc string `xml:"loc"`
		} `xml:"sitemap"`
	}
	if xml.Unmarshal(body, &s) != nil {
		return nil
	}
	for _, m := range s.Sitemaps {
		all = append(all, strings.TrimSpace(m.Loc))
	}
	return all
}

// pages brings the pages of a sitemap.
func (s *Sources) pages(ctx context.Context, from *url.URL, pages []string, take Take) error {
	for i, p := range pages {
		if i >= mostPages {
			return take(Item{Name: from.String(),
				Problem: phrase.Of("only its first %d pages were fetched", mostPages)})
		}
		if err := s.onePage(ctx, from, p, take); err != nil {
			return err
		}
	}
	return nil
}

func (s *Sources) onePage(ctx context.Context, from *url.URL, page string, take Take) error {
	if u, err := url.Parse(page); err != nil || u.Host != from.Host {
		return take(Item{Name: page, Problem: phrase.Of("it is on another host than the sitemap")})
	}
	got, err := s.get(ctx, page)
	if problem := problemOf(err); !problem.IsZero() {
		return take(Item{Name: page, Problem: problem})
	}
	if err != nil {
		return err
	}
	return s.fetched(ctx, got, take)
}
