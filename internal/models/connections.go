// Package models knows the places where models live and asks them.
//
// A connection file names model servers; Open turns it into a Registry, in
// which a model is found by name. How to talk to a server is a Protocol, one
// package each below this one.
package models

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"time"

	"golang.org/x/net/http/httpguts"

	"juvalogos/core/picture"
	"juvalogos/core/prompt"
	"juvalogos/core/yamlfile"
	"juvalogos/internal/vault"
)

// UnknownProtocol is a connection's that is not spoken here.
type UnknownProtocol struct {
	Name   string
	Spoken []string
}

func (u UnknownProtocol) Error() string {
	return fmt.Sprintf("the protocol %q is not spoken here; write one of: %s", u.Name, strings.Join(u.Spoken, ", "))
}

// File is a connection file.
type File struct {
	Connections []Connection `yaml:"connections" need:"yes" least:"1" about:"The model servers."`
}

// Connection is a place where models live.
type Connection struct {
	Name     string         `yaml:"name" json:"name" need:"yes" most:"60" pattern:"^[a-z0-9]+(-[a-z0-9]+)*$" patternhelp:"use small letters, digits and single hyphens" about:"A name of your choice."`
	Protocol string         `yaml:"protocol,omitempty" json:"protocol,omitempty" about:"How it is asked. chat-completions (the default): the HTTP protocol that most model servers speak; endpoint: any HTTP address; program: a local program."`
	Address  string         `yaml:"address,omitempty" json:"address" most:"500" about:"The base address, the part before /chat/completions; not for programs." example:"http://127.0.0.1:8000/v1"`
	Key      string         `yaml:"key,omitempty" json:"key,omitempty" about:"Where the key is: env:NAME or file:PATH, never the key itself. Left out: no key." example:"env:MODEL_KEY"`
	Headers  yamlfile.Texts `yaml:"headers,omitempty" json:"headers,omitempty" about:"Further headers of every request. {key} stands for the key, which then goes nowhere else." example:"{X-Api-Key: '{key}'}"`
	CA       string         `yaml:"ca,omitempty" json:"ca,omitempty" most:"500" about:"A file with certificates (PEM) that are trusted beside the system's." example:"/etc/ssl/hall.pem"`
	Proxy    string         `yaml:"proxy,omitempty" json:"proxy,omitempty" most:"500" about:"The HTTP proxy that leads there. Left out: none." example:"http://proxy.example:3128"`
	Patience time.Duration  `yaml:"patience,omitempty" json:"patience,omitempty" about:"How long to wait for the next word before giving up; 60s if left out."`
	Longest  time.Duration  `yaml:"longest,omitempty" json:"longest,omitempty" about:"How long one reply may take in all; 15m if left out."`
	MostText int            `yaml:"most_text,omitempty" json:"most_text,omitempty" least:"1000" most:"100000000" about:"The most bytes of one reply, whatever was asked for; 2000000 if left out."`
	AtOnce   int            `yaml:"at_once,omitempty" json:"at_once,omitempty" least:"1" most:"100000" about:"The most replies at once; more wait in line, and visitors take turns. Left out: any number."`
	Requests int            `yaml:"requests_a_minute,omitempty" json:"requests_a_minute,omitempty" least:"1" most:"1000000" about:"The most requests a minute; more wait. What the server says of its own bounds is heeded in any case."`
	Tokens   int            `yaml:"tokens_a_minute,omitempty" json:"tokens_a_minute,omitempty" least:"1" most:"1000000000" about:"The most tokens a minute, of prompts and replies together; more wait."`
	Endpoint *Endpoint      `yaml:"endpoint,omitempty" json:"endpoint,omitempty" about:"How the address is asked, for the protocol endpoint."`
	Program  *Program       `yaml:"program,omitempty" json:"program,omitempty" about:"The program, for the protocol program."`
	Models   []Model        `yaml:"models" json:"models" need:"yes" least:"1" about:"The models there that desks may use."`

	typed *typedKey
}

// typedKey is a key that somebody typed in, instead of a reference to one.
type typedKey struct {
	key Secret
	err error
}

// WithKey returns the connection with a key of its own. If err is not nil it
// says why there is none.
func (c Connection) WithKey(key Secret, err error) Connection {
	c.typed = &typedKey{key, err}
	return c
}

// KeyOf returns the connection with another one's key.
func (c Connection) KeyOf(o Connection) Connection {
	c.Key, c.typed = o.Key, o.typed
	return c
}

// Typed reports whether the connection has a key that was typed in.
func (c Connection) Typed() bool { return c.typed != nil && c.typed.err == nil }

// Model is a model as the connection file describes it.
type Model struct {
	Name       string   `yaml:"name" json:"name" need:"yes" most:"200" about:"The model's name, as the server knows it."`
	Can        []string `yaml:"can,omitempty" json:"can" choices:"chat,see,hear,pictures,speech,embeddings" about:"What it can do: chat, see (take pictures), hear (take sound), pictures (make them), speech (make sound), embeddings. Left out: chat."`
	Context    int      `yaml:"context" json:"context" need:"yes" least:"256" most:"100000000" about:"The most tokens of prompt and reply together."`
	Vocabulary string   `yaml:"vocabulary,omitempty" json:"vocabulary" choices:"o200k_base,cl100k_base,p50k_base,r50k_base" about:"The vocabulary its tokens come from, if known. Left out: lengths are estimated on the safe side."`
	Price      Price    `yaml:"price,omitempty" json:"price" about:"What it costs, in your own currency."`
	Takes      Takes    `yaml:"takes,omitempty" json:"takes,omitzero" about:"How it takes pictures, where it sees them or makes others of them."`
	Hears      Hears    `yaml:"hears,omitempty" json:"hears,omitzero" about:"How it takes sound, where it writes down what is spoken."`
	Speaks     Speaks   `yaml:"speaks,omitempty" json:"speaks,omitzero" about:"How it speaks, where it does."`
	Manners    *Manners `yaml:"manners,omitempty" json:"manners,omitempty" about:"How the server wants to be asked for it, where that is not as usual; juvalogos model probe finds out."`
}

// Price is what a model costs, in a currency of its owner's.
type Price struct {
	In      float64 `yaml:"in" json:"in" least:"0" about:"Per million tokens of prompt."`
	Out     float64 `yaml:"out" json:"out" least:"0" about:"Per million tokens of reply."`
	Cached  float64 `yaml:"cached,omitempty" json:"cached,omitempty" least:"0" about:"Per million tokens of prompt that the server had kept from before; as in if left out."`
	Picture float64 `yaml:"picture,omitempty" json:"picture,omitempty" least:"0" about:"Per picture that it makes."`
	Minute  float64 `yaml:"minute,omitempty" json:"minute,omitempty" least:"0" about:"Per minute of sound that it hears or makes."`
}

// Takes is how a model takes pictures; they are made so before they are sent.
type Takes struct {
	Side     int      `yaml:"side,omitempty" json:"side,omitempty" least:"64" most:"20000" about:"The most dots of the longer side; 2048 if left out."`
	Width    int      `yaml:"width,omitempty" json:"width,omitempty" least:"16" most:"20000" about:"With height: a size that it takes and no other."`
	Height   int      `yaml:"height,omitempty" json:"height,omitempty" least:"16" most:"20000" about:"With width: a size that it takes and no other."`
	Shape    string   `yaml:"shape,omitempty" json:"shape,omitempty" choices:"cut,fill" about:"For models that want square pictures: cut (the middle is taken) or fill (white is put beside it). Left out: any shape."`
	Kinds    []string `yaml:"kinds,omitempty" json:"kinds,omitempty" most:"2" choices:"jpeg,png" about:"The kinds of files: jpeg, png. Left out: both."`
	Bytes    int      `yaml:"bytes,omitempty" json:"bytes,omitempty" least:"10000" most:"100000000" about:"The most bytes of a file; 5000000 if left out."`
	Most     int      `yaml:"most,omitempty" json:"most,omitempty" least:"1" most:"100" about:"The most pictures of one question; any number if left out."`
	Tokens   int      `yaml:"tokens,omitempty" json:"tokens,omitempty" least:"0" most:"100000" about:"The tokens that a picture takes, whatever its size; 85 if left out."`
	Seeds    bool     `yaml:"seeds,omitempty" json:"seeds,omitempty" about:"Whether it takes a seed when it makes pictures. Where nobody gives one, one is drawn then, so that a picture can be made again."`
	Previews int      `yaml:"previews,omitempty" json:"previews,omitempty" least:"0" most:"3" about:"How many previews of a picture are asked for, where its server sends some; none if left out."`
	PerToken int      `yaml:"dots_per_token,omitempty" json:"dots_per_token,omitempty" least:"1" most:"100000000" about:"How many dots take one token more; 750 if left out."`
}

// Hears is how a model takes sound; recordings are cut and made so before they are sent.
type Hears struct {
	Kind      string   `yaml:"kind,omitempty" json:"kind,omitempty" choices:"wav,mp3,flac,ogg" about:"The kind of files that it gets; wav if left out."`
	Rate      int      `yaml:"rate,omitempty" json:"rate,omitempty" least:"8000" most:"48000" about:"Their samples a second; 16000 if left out."`
	Channels  int      `yaml:"channels,omitempty" json:"channels,omitempty" least:"1" most:"2" about:"Their channels; 1 if left out."`
	Seconds   int      `yaml:"seconds,omitempty" json:"seconds,omitempty" least:"5" most:"7200" about:"The longest piece that it gets; 300 if left out. Shorter ones are done sooner, several at once."`
	Lead      int      `yaml:"lead,omitempty" json:"lead,omitempty" most:"60" about:"So many seconds of what came before are heard once more with each piece, and their words left out: for recognisers that begin badly and give words their times. None if left out."`
	Bytes     int      `yaml:"bytes,omitempty" json:"bytes,omitempty" least:"100000" most:"40000000" about:"The most bytes of a piece; 25000000 if left out."`
	AtOnce    int      `yaml:"at_once,omitempty" json:"at_once,omitempty" least:"1" most:"16" about:"How many pieces of a recording are asked for at once; 3 if left out."`
	Answers   string   `yaml:"answers,omitempty" json:"answers,omitempty" choices:"verbose_json,json,text,srt,vtt" about:"The form in which its server answers. Left out: verbose_json, with times, and json where the server does not know that."`
	Languages []string `yaml:"languages,omitempty" json:"languages,omitempty" most:"100" about:"The languages that it knows (ISO 639-1). Left out: many; it finds out which is spoken." example:"[en]"`
	English   bool     `yaml:"into_english,omitempty" json:"into_english,omitempty" about:"Whether it can translate into English what it hears."`
	Prompts   *bool    `yaml:"prompts,omitempty" json:"prompts,omitempty" about:"Whether it heeds names and spellings that come along; true if left out."`
}

// What is said nowhere of how a model takes sound.
const (
	usualPiece      = 300
	usualSoundBytes = 25_000_000
	usualAtOnce     = 3
	usualRate       = 16000
)

// Piece is the longest piece of a recording that the model gets, in seconds, without what
// leads up to it: what its server takes in time and in bytes.
func (h Hears) Piece() float64 {
	most := h.most()
	return most - min(float64(h.Lead), most/2)
}

// LeadTo is how much of a recording is heard before a piece that begins at a second.
func (h Hears) LeadTo(start float64) float64 { return min(float64(h.Lead), h.most()/2, start) }

// Hearing is about what a recording of so many seconds costs, with what leads up to its
// pieces, in the currency of the prices.
func (m Model) Hearing(seconds float64) float64 {
	pieces := math.Ceil(seconds / m.Hears.Piece())
	return m.Price.Minutes(seconds + max(0, pieces-1)*m.Hears.LeadTo(seconds))
}

func (h Hears) most() float64 {
	// Bytes a second, on the safe side, of one channel and a sample's rate.
	rate := float64(cmp.Or(h.Rate, usualRate) * cmp.Or(h.Channels, 1))
	each := map[string]float64{"mp3": 9000, "ogg": 6000, "flac": 1.6 * rate, "wav": 2 * rate}[cmp.Or(h.Kind, "wav")]
	return min(float64(cmp.Or(h.Seconds, usualPiece)), float64(cmp.Or(h.Bytes, usualSoundBytes)-10_000)/each)
}

// Pieces is how many of them are asked for at once.
func (h Hears) Pieces() int { return cmp.Or(h.AtOnce, usualAtOnce) }

// Guided reports whether it heeds names and spellings.
func (h Hears) Guided() bool { return h.Prompts == nil || *h.Prompts }

// Knows reports whether it knows a language, by its code.
func (h Hears) Knows(code string) bool {
	return len(h.Languages) == 0 || slices.Contains(h.Languages, code)
}

// Speaks is how a model speaks.
type Speaks struct {
	Voices     []string `yaml:"voices,omitempty" json:"voices,omitempty" most:"30" about:"The names of its voices; the first is the usual one." example:"[slt]"`
	Kind       string   `yaml:"kind,omitempty" json:"kind,omitempty" choices:"mp3,wav,ogg,opus,flac,aac" about:"The kind of files that are asked for; mp3 if left out."`
	Characters int      `yaml:"characters,omitempty" json:"characters,omitempty" least:"50" most:"100000" about:"The most characters that it speaks at once; 1000 if left out."`
}

const usualCharacters = 1000

// Most is the most characters that it speaks at once.
func (s Speaks) Most() int { return cmp.Or(s.Characters, usualCharacters) }

// Voice is the voice of a name, or the usual one; "" if none is known.
func (s Speaks) Voice(name string) string {
	if name == "" && len(s.Voices) > 0 {
		return s.Voices[0]
	}
	return name
}

// Minutes is what so many seconds of sound cost.
func (p Price) Minutes(seconds float64) float64 { return seconds / 60 * p.Minute }

// What a model takes of which nothing is said.
const (
	usualSide     = 2048
	usualBytes    = 5_000_000
	usualTokens   = 85
	usualPerToken = 750
)

// Wanted is what is made of a picture for the model.
func (t Takes) Wanted() picture.Wanted {
	w := picture.Wanted{Side: cmp.Or(t.Side, usualSide), Width: t.Width, Height: t.Height, Shape: t.Shape,
		Bytes: cmp.Or(t.Bytes, usualBytes)}
	for _, kind := range t.Kinds {
		w.Kinds = append(w.Kinds, "image/"+kind)
	}
	return w
}

// TokensOf estimates how many tokens a picture of so many dots takes, once it is made
// for the model.
func (t Takes) TokensOf(width, height int) int {
	dots := float64(width) * float64(height)
	switch side := float64(cmp.Or(t.Side, usualSide)); {
	case t.Width > 0 && t.Height > 0:
		dots = float64(t.Width) * float64(t.Height)
	case t.Shape == picture.Cut:
		dots = min(side, float64(min(width, height)))
		dots *= dots
	case t.Shape == picture.Fill:
		dots = min(side, float64(max(width, height)))
		dots *= dots
	default:
		if longer := float64(max(width, height)); longer > side {
			dots *= side / longer * side / longer
		}
	}
	return cmp.Or(t.Tokens, usualTokens) + int(math.Ceil(dots/float64(cmp.Or(t.PerToken, usualPerToken))))
}

// Of is what so many tokens cost. cached are those of the prompt that the server
// had kept from before.
func (p Price) Of(promptTokens, cached, replyTokens int) float64 {
	const million = 1_000_000
	kept := p.Cached
	if kept == 0 {
		kept = p.In
	}
	cached = min(cached, promptTokens)
	return (float64(promptTokens-cached)*p.In + float64(cached)*kept + float64(replyTokens)*p.Out) / million
}

const (
	// DefaultPatience is how long a server may be silent.
	DefaultPatience = time.Minute
	// DefaultLongest is how long one reply may take.
	DefaultLongest = 15 * time.Minute
	// DefaultMostText is how many bytes one reply may have.
	DefaultMostText = 2_000_000
)

// MostBytes is how long a reply may grow that was asked to have so many tokens
// (0: any number): a server that keeps to that stays well below.
func (c Connection) MostBytes(tokens int) int {
	most := c.MostText
	if most == 0 {
		most = DefaultMostText
	}
	if tokens > 0 && tokens < most/bytesPerToken {
		// The longest tokens of common vocabularies are longer, but no text is made
		// of them alone.
		return max(tokens*bytesPerToken, leastBound)
	}
	return most
}

const (
	bytesPerToken = 32
	leastBound    = 4 << 10
)

// Schema returns the JSON Schema of connection files.
func Schema() map[string]any { return yamlfile.Schema("A Juvalogos connection file", File{}) }

// Read reads and checks a connection file. name is its name in problems, which
// are the error: yamlfile.Problems.
func Read(name string, src []byte, protocols map[string]Protocol) (File, error) {
	var f File
	if err := yamlfile.Decode(name, src, &f); err != nil {
		return File{}, err
	}
	var problems yamlfile.Problems
	say := func(format string, args ...any) {
		problems = append(problems, yamlfile.Problem{File: name, Message: fmt.Sprintf(format, args...)})
	}
	seen := map[string]bool{}
	for i := range f.Connections {
		c := &f.Connections[i]
		if seen[c.Name] {
			say("two connections are named %q; give each a name of its own", c.Name)
		}
		seen[c.Name] = true
		c.complete()
		if protocols[c.Protocol] == nil {
			say("%s", UnknownProtocol{c.Protocol, slices.Sorted(maps.Keys(protocols))})
		}
		for _, wrong := range c.wrong() {
			say("connection %q: %s", c.Name, wrong)
		}
	}
	if problems != nil {
		return File{}, problems
	}
	return f, nil
}

// complete fills in what was left out.
func (c *Connection) complete() {
	if c.Protocol == "" {
		switch {
		case c.Program != nil:
			c.Protocol = ProgramWay
		case c.Endpoint != nil:
			c.Protocol = EndpointWay
		default:
			c.Protocol = ChatCompletions
		}
	}
	if c.Patience == 0 {
		c.Patience = DefaultPatience
	}
	if c.Longest == 0 {
		c.Longest = DefaultLongest
	}
	if c.MostText == 0 {
		c.MostText = DefaultMostText
	}
	c.Address = strings.TrimRight(c.Address, "/")
	for j := range c.Models {
		if len(c.Models[j].Can) == 0 {
			c.Models[j].Can = []string{"chat"}
		}
	}
}

// wrong says what of a connection cannot be.
func (c *Connection) wrong() (all []string) {
	say := func(format string, args ...any) { all = append(all, fmt.Sprintf(format, args...)) }
	switch {
	case c.Protocol == ProgramWay:
		if c.Program == nil {
			say("program is missing: what is to be run")
		}
		if c.Address != "" {
			say("a program has no address; leave it out")
		}
	case !usable(c.Address):
		say("the address must look like http://host:port/v1, without a name or password in it")
	}
	if c.Protocol == EndpointWay && c.Endpoint == nil {
		say("endpoint is missing: how the address is asked")
	}
	if c.Program != nil && c.Protocol != ProgramWay || c.Endpoint != nil && c.Protocol != EndpointWay {
		say("program and endpoint go with the protocol of that name, not with %s", c.Protocol)
	}
	if c.Proxy != "" && !usable(c.Proxy) {
		say("the proxy must look like http://host:port, without a name or password in it")
	}
	if c.Key != "" && !strings.HasPrefix(c.Key, "env:") && !strings.HasPrefix(c.Key, "file:") {
		say("key must be env:NAME or file:PATH, so that the key itself stays out of this file")
	}
	headers := []yamlfile.Texts{c.Headers}
	if c.Endpoint != nil {
		headers = append(headers, c.Endpoint.Headers)
	}
	for _, texts := range headers {
		for name, value := range texts {
			if !httpguts.ValidHeaderFieldName(name) || !httpguts.ValidHeaderFieldValue(value) {
				say("%q: %q is no header that can be sent", name, value)
			}
			if HoldsKey(name) && !strings.Contains(value, KeyMark) {
				say("the header %s looks like one that holds a key; write {key} in its place and name the key with key",
					name)
			}
		}
	}
	return all
}

// KeyMark stands for the key in headers.
const KeyMark = "{key}"

// HoldsKey reports whether a header's value is nobody's to read, by its name.
func HoldsKey(name string) bool { return secretName.MatchString(name) }

var secretName = regexp.MustCompile(`(?i)^(proxy-)?authorization$|^cookie$|(^|[-_])(api-?key|key|token|secret)$`)

// usable reports whether an address can be called.
func usable(address string) bool {
	u, err := url.Parse(address)
	return err == nil && (u.Scheme == "http" || u.Scheme == "https") && u.Host != "" && u.User == nil
}

// Able reports whether the model can do what is named.
func (m Model) Able(what string) bool { return slices.Contains(m.Can, what) }

// Counter counts in the model's vocabulary. It fails if there is no such
// vocabulary.
func (m Model) Counter() (prompt.Counter, error) { return prompt.NewCounter(m.Vocabulary) }

// Secret is a key. It prints, logs and marshals as a placeholder.
type Secret struct{ text string }

const placeholder = "(secret)"

// NewSecret wraps a key.
func NewSecret(text string) Secret { return Secret{text} }

// Reveal returns the key itself, for the one request that carries it.
func (s Secret) Reveal() string { return s.text }

func (s Secret) String() string               { return placeholder }
func (s Secret) GoString() string             { return placeholder }
func (s Secret) MarshalText() ([]byte, error) { return []byte(placeholder), nil }

// Hide takes the key out of a text, in whatever form it is likely to stand there:
// servers like to repeat it in their errors.
func (s Secret) Hide(text string) string { return vault.Hide(text, s.text) }

// key fetches what the connection's reference points to. The error says what
// to do and holds no secret.
func (c Connection) key() (Secret, error) {
	if c.typed != nil {
		return c.typed.key, c.typed.err
	}
	text, err := vault.Read(c.Key)
	return Secret{text}, err
}
