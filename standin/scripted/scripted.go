// Package scripted is a simulated model server of many manners: below /NAME/v1 it
// speaks the chat-completions protocol as one kind of server does that there is, with
// its own ideas of parameters, errors, streams and ends. There is no model in it; each
// reply is the same few words.
package scripted

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
)

// Reply is what a server says that has nothing in its way.
const Reply = "Light it with dry wood."

// Thought is what one that thinks aloud says to itself before that.
const Thought = "Wood or paper? Wood."

// ask is a request as it came.
type ask struct {
	fields   map[string]json.RawMessage
	Messages []struct {
		Role    string `json:"role"`
		Content any    `json:"content"`
	} `json:"messages"`
	Model       string   `json:"model"`
	Stream      bool     `json:"stream"`
	Temperature *float64 `json:"temperature"`
}

func (a *ask) has(field string) bool { return a.fields[field] != nil }

func (a *ask) role(role string) bool {
	for _, m := range a.Messages {
		if m.Role == role {
			return true
		}
	}
	return false
}

// Manner is one kind of server.
type Manner struct {
	Name, About string
	serve       func(w http.ResponseWriter, r *http.Request, a *ask)
	list        func(w http.ResponseWriter)
}

// Server serves all manners. The zero Server is ready.
type Server struct {
	mu    sync.Mutex
	asked map[string]int
}

// Asked is how often a manner was asked for a reply.
func (s *Server) Asked(name string) int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.asked[name]
}

// ServeHTTP serves /NAME/v1/chat/completions and /NAME/v1/models.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	name, path, _ := strings.Cut(strings.TrimPrefix(r.URL.Path, "/"), "/")
	all := slices.Concat(Manners, Lists)
	i := slices.IndexFunc(all, func(m Manner) bool { return m.Name == name })
	if i < 0 {
		http.NotFound(w, r)
		return
	}
	m := all[i]
	switch strings.TrimPrefix(path, "moved/") {
	case "v1/models":
		if m.list == nil {
			fmt.Fprint(w, `{"object":"list","data":[{"id":"m"}]}`)
			return
		}
		m.list(w)
	case "v1/chat/completions":
		s.mu.Lock()
		if s.asked == nil {
			s.asked = map[string]int{}
		}
		s.asked[name]++
		s.mu.Unlock()
		a := &ask{}
		if err := json.NewDecoder(r.Body).Decode(&a.fields); err != nil {
			refuse(w, 400, `{"error":{"message":"the request is no JSON"}}`)
			return
		}
		text, _ := json.Marshal(a.fields)
		_ = json.Unmarshal(text, a)
		if m.serve == nil { // only its list is its own
			answer(w, a)
			return
		}
		m.serve(w, r, a)
	default:
		http.NotFound(w, r)
	}
}

// refuse answers with an error.
func refuse(w http.ResponseWriter, status int, body string) {
	if strings.HasPrefix(body, "{") {
		w.Header().Set("Content-Type", "application/json")
	}
	w.WriteHeader(status)
	fmt.Fprint(w, body)
}

// always refuses every request.
func always(status int, body string, headers ...string) func(http.ResponseWriter, *http.Request, *ask) {
	return func(w http.ResponseWriter, _ *http.Request, _ *ask) {
		for i := 0; i+1 < len(headers); i += 2 {
			w.Header().Set(headers[i], headers[i+1])
		}
		refuse(w, status, body)
	}
}

// unless refuses a request in which something is wrong, and answers others.
func unless(wrong func(*ask) bool, status int, body string) func(http.ResponseWriter, *http.Request, *ask) {
	return func(w http.ResponseWriter, _ *http.Request, a *ask) {
		if wrong(a) {
			refuse(w, status, body)
			return
		}
		answer(w, a)
	}
}

// answer gives the reply as the protocol has it.
func answer(w http.ResponseWriter, a *ask) {
	if !a.Stream {
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprintf(w, `{"choices":[{"index":0,"message":{"role":"assistant","content":%q},"finish_reason":"stop"}]}`, Reply)
		return
	}
	events(w, deltas(Reply)...)
}

// deltas are the events of a text and of its end.
func deltas(text string) (all []string) {
	for _, piece := range strings.SplitAfter(text, " ") {
		all = append(all, delta("content", piece))
	}
	return append(all, finish("stop"), "[DONE]")
}

func delta(key, text string) string {
	quoted, _ := json.Marshal(text)
	return fmt.Sprintf(`{"choices":[{"index":0,"delta":{%q:%s}}]}`, key, quoted)
}

func finish(how string) string {
	return fmt.Sprintf(`{"choices":[{"index":0,"delta":{},"finish_reason":%q}]}`, how)
}

// events sends an event stream; a data line each.
func events(w http.ResponseWriter, data ...string) {
	if w.Header().Get("Content-Type") == "" {
		w.Header().Set("Content-Type", "text/event-stream")
	}
	for _, d := range data {
		fmt.Fprintf(w, "data: %s\n\n", d)
	}
	if f, ok := w.(http.Flusher); ok {
		f.Flush()
	}
}

// stream always answers with these events.
func stream(data ...string) func(http.ResponseWriter, *http.Request, *ask) {
	return func(w http.ResponseWriter, _ *http.Request, _ *ask) { events(w, data...) }
}

// raw always answers with these bytes, of a media type.
func raw(kind, body string) func(http.ResponseWriter, *http.Request, *ask) {
	return func(w http.ResponseWriter, _ *http.Request, _ *ask) {
		w.Header()["Content-Type"] = []string{kind}
		fmt.Fprint(w, body)
	}
}
