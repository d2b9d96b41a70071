package source

import (
	"bytes"
	"strings"

	"golang.org/x/net/html"
)

// A page is looked at, tag by tag and only so far, for what tells whether it is
// worth reading; it is read elsewhere.

// glanced is what a page shows at a glance.
type glanced struct {
	title     string
	canonical string // the address that it says is its own
	track     string // of captions
	words     int    // that a reader sees
	scripts   int
	noscript  bool // it says something to those whose programs do not run
	password  bool // it asks for one
}

// mostGlanced is how many bytes of a page are looked at.
const mostGlanced = 2 << 20

func glance(body []byte) (g glanced) {
	z := html.NewTokenizer(bytes.NewReader(body[:min(len(body), mostGlanced)]))
	z.SetMaxBuf(mostGlanced)
	unseen, inTitle := 0, false
	for {
		switch z.Next() {
		case html.ErrorToken:
			return g
		case html.TextToken:
			switch {
			case inTitle && g.title == "":
				g.title = strings.Join(strings.Fields(string(z.Text())), " ")
			case unseen == 0 && !inTitle:
				g.words += len(bytes.Fields(z.Text()))
			}
		case html.StartTagToken, html.SelfClosingTagToken:
			name, more := z.TagName()
			tag := string(name)
			said := map[string]string{}
			for more {
				var key, value []byte
				key, value, more = z.TagAttr()
				said[string(key)] = string(value)
			}
			g.tag(tag, said)
			switch tag {
			case "script", "style", "noscript", "template":
				unseen++
			case "title":
				inTitle = true
			}
		case html.EndTagToken:
			name, _ := z.TagName()
			switch string(name) {
			case "script", "style", "noscript", "template":
				unseen = max(0, unseen-1)
			case "title":
				inTitle = false
			}
		}
	}
}

func (g *glanced) tag(tag string, said map[string]string) {
	switch tag {
	case "script":
		g.scripts++
	case "noscript":
		g.noscript = true
	case "link":
		if strings.EqualFold(said["rel"], "canonical") {
			g.canonical = said["href"]
		}
	case "input":
		g.password = g.password || strings.EqualFold(said["type"], "password")
	case "track":
		if kind := strings.ToLower(said["kind"]); g.track == "" && (kind == "" || kind == "captions" ||
			kind == "subtitles") {
			g.track = said["src"]
		}
	}
}

// So few words that a page says nothing by itself, if a program in it may; and so few
// that one which asks for a password says nothing else.
const fewWords, besidePassword = 20, 60

// unreadable says why there is nothing to read on a page.
func (g glanced) unreadable(host string) error {
	switch {
	case g.password && g.words < besidePassword:
		return wrong("%s lets only those read it who sign in there; save it and attach the file", host)
	case g.track != "":
		return nil
	case g.scripts > 0 && (g.words < fewWords/4 || g.noscript && g.words < fewWords):
		return wrong("a program in the page at %s writes its text, which is not run here; save what you see as a PDF "+
			"and attach it", host)
	case g.words == 0:
		return wrong("there is no text on the page at %s", host)
	}
	return nil
}
