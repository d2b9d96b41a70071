package shelf

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"net/url"
	"regexp"
	"strconv"
	"strings"

	"juvalogos/internal/record"
)

const (
	fewPapers  = 5
	mostPapers = 50
	atomType   = "application/atom+xml"
)

// AddPapers puts what a search in a paper repository finds on a shelf: of each
// paper its PDF, if it has one, and a page with its title, authors, date,
// address and summary. The repository answers OpenSearch with Atom (RFC 4287);
// address is that of its description, of one of its pages, or the search's own
// with {searchTerms} in it. most is 1 to 50; 0 means 5.
func (l *Library) AddPapers(ctx context.Context, slug, address, search string, most int, by string) (all []Added, err error) {
	f, err := l.site(ctx, slug)
	if err != nil {
		return nil, err
	}
	if search = strings.Join(strings.Fields(search), " "); search == "" {
		return nil, wrong("write what to search for")
	}
	if most == 0 {
		most = fewPapers
	}
	if most < 1 || most > mostPapers {
		return nil, wrong("most is 1 to %d", mostPapers)
	}
	template, err := l.template(ctx, address)
	if err != nil {
		return nil, err
	}
	got, err := l.get(ctx, filled(template, search, most))
	if err != nil {
		return nil, err
	}
	var feed atom
	if err := xml.Unmarshal(got.Body, &feed); err != nil || feed.XMLName.Local != "feed" {
		return nil, wrong("%s does not answer with Atom", got.Address.Host)
	}
	if len(feed.Entries) == 0 {
		return []Added{{Name: search, Problem: "the repository has no paper on it"}}, nil
	}
	for _, e := range feed.Entries[:min(most, len(feed.Entries))] {
		some, err := l.addPaper(ctx, f, got.Address, e, by)
		all = append(all, some...)
		if err != nil {
			return all, err
		}
	}
	return all, nil
}

// atom is a feed, as far as it is used (RFC 4287).
type atom struct {
	XMLName xml.Name
	Entries []entry `xml:"entry"`
}

type entry struct {
	ID        string `xml:"id"`
	Title     string `xml:"title"`
	Summary   string `xml:"summary"`
	Published string `xml:"published"`
	Authors   []struct {
		Name string `xml:"name"`
	} `xml:"author"`
	Links []struct {
		Href string `xml:"href,attr"`
		Rel  string `xml:"rel,attr"`
		Type string `xml:"type,attr"`
	} `xml:"link"`
}

func (l *Library) addPaper(ctx context.Context, f record.Shelf, base *url.URL, e entry, by string) (all []Added, err error) {
	plain := func(s string) string { return strings.Join(strings.Fields(s), " ") }
	title := plain(e.Title)
	if title == "" {
		return []Added{{Name: e.ID, Problem: "it has no title"}}, nil
	}
	name := cleanName(strings.ReplaceAll(title, "/", "-"))
	page, file := e.ID, ""
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
	if file != "" {
		got, err := l.get(ctx, file)
		var mistake *Problem
		switch {
		case errors.As(err, &mistake):
			all = append(all, Added{Name: name + ".pdf", Problem: mistake.Error()})
		case err != nil:
			return all, err
		default:
			one, err := l.add(ctx, f, name+".pdf", file, by, bytes.NewReader(got.Body))
			if err != nil {
				return all, err
			}
			all = append(all, one)
		}
	}
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
	one, err := l.add(ctx, f, name+".about.md", page, by, strings.NewReader(b.String()))
	if err != nil {
		return all, err
	}
	return append(all, one), nil
}

// template is the address of a repository's search with what is to be filled
// in (OpenSearch 1.1).
func (l *Library) template(ctx context.Context, address string) (string, error) {
	if strings.Contains(address, "{searchTerms}") {
		return address, nil
	}
	at, err := l.linked(ctx, address, "search", "application/opensearchdescription+xml")
	if err != nil {
		return "", err
	}
	got, err := l.get(ctx, at.String())
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
	return "", wrong("%s has no OpenSearch description of a search that answers with Atom", at.Host)
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
