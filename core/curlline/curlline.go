// Package curlline reads command lines for curl, as people have them from the
// documentation of an HTTP service or from their browser.
//
//	r, err := curlline.Parse(`curl https://h.example/run -H 'X-Key: k' -d '{"prompt": "Hi"}'`)
//
// Nothing is run and no file is read: a line that takes its body from one is refused,
// and so is one with a form of several parts. Options that change nothing of what is
// asked for are passed over, and so is what follows the command, like a pipe.
package curlline

import (
	"encoding/base64"
	"fmt"
	"net/url"
	"strings"
)

// Header is one header of a request.
type Header struct{ Name, Value string }

// Request is what the line would send.
type Request struct {
	Method, Address string
	Headers         []Header
	Body            string
}

// Get is the value of a header; "" if it is not there.
func (r *Request) Get(name string) string {
	for _, h := range r.Headers {
		if strings.EqualFold(h.Name, name) {
			return h.Value
		}
	}
	return ""
}

// longest is how long a line may be, in bytes.
const longest = 256 << 10

// Options that take a value and change nothing of what is asked for.
var passedOver = map[string]bool{"-o": true, "--output": true, "-m": true, "--max-time": true,
	"--connect-timeout": true, "--retry": true, "--retry-delay": true, "-w": true, "--write-out": true, "-x": true,
	"--proxy": true, "--cacert": true, "--limit-rate": true, "-c": true, "--cookie-jar": true, "--max-redirs": true}

// Parse reads a command line. The error says what of it cannot be taken over.
func Parse(line string) (Request, error) {
	if len(line) > longest {
		return Request{}, fmt.Errorf("the line has more than %d KB", longest>>10)
	}
	words, err := split(line)
	if err != nil {
		return Request{}, err
	}
	if len(words) > 0 && words[0] == "$" {
		words = words[1:]
	}
	if len(words) == 0 || words[0] != "curl" && !strings.HasSuffix(words[0], "/curl") {
		return Request{}, fmt.Errorf("the line is to begin with curl")
	}
	p := parser{words: words[1:]}
	if err := p.run(); err != nil {
		return Request{}, err
	}
	return p.request()
}

type parser struct {
	words   []string
	r       Request
	data    []string
	inQuery bool
}

func (p *parser) run() error {
	for len(p.words) > 0 {
		word := p.words[0]
		p.words = p.words[1:]
		switch {
		case word == "" || word == "-":
		case !strings.HasPrefix(word, "-"):
			if err := p.address(word); err != nil {
				return err
			}
		default:
			if err := p.option(word); err != nil {
				return err
			}
		}
	}
	return nil
}

func (p *parser) address(word string) error {
	if p.r.Address != "" {
		return fmt.Errorf("there are two addresses in the line, %s and %s", p.r.Address, word)
	}
	if !strings.Contains(word, "://") {
		word = "http://" + word
	}
	p.r.Address = word
	return nil
}

// option takes one option; short ones may hold their value, or several may be
// written together.
func (p *parser) option(word string) error {
	name, value, has := word, "", false
	if strings.HasPrefix(word, "--") {
		name, value, has = strings.Cut(word, "=")
	} else if len(word) > 2 {
		name, value, has = word[:2], word[2:], true
	}
	take := func() (string, error) {
		if has {
			return value, nil
		}
		if len(p.words) == 0 {
			return "", fmt.Errorf("%s has no value", name)
		}
		value = p.words[0]
		p.words = p.words[1:]
		return value, nil
	}
	do, known := options[name]
	switch {
	case known:
		text, err := take()
		if err != nil {
			return err
		}
		return do(p, text)
	case passedOver[name]:
		_, err := take()
		return err
	case name == "-G" || name == "--get":
		p.inQuery = true
	}
	if has && !strings.HasPrefix(word, "--") { // the rest are options too
		return p.option("-" + value)
	}
	return nil
}

// options are those that say what is asked for.
var options map[string]func(p *parser, value string) error

func init() {
	header := func(p *parser, value string) error {
		name, text, ok := strings.Cut(value, ":")
		if !ok {
			return fmt.Errorf("the header %q has no colon", value)
		}
		p.r.Headers = append(p.r.Headers, Header{strings.TrimSpace(name), strings.TrimSpace(text)})
		return nil
	}
	named := func(name string) func(*parser, string) error {
		return func(p *parser, value string) error { return header(p, name+": "+value) }
	}
	data := func(p *parser, value string) error {
		if strings.HasPrefix(value, "@") {
			return fmt.Errorf("the body is in a file (%s); write its text into the line", value)
		}
		p.data = append(p.data, value)
		return nil
	}
	raw := func(p *parser, value string) error { p.data = append(p.data, value); return nil }
	encoded := func(p *parser, value string) error {
		name, text, ok := strings.Cut(value, "=")
		if !ok {
			name, text = "", value
		}
		if name != "" {
			name += "="
		}
		p.data = append(p.data, name+url.QueryEscape(text))
		return nil
	}
	user := func(p *parser, value string) error {
		return header(p, "Authorization: Basic "+base64.StdEncoding.EncodeToString([]byte(value)))
	}
	asJSON := func(p *parser, value string) error {
		p.r.Headers = append(p.r.Headers, Header{"Content-Type", "application/json"})
		return data(p, value)
	}
	method := func(p *parser, value string) error { p.r.Method = strings.ToUpper(value); return nil }
	multipart := func(*parser, string) error {
		return fmt.Errorf("forms with files (-F) cannot be taken over; a body of JSON, of a form or of raw bytes can")
	}
	options = map[string]func(*parser, string) error{
		"-H": header, "--header": header, "-A": named("User-Agent"), "--user-agent": named("User-Agent"),
		"-e": named("Referer"), "--referer": named("Referer"), "-b": named("Cookie"), "--cookie": named("Cookie"),
		"--oauth2-bearer": func(p *parser, value string) error { return header(p, "Authorization: Bearer "+value) },
		"-d":              data, "--data": data, "--data-ascii": data, "--data-binary": data, "--data-raw": raw,
		"--data-urlencode": encoded, "--json": asJSON, "-u": user, "--user": user, "-X": method, "--request": method,
		"-F": multipart, "--form": multipart, "-T": multipart, "--upload-file": multipart,
		"--url": func(p *parser, value string) error { return p.address(value) },
	}
}

func (p *parser) request() (Request, error) {
	r := p.r
	if r.Address == "" {
		return r, fmt.Errorf("there is no address in the line")
	}
	u, err := url.Parse(r.Address)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return r, fmt.Errorf("%q is no address of the web", r.Address)
	}
	r.Body = strings.Join(p.data, "&")
	if p.inQuery && r.Body != "" {
		u.RawQuery = strings.TrimPrefix(u.RawQuery+"&"+r.Body, "&")
		r.Address, r.Body = u.String(), ""
	}
	if r.Method == "" {
		r.Method = "GET"
		if r.Body != "" {
			r.Method = "POST"
		}
	}
	return r, nil
}

// split cuts a line into words as a shell does, without running anything.
func split(line string) ([]string, error) {
	var words []string
	var word strings.Builder
	inWord := false
	for i := 0; i < len(line); i++ {
		switch c := line[i]; {
		case c == '\\' && i+1 < len(line):
			i++
			if line[i] == '\r' && i+1 < len(line) && line[i+1] == '\n' {
				i++
			}
			if line[i] != '\n' {
				inWord = true
				word.WriteByte(line[i])
			}
		case c == '\'':
			end := strings.IndexByte(line[i+1:], '\'')
			if end < 0 {
				return nil, fmt.Errorf("a quote (') is never closed")
			}
			inWord = true
			word.WriteString(line[i+1 : i+1+end])
			i += end + 1
		case c == '$' && i+1 < len(line) && line[i+1] == '\'':
			n, err := quotedC(&word, line[i+2:])
			if err != nil {
				return nil, err
			}
			inWord = true
			i += n + 1
		case c == '"':
			n, err := quoted(&word, line[i+1:])
			if err != nil {
				return nil, err
			}
			inWord = true
			i += n
		case c == ' ' || c == '\t' || c == '\n' || c == '\r':
			if inWord {
				words = append(words, word.String())
				word.Reset()
				inWord = false
			}
		case !inWord && (c == '|' || c == ';' || c == '>' || c == '&'):
			return append([]string(nil), words...), nil // another command, or where the answer goes
		default:
			inWord = true
			word.WriteByte(c)
		}
	}
	if inWord {
		words = append(words, word.String())
	}
	return words, nil
}

// quoted reads up to the closing ", and returns how much that was.
func quoted(word *strings.Builder, text string) (int, error) {
	for i := 0; i < len(text); i++ {
		switch {
		case text[i] == '"':
			return i + 1, nil
		case text[i] == '\\' && i+1 < len(text) && strings.IndexByte("\"\\$`\n", text[i+1]) >= 0:
			i++
			if text[i] != '\n' {
				word.WriteByte(text[i])
			}
		default:
			word.WriteByte(text[i])
		}
	}
	return 0, fmt.Errorf("a quote (\") is never closed")
}

// quotedC reads up to the closing ' of $'...', in which \n and the like are escapes.
func quotedC(word *strings.Builder, text string) (int, error) {
	for i := 0; i < len(text); i++ {
		switch {
		case text[i] == '\'':
			return i + 1, nil
		case text[i] == '\\' && i+1 < len(text):
			i++
			switch c := text[i]; c {
			case 'n':
				word.WriteByte('\n')
			case 't':
				word.WriteByte('\t')
			case 'r':
				word.WriteByte('\r')
			case 'u':
				var r rune
				if i+4 < len(text) {
					if _, err := fmt.Sscanf(text[i+1:i+5], "%04x", &r); err == nil {
						word.WriteRune(r)
						i += 4
					}
				}
			default:
				word.WriteByte(c)
			}
		default:
			word.WriteByte(text[i])
		}
	}
	return 0, fmt.Errorf("a quote ($') is never closed")
}
