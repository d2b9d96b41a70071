package protocol

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"time"

	"juvalogos/internal/models"
)

// longestError is how many bytes of a server's error are read.
const longestError = 16 << 10

// told is an error in a server's own words.
type told struct {
	message           string
	code, kind, about string // as far as it says: a code, a type, the parameter
	status            int    // inside a stream; 0: it does not say
}

func (t *told) Error() string { return t.message }

// readTold reads an error in any of the shapes that servers give it.
func readTold(text []byte) *told {
	var v any
	if json.Unmarshal(text, &v) != nil {
		return &told{message: plainWords(text)}
	}
	t := &told{}
	t.read(v, 0)
	if t.message == "" {
		t.message = strings.TrimSpace(string(text))
	}
	return t
}

// read takes what there is from a value of JSON.
func (t *told) read(v any, depth int) {
	if depth > 4 {
		return
	}
	switch v := v.(type) {
	case string:
		if t.message == "" {
			t.message = strings.TrimSpace(v)
		}
	case []any:
		for _, one := range v {
			more := &told{}
			more.read(one, depth+1)
			if more.message != "" && !strings.Contains(t.message, more.message) {
				t.message = strings.TrimPrefix(t.message+"; "+more.message, "; ")
			}
			if t.about == "" {
				t.about = more.about
			}
		}
	case map[string]any:
		t.keys(v, depth)
	}
}

func (t *told) keys(v map[string]any, depth int) {
	for _, key := range []string{"error", "errors", "detail", "details"} {
		if inner, ok := v[key]; ok && inner != nil {
			t.read(inner, depth+1)
		}
	}
	for _, key := range []string{"message", "msg", "error_message", "error_description", "title", "reason"} {
		if text, ok := v[key].(string); ok && t.message == "" {
			t.message = strings.TrimSpace(text)
		}
	}
	word := func(into *string, key string) {
		switch x := v[key].(type) {
		case string:
			*into = firstOf(*into, x)
		case float64:
			*into = firstOf(*into, strconv.Itoa(int(x)))
		case []any: // the place of a parameter
			var parts []string
			for _, p := range x {
				parts = append(parts, fmt.Sprint(p))
			}
			*into = firstOf(*into, strings.Join(parts, "."))
		}
	}
	word(&t.code, "code")
	word(&t.kind, "type")
	word(&t.about, "param")
	word(&t.about, "loc")
	for _, key := range []string{"status", "status_code", "code"} {
		if n, ok := v[key].(float64); ok && n >= 400 && n < 600 && t.status == 0 {
			t.status = int(n)
		}
	}
	if n, err := strconv.Atoi(t.code); err == nil && n >= 400 && n < 600 && t.status == 0 {
		t.status = n
	}
}

func firstOf(a, b string) string {
	if a != "" {
		return a
	}
	return b
}

var (
	titleOf = regexp.MustCompile(`(?is)<title[^>]*>(.*?)</title>`)
	isPage  = regexp.MustCompile(`(?i)^\s*(<!doctype html|<html)`)
)

// plainWords are those of an error that is no JSON.
func plainWords(text []byte) string {
	if isPage.Match(text) {
		if m := titleOf.FindSubmatch(text); m != nil && len(strings.TrimSpace(string(m[1]))) > 0 {
			return fmt.Sprintf("a web page, “%s”", strings.TrimSpace(string(m[1])))
		}
		return "a web page"
	}
	return strings.TrimSpace(string(text))
}

// A rule tells what kind of refusal words mean. It is for statuses from least to
// most (0: inside a stream), and the first that fits holds.
type rule struct {
	kind        models.ErrorKind
	least, most int
	words       *regexp.Regexp // of code, type and message; nil: any
}

func words(pattern string) *regexp.Regexp { return regexp.MustCompile(`(?i)` + pattern) }

// rules are in the order in which they are held against a refusal.
var rules = []rule{
	{models.NoMemory, 0, 599, words(`out of memory|\boom\b|not enough memory|insufficient memory|cuda error.*memory|` +
		`failed to allocate|no memory left`)},
	{models.Busy, 0, 0, words(`rate.?limit|too many requests`)},
	{models.TooLong, 0, 428, words(`context_length_exceeded|string_above_max_length|maximum context|context (length|window|size)|` +
		`too many (input )?tokens|(prompt|input|message|question|text)s? (is|are) too (long|large)|too long for|` +
		`reduce the length|(exceed|larger|longer|greater|more)[^.]{0,60}\btokens\b|\btokens\b[^.]{0,60}(exceed|over the limit)|n_ctx`)},
	{models.TooLong, 413, 413, nil},
	{models.Declined, 0, 499, words(`content_filter|content[ _-]?(policy|management)|policy_violation|safety (system|filter|setting)|` +
		`flagged|moderation|violat\w+[^.]{0,40}polic|usage polic|harmful content`)},
	{models.NoCredit, 402, 402, nil},
	{models.NoCredit, 0, 599, words(`insufficient_(quota|funds|credit|balance)|billing|no credits?\b|out of credits?|credits? (balance|limit)|` +
		`(insufficient|not enough|low) (credit|fund|balance)|payment|top up|prepaid`)},
	{models.Busy, 429, 429, words(`per[ -]?(minute|second|min\b)|\b(rpm|tpm)\b`)},
	{models.OverQuota, 400, 499, words(`\b(daily|monthly|weekly)\b|per[ -]day|per[ -]month|\b(rpd|tpd)\b|quota|limit for (today|this month)`)},
	{models.Waking, 500, 599, words(`\b(loading|warming up|starting up|cold start|not (yet )?ready)\b`)},
	{models.Waking, 0, 429, words(`model is (currently |still )?(being )?(loading|loaded|starting)`)},
	{models.KeyRefused, 401, 401, nil},
	{models.NoAccess, 403, 403, words(`model|access|permi|tier|plan|region|countr|not allowed|organi[sz]ation|project|verif`)},
	{models.KeyRefused, 403, 403, nil},
	{models.UnknownModel, 0, 499, words(`model_not_found|unknown_model|invalid_model|model\b[^.]{0,80}(does not exist|doesn't exist|not found|` +
		`no such|unknown|not available|is not (a )?valid)|(unknown|no such|invalid|could not find)( the)? model`)},
	{models.UnknownModel, 404, 404, words(`model`)},
	{models.KeyRefused, 0, 0, words(`invalid_api_key|unauthorized|authentication`)},
	{models.Busy, 429, 429, nil},
	{models.Busy, 529, 529, nil},
	{models.Busy, 0, 0, words(`overloaded|\bbusy\b`)},
	{models.Busy, 503, 503, words(`overloaded|capacity|\bbusy\b|too many|queue`)},
	{models.Unsupported, 0, 501, words(`unsupported|not supported|not implemented|does not support|doesn't support|unrecogni[sz]ed|unexpected|` +
		`unknown (field|parameter|argument|name|key|property)|extra (input|field|propert)|additional propert|not permitted|` +
		`is not allowed|unknown_parameter|invalid role|\broles?\b|alternat|` +
		`\b(max_tokens|stream_options|temperature|top_p|response_format|seed|stop)\b`)},
	{models.ServerFailed, 500, 599, nil},
	{models.ServerFailed, 0, 0, nil},
}

// classify says what kind of refusal an error is.
func classify(status int, t *told) models.ErrorKind {
	if t.status != 0 && status < 400 {
		status = t.status
	}
	text := t.code + " " + t.kind + " " + t.message
	for _, r := range rules {
		if status >= r.least && status <= r.most && (r.words == nil || r.words.MatchString(text)) {
			return r.kind
		}
	}
	if t.about != "" {
		return models.Unsupported
	}
	return models.Refused
}

// refusal turns an answer with an error for a status into our error.
func (c *caller) refusal(model string, response *http.Response) *models.Error {
	text, _ := io.ReadAll(io.LimitReader(response.Body, longestError))
	t := readTold(text)
	e := c.failure(model, classify(response.StatusCode, t), response.StatusCode, t.message)
	e.RetryAfter = retryAfter(response.Header)
	if e.Kind == models.Busy && e.RetryAfter > longestBusy {
		e.Kind = models.OverQuota
	}
	if e.Kind == models.Refused && response.StatusCode == http.StatusNotFound ||
		response.StatusCode == http.StatusMethodNotAllowed {
		e.Kind, e.Detail = models.Garbled, c.detail(fmt.Sprintf("status %d (%s); check that the address ends where "+
			"/chat/completions begins", response.StatusCode, firstOf(t.message, "without a word")))
	}
	return e
}

// longestBusy is how long a server may want to be left alone to be called busy.
const longestBusy = 10 * time.Minute

// inStream turns an error that came inside an answer into our error.
func (c *caller) inStream(model string, t *told) *models.Error {
	status := 0
	if t.status != 0 {
		status = t.status
	}
	return c.failure(model, classify(0, t), status, t.message)
}

// retryAfter reads the header of that name: seconds, or a date (RFC 9110,
// 10.2.3); or the finer one in milliseconds that some send beside it.
func retryAfter(h http.Header) time.Duration {
	if ms, err := strconv.ParseFloat(h.Get("Retry-After-Ms"), 64); err == nil && ms > 0 {
		return time.Duration(ms * float64(time.Millisecond))
	}
	header := h.Get("Retry-After")
	if seconds, err := strconv.ParseFloat(header, 64); err == nil && seconds > 0 {
		return time.Duration(min(seconds, 1e9) * float64(time.Second))
	}
	if at, err := http.ParseTime(header); err == nil {
		return max(0, time.Until(at))
	}
	return 0
}

// paceOf reads what a server says of how fast it may be asked, in the headers that
// many of them send; false if it says nothing.
func paceOf(h http.Header) (p models.Pace, said bool) {
	number := func(names ...string) int {
		for _, name := range names {
			if n, err := strconv.Atoi(strings.TrimSpace(h.Get(name))); err == nil && n >= 0 {
				said = true
				return n
			}
		}
		return -1
	}
	span := func(names ...string) time.Duration {
		for _, name := range names {
			text := strings.TrimSpace(h.Get(name))
			if d, err := time.ParseDuration(text); err == nil && d > 0 {
				return d
			}
			if s, err := strconv.ParseFloat(text, 64); err == nil && s > 0 {
				if s > 1e9 { // a time of day, in seconds since 1970
					return time.Until(time.Unix(int64(s), 0))
				}
				return time.Duration(s * float64(time.Second))
			}
			if at, err := time.Parse(time.RFC3339, text); err == nil {
				return time.Until(at)
			}
		}
		return 0
	}
	p.Requests = number("X-Ratelimit-Limit-Requests", "Ratelimit-Limit", "X-Ratelimit-Limit")
	p.RequestsLeft = number("X-Ratelimit-Remaining-Requests", "Ratelimit-Remaining", "X-Ratelimit-Remaining")
	p.Tokens = number("X-Ratelimit-Limit-Tokens")
	p.TokensLeft = number("X-Ratelimit-Remaining-Tokens")
	p.RequestsAgain = span("X-Ratelimit-Reset-Requests", "Ratelimit-Reset", "X-Ratelimit-Reset")
	p.TokensAgain = span("X-Ratelimit-Reset-Tokens")
	return p, said
}
