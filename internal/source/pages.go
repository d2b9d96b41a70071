package source

import (
	"bytes"
	"context"
	"net/url"
	"path"
	"strings"

	"juvalogos/core/phrase"
	"juvalogos/internal/reach"
)

// Address brings what an address leads to: a page or a file; the pages of a
// sitemap, those of the same host, up to a bound; the captions of a recorded
// talk, from its page or their own address.
func (s *Sources) Address(ctx context.Context, address string, take Take) error {
	got, err := s.get(ctx, address)
	if err != nil {
		return err
	}
	if pages := sitemap(got.Body); pages != nil {
		return s.pages(ctx, got.Address, pages, take)
	}
	return s.fetched(ctx, got, take)
}

// fetched hands over a file that was fetched; of a page with a recorded talk its
// captions.
func (s *Sources) fetched(ctx context.Context, got reach.Answer, take Take) error {
	return s.fetchedBy(ctx, got, s.get, take)
}

func (s *Sources) fetchedBy(ctx context.Context, got reach.Answer,
	get func(context.Context, string) (reach.Answer, error), take Take) error {
	item := Item{Name: nameOf(got), Address: got.Address.String(), Body: got.Body}
	track, title := captionsOf(got)
	if track == "" {
		return take(item)
	}
	captions, err := get(ctx, track)
	if problem := problemOf(err); !problem.IsZero() {
		return take(Item{Name: item.Name, Problem: phrase.Of("its captions could not be fetched: %s", problem)})
	}
	if err != nil {
		return err
	}
	item.Name, item.Body = strings.TrimSuffix(item.Name, ".html")+".vtt", captions.Body
	// the page knows what the talk is called
	if rest, plain := bytes.CutPrefix(item.Body, []byte("WEBVTT\n")); plain && title != "" {
		item.Body = append([]byte("WEBVTT "+strings.Join(strings.Fields(title), " ")+"\n"), rest...)
	}
	return take(item)
}

// nameOf is what a fetched file is called: its host and path, with the ending
// that its type has.
func nameOf(got reach.Answer) string {
	name := got.Address.Hostname() + strings.TrimRight(got.Address.EscapedPath(), "/")
	if un, err := url.PathUnescape(name); err == nil {
		name = un
	}
	if ending := endings[got.Type]; ending != "" &&
		(path.Ext(name) == "" || ending == ".html" && !strings.HasPrefix(path.Ext(name), ".htm") ||
			strings.Count(name, "/") == 0) {
		name += ending
	}
	return name
}

// endings are what names of files end with, by media type.
var endings = map[string]string{
	"text/html": ".html", "application/xhtml+xml": ".html", "application/pdf": ".pdf", "text/markdown": ".md",
	"text/vtt": ".vtt",
	"text/csv": ".csv", "text/plain": ".txt", "application/json": ".json",
}

// captionsOf finds the captions of a page with a recorded talk (a track element
// that has them), and the page's title.
func captionsOf(got reach.Answer) (address, title string) {
	if got.Type != "text/html" {
		return "", ""
	}
	page := glance(got.Body)
	if u, err := got.Address.Parse(page.track); err == nil && page.track != "" {
		address = u.String()
	}
	return address, page.title
}
