package source

import (
	"context"
	"encoding/xml"
	"fmt"
	"net/url"
	"regexp"
	"strconv"
	"strings"

	"juvalogos/core/phrase"
)

const (
	fewPapers  = 5
	mostPapers = 50
	atomType   = "application/atom+xml"
)

// Papers brings what a search in a paper repository finds: of each paper its
// PDF, if it has one, and a page with its title, authors, date, address and
// summary. The repository answers OpenSearch with Atom (RFC 4287); address is
// that of its description, of one of its pages, or the search's own with
// {searchTerms} in it. most is 1 to 50; 0 means 5.
func (s *Sources) Papers(ctx context.Context, address, search string, most int, take Take) error {
	if search = strings.Join(strings.Fields(search), " "); search == "" {
		return wrong("write what to search for")
	}
	if most == 0 {
		most = fewPapers
	}
	if most < 1 || most > mostPapers {
		return wrong("most is 1 to %d", mostPapers)
	}
	feed, base, err := s.feed(ctx, address, search, most)
	if err != nil {
		return err
	}
	if len(feed.Entries) == 0 {
		return take(Item{Name: search, Problem: phrase.Of("the repository has no paper on it")})
	}
	for _, e := range feed.Entries[:min(most, len(feed.Entries))] {
		if err := s.paper(ctx, base, e, take); err != nil {
			return err
		}
	}
	return nil
}

// feed asks a repository's search.
func (s *Sources) feed(ctx context.Context, address, search string, most int) (feed atom, base *url.URL, err error) {
	if search = plain(search); search == "" {
		return feed, nil, wrong("write what to search for")
	}
	template, err := s.placed("search "+address, func() (string, error) { return s.template(ctx, address) })
	if err != nil {
		return feed, nil, err
	}
	got, err := s.askInterface(ctx, filled(template, search, most))
	if err != nil {
		return feed, nil, err
	}
	if err := xml.Unmarshal(got.Body, &feed); err != nil || feed.XMLName.Local != "feed" {
		return feed, nil, misplaced("%s does not answer with Atom", got.Address.Host)
	}
	return feed, got.Address, nil
}

// paper brings one: its PDF, and what is known of it.
func (s *Sources) paper(ctx context.Context, base *url.URL, e entry, take Take) error {
	title := plain(e.Title)
	if title == "" {
		return take(Item{Name: e.ID, Problem: phrase.Of("it has no title")})
	}
	name := strings.ReplaceAll(title, "/", "-")
	page, file := e.places(base)
	if file != "" {
		item := Item{Name: name + ".pdf", Address: file}
		got, err := s.get(ctx, file)
		if item.Problem = problemOf(err); item.Problem.IsZero() && err != nil {
			return err
		}
		item.Body = got.Body
		if err := take(item); err != nil {
			return err
		}
	}
	return take(Item{Name: name + ".about.md", Address: page, Body: []byte(e.about(title))})
}

// atom is a feed, as far as it is used (RFC 4287).
type atom struct {
	XMLName xml.Name
	Total   int     `xml:"totalResults"` // OpenSearch
	Entries []entry `xml:"entry"`
}

type entry struct {
	ID        string `xml:"id"`
	Title     string `xml:"title"`
	Summary   string `xml:"summary"`
	Published string `xml:"published"`
	Updated   string `xml:"updated"`
	Authors   []struct {
		Name string `xml:"name"`
	} `xml:"author"`
	Links []struct {
		Href string `xml:"href,attr"`
		Rel  string `xml:"rel,attr"`
		Type string `xml:"type,attr"`
	} `xml:"link"`
}

// places are the addresses of a paper's page and of its PDF; "" for none.
func (e entry) places(base *url.URL) (page, file string) {
	page = e.ID
	for _, link := range e.Links {
		at, err := base.Parse(link.Href)
		if err != nil {
			continue
		}
		switch {
		case link.Type == "application/pdf":
			file = at.String()
		case link.Rel == "" || link.Rel == "alternate":
			page = at.String()
		}
	}
	return page, file
}

// about is what is known of a paper, as Markdown.
func (e entry) about(title string) string {
	var authors []string
	for _, a := range e.Authors {
		authors = append(authors, plain(a.Name))
	}
	var b strings.Builder
	fmt.Fprintf(&b, "# %s\n\n", title)
	if len(authors) > 0 {
		fmt.Fprintf(&b, "By %s.", strings.Join(authors, ", "))
	}
	if day, _, _ := strings.Cut(plain(e.Published), "T"); day != "" {
		fmt.Fprintf(&b, " Published on %s.", day)
	}
	fmt.Fprintf(&b, "\n\n## Summary\n\n%s\n", plain(e.Summary))
	return b.String()
}

// plain is a text on one line.
func plain(text string) string { return strings.Join(strings.Fields(text), " ") }

// template is the address of a repository's search with what is to be filled
// in (OpenSearch 1.1).
func (s *Sources) template(ctx context.Context, address string) (string, error) {
	if strings.Contains(address, "{searchTerms}") {
		return address, nil
	}
	at, err := s.linked(ctx, address, "search", "application/opensearchdescription+xml")
	if err != nil {
		return "", err
	}
	got, err := s.askInterface(ctx, at.String())
	if err != nil {
		return "", err
	}
	var d struct {
		XMLName xml.Name
		URLs    []struct {
			Type     string `xml:"type,attr"`
			Template string `xml:"template,attr"`
		} `xml:"Url"`
	}
	if xml.Unmarshal(got.Body, &d) == nil && d.XMLName.Local == "OpenSearchDescription" {
		for _, u := range d.URLs {
			if u.Type == atomType && strings.Contains(u.Template, "{searchTerms}") {
				return resolved(got.Address, u.Template), nil
			}
		}
	}
	return "", misplaced("%s has no OpenSearch description of a search that answers with Atom", at.Host)
}

// resolved makes a template that names no host one of the host it came from.
func resolved(base *url.URL, template string) string {
	if strings.HasPrefix(template, "/") {
		return base.Scheme + "://" + base.Host + template
	}
	return template
}

var parameter = regexp.MustCompile(`\{(\w+)\??\}`)

// filled is the address of one search. What is not known is left empty.
func filled(template, search string, most int) string {
	return parameter.ReplaceAllStringFunc(template, func(p string) string {
		switch parameter.FindStringSubmatch(p)[1] {
		case "searchTerms":
			return url.QueryEscape(search)
		case "count":
			return strconv.Itoa(most)
		case "startIndex", "startPage":
			return "1"
		case "inputEncoding", "outputEncoding":
			return "UTF-8"
		}
		return ""
	})
}
