package source

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"strings"
	"time"

	"juvalogos/core/phrase"
	"juvalogos/internal/reach"
)

// Work is something published that a look has found: what it is called, where it
// stands under its own name, and which version of it that is.
type Work struct {
	Kind    string // page, article, paper, talk or file
	Name    string
	Address string // its own, whatever address or name led to it
	// Version is what its publisher calls the version that is there now, as a
	// revision or an entity tag; "": not known before it is fetched.
	Version string
	Dated   time.Time // of when it is, as its publisher says; zero: unknown
	// Private: it was answered to whoever asked alone, or its address says what
	// only they may know.
	Private bool
	// Items are its files, if they are fetched already; else Fetch gets them.
	Items []Item
	Fetch func(context.Context) ([]Item, error)
	// Unchanged: it is as the version that Known told of.
	Unchanged bool
}

// Meaning is one of the things that a name stands for.
type Meaning struct {
	Title string `json:"title"`
	About string `json:"about"`
}

// Look is what a look has found.
type Look struct {
	Works []Work
	// Meanings are what the name stands for, if that is several things: then there
	// are no works.
	Meanings []Meaning
	// Nearest: nothing has the name that was asked for; this is the nearest.
	Nearest bool
	// LeftOut is how many more there are than were asked for; 0 if that is not known.
	LeftOut int
}

// Known tells what of an address is there already, as of which version and time;
// ok is false if nothing is.
type Known func(address string) (version string, dated time.Time, ok bool)

// mostSpelt is how many bytes are taken of what is spelt out here rather than in a
// confined process: feeds, sitemaps, what an interface answers, heads of pages.
const mostSpelt = 4 << 20

// ask calls an interface that is made for programs.
func (s *Sources) askInterface(ctx context.Context, address string) (reach.Answer, error) {
	if s.guest == nil {
		return s.get(ctx, address)
	}
	got, err := s.guest.Do(ctx, reach.Request{Address: address, Most: 4 * mostSpelt}, true)
	return got, s.refusal(got, err)
}

// visit fetches a page or a file as a guest, if it is not of the version that is
// known.
func (s *Sources) visit(ctx context.Context, address, version string, dated time.Time) (reach.Answer, error) {
	header := http.Header{}
	if strings.HasPrefix(version, `"`) || strings.HasPrefix(version, `W/"`) {
		header.Set("If-None-Match", version)
	} else if !dated.IsZero() {
		header.Set("If-Modified-Since", dated.UTC().Format(http.TimeFormat))
	}
	header.Set("Accept", "text/html,application/xhtml+xml,application/pdf,*/*;q=0.8")
	got, err := s.guest.Do(ctx, reach.Request{Address: address, Header: header}, false)
	if err == nil && got.Status == http.StatusNotModified {
		return got, nil
	}
	return got, s.refusal(got, err)
}

// refusal is what is said of an address that gave nothing: which of all reasons it
// was.
func (s *Sources) refusal(got reach.Answer, err error) error {
	var refused *reach.Refused
	switch {
	case errors.As(err, &refused) && refused.Why == reach.Away:
		return wrong("%s cannot be reached at the moment", refused.Host)
	case errors.As(err, &refused):
		return &Mistake{What: refused.What}
	case err != nil || got.Status == http.StatusOK:
		return err
	}
	host := got.Address.Host
	switch got.Status {
	case http.StatusUnauthorized, http.StatusForbidden, http.StatusProxyAuthRequired, http.StatusPaymentRequired:
		return wrong("%s lets only those read it who sign in there; save it and attach the file", host)
	case http.StatusNotFound, http.StatusGone:
		return wrong("%s has no such page, or has it no more", host)
	case http.StatusTooManyRequests, http.StatusServiceUnavailable:
		return wrong("%s is too busy at the moment; try again in a while", host)
	}
	if got.Status >= 500 {
		return wrong("%s has trouble answering at the moment (%d); try again in a while", host, got.Status)
	}
	return wrong("%s did not give it (%d)", host, got.Status)
}

// LookAtAddress sees what an address leads to: a page, a file, a recorded talk by its
// captions, or the pages of a sitemap, at most so many. What is known and
// unchanged is not fetched again.
func (s *Sources) LookAtAddress(ctx context.Context, address string, most int, known Known) (Look, error) {
	u, err := url.Parse(strings.TrimSpace(address))
	if err != nil || u.Host == "" {
		return Look{}, wrong("%q is no address; it begins with http:// or https://", address)
	}
	u.Fragment = ""
	version, dated, _ := known(plainAddress(u))
	got, err := s.visit(ctx, u.String(), version, dated)
	if err != nil {
		return Look{}, err
	}
	if children := sitemapIndex(got.Body[:min(len(got.Body), mostSpelt)]); children != nil {
		return s.lookAtIndex(ctx, got.Address, children, most, known)
	}
	if pages := sitemap(got.Body[:min(len(got.Body), mostSpelt)]); pages != nil {
		return s.lookAtPages(got.Address, pages, most, known), nil
	}
	w, err := s.workOf(ctx, u, got)
	return Look{Works: []Work{w}}, err
}

// plainAddress is an address without a name and a password in it.
func plainAddress(u *url.URL) string {
	plain := *u
	plain.User, plain.Fragment = nil, ""
	if plain.Path == "" {
		plain.Path = "/"
	}
	return plain.String()
}

// mostSitemaps is how many sitemaps of an index are looked at.
const mostSitemaps = 5

// lookAtIndex sees the pages of the sitemaps that an index names, those of its host.
func (s *Sources) lookAtIndex(ctx context.Context, from *url.URL, children []string, most int,
	known Known) (l Look, err error) {
	for i, child := range children {
		u, err := url.Parse(child)
		if err != nil || u.Host != from.Host {
			continue
		}
		if i >= mostSitemaps || len(l.Works) == most {
			l.LeftOut++ // its pages are not counted
			continue
		}
		got, err := s.visit(ctx, child, "", time.Time{})
		if err != nil {
			return l, err
		}
		more := s.lookAtPages(got.Address, sitemap(got.Body[:min(len(got.Body), mostSpelt)]), most-len(l.Works), known)
		l.Works, l.LeftOut = append(l.Works, more.Works...), l.LeftOut+more.LeftOut
	}
	if len(l.Works) == 0 {
		return l, wrong("no page of %s is in this list of pages", from.Host)
	}
	return l, nil
}

func (s *Sources) lookAtPages(from *url.URL, pages []string, most int, known Known) (l Look) {
	for _, p := range pages {
		u, err := url.Parse(p)
		if err != nil || u.Host != from.Host {
			continue
		}
		if len(l.Works) == most {
			l.LeftOut++
			continue
		}
		version, dated, _ := known(plainAddress(u))
		w := Work{Kind: "page", Name: strings.TrimPrefix(p, from.Scheme+"://"+from.Host), Address: plainAddress(u),
			Private: u.RawQuery != ""}
		w.Fetch = func(ctx context.Context) ([]Item, error) {
			got, err := s.visit(ctx, p, version, dated)
			if err != nil {
				return nil, err
			}
			fetched, err := s.workOf(ctx, u, got)
			if fetched.Unchanged {
				return nil, errUnchanged
			}
			return fetched.Items, err
		}
		l.Works = append(l.Works, w)
	}
	return l
}

// errUnchanged: what is there already is the newest.
var errUnchanged = errors.New("unchanged")

// IsUnchanged reports whether Fetch found that what is known is the newest.
func IsUnchanged(err error) bool { return errors.Is(err, errUnchanged) }

// workOf is what was fetched at an address.
func (s *Sources) workOf(ctx context.Context, asked *url.URL, got reach.Answer) (Work, error) {
	w := Work{Kind: "file", Address: plainAddress(got.Address), Version: got.Header.Get("ETag")}
	w.Dated, _ = http.ParseTime(got.Header.Get("Last-Modified"))
	control := strings.ToLower(got.Header.Get("Cache-Control"))
	w.Private = asked.User != nil || asked.RawQuery != "" || got.Address.RawQuery != "" ||
		strings.Contains(control, "private") || strings.Contains(control, "no-store")
	if got.Status == http.StatusNotModified {
		w.Unchanged, w.Version = true, ""
		return w, nil
	}
	if len(strings.TrimSpace(string(got.Body[:min(len(got.Body), 4096)]))) == 0 {
		return w, wrong("what is at %s is empty", got.Address.Host)
	}
	if got.Type != "text/html" && got.Type != "application/xhtml+xml" {
		w.Name = nameOf(got)
		w.Items = []Item{{Name: w.Name, Address: w.Address, Body: got.Body}}
		return w, nil
	}
	page := glance(got.Body)
	if err := page.unreadable(got.Address.Host); err != nil {
		return w, err
	}
	w.Kind, w.Name = "page", page.title
	if at, err := got.Address.Parse(page.canonical); err == nil && page.canonical != "" && at.Host == got.Address.Host {
		w.Address = plainAddress(at)
	}
	if w.Name == "" {
		w.Name = strings.TrimSuffix(nameOf(got), ".html")
	}
	if page.track == "" {
		w.Items = []Item{{Name: nameOf(got), Address: w.Address, Body: got.Body}}
		return w, nil
	}
	w.Kind = "talk"
	err := s.fetchedBy(ctx, got, func(ctx context.Context, address string) (reach.Answer, error) {
		return s.visit(ctx, address, "", time.Time{})
	}, func(i Item) error {
		if !i.Problem.IsZero() {
			return &Mistake{What: i.Problem}
		}
		i.Address = w.Address
		w.Items = append(w.Items, i)
		return nil
	})
	return w, err
}

// LookForTopic finds an encyclopedia's article on a topic, under its own title: its
// meanings, if it has several; the nearest, if there is none of the name. address
// is that of the MediaWiki action API or of any of its pages.
func (s *Sources) LookForTopic(ctx context.Context, address, topic string) (Look, error) {
	if topic = strings.Join(strings.Fields(topic), " "); topic == "" {
		return Look{}, wrong("write a topic")
	}
	api, err := s.interfaceOf(ctx, address)
	if err != nil {
		return Look{}, err
	}
	a, nearest, err := s.canonical(ctx, api, topic)
	if err != nil || a.Title == "" {
		return Look{}, err
	}
	if a.ambiguous {
		meanings, err := s.meanings(ctx, api, a.Title)
		if err != nil || len(meanings) > 0 {
			return Look{Meanings: meanings, Nearest: nearest}, err
		}
	}
	w := Work{Kind: "article", Name: a.Title, Address: a.Address, Version: a.Revision, Dated: a.Dated}
	w.Fetch = func(ctx context.Context) ([]Item, error) {
		i, err := s.article(ctx, api, a)
		return []Item{i}, err
	}
	return Look{Works: []Work{w}, Nearest: nearest}, nil
}

// LookForPapers finds papers in a repository, at most so many; see Papers.
func (s *Sources) LookForPapers(ctx context.Context, address, search string, most int) (l Look, err error) {
	feed, base, err := s.feed(ctx, address, search, most)
	if err != nil {
		return l, err
	}
	l.LeftOut = max(0, max(feed.Total, len(feed.Entries))-most)
	for _, e := range feed.Entries[:min(most, len(feed.Entries))] {
		title := plain(e.Title)
		if title == "" {
			continue
		}
		page, file := e.places(base)
		w := Work{Kind: "paper", Name: title, Address: file, Version: e.Updated}
		if file == "" {
			w.Address = page
		}
		w.Dated, _ = time.Parse(time.RFC3339, plain(e.Published))
		w.Fetch = func(ctx context.Context) (items []Item, err error) {
			if file != "" {
				got, err := s.visit(ctx, file, "", time.Time{})
				if err != nil {
					return nil, err
				}
				items = append(items, Item{Name: strings.ReplaceAll(title, "/", "-") + ".pdf", Address: file,
					Body: got.Body})
			}
			return append(items, Item{Name: strings.ReplaceAll(title, "/", "-") + ".about.md", Address: page,
				Body: []byte(e.about(title))}), nil
		}
		l.Works = append(l.Works, w)
	}
	return l, nil
}

// Told is what of an error is told to a visitor; nothing where it is none of theirs.
func Told(err error) phrase.Phrase {
	var m *Mistake
	if errors.As(err, &m) && m.Setup {
		return phrase.Of("this desk cannot look there at the moment; the person who runs it can put it right")
	}
	return problemOf(err)
}

// Misplaced reports whether an error is the maker's, who named the place to look.
func Misplaced(err error) bool {
	var m *Mistake
	return errors.As(err, &m) && m.Setup
}

// File fetches the file at an address as a guest, and says what it is called. Errors that
// people can read are those of Told.
func (s *Sources) File(ctx context.Context, address string) (name string, body []byte, err error) {
	u, err := url.Parse(strings.TrimSpace(address))
	if err != nil || u.Host == "" {
		return "", nil, wrong("%q is no address; it begins with http:// or https://", address)
	}
	got, err := s.visit(ctx, u.String(), "", time.Time{})
	if err != nil {
		return "", nil, err
	}
	name = nameOf(got)
	return name[strings.LastIndex(name, "/")+1:], got.Body, nil
}
