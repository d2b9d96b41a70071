package modelserver

import (
	"bytes"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"net/http"
	"strings"
	"sync"
	"time"
)

// Server is the simulated server. Key is the bearer key that callers must show.
type Server struct {
	Key string

	mu       sync.Mutex
	control  Control
	requests int
	embedded int
	kept     map[string][]byte // pictures that are fetched by links
	jobs     map[string]*slowJob
	// Ended is how many jobs of the slow host were given up.
	Ended int
}

// Handler serves the protocol below /v1 and the controls at /admin/control.
func (s *Server) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, _ *http.Request) {
		fmt.Fprintln(w, "This is a simulated model server for demos and tests. There is no model in it.")
	})
	mux.HandleFunc("GET /v1/models", s.models)
	mux.HandleFunc("POST /v1/chat/completions", s.complete)
	mux.HandleFunc("POST /v1/embeddings", s.embed)
	mux.HandleFunc("POST /v1/audio/transcriptions", s.transcribe)
	mux.HandleFunc("POST /v1/audio/translations", s.translate)
	mux.HandleFunc("POST /v1/images/generations", s.generate)
	mux.HandleFunc("POST /v1/images/edits", s.edit)
	mux.HandleFunc("POST /v1/images/variations", s.vary)
	mux.HandleFunc("GET /v1/images/kept/{name}", s.fetch)
	mux.HandleFunc("POST /slow/pictures", s.newJob)
	mux.HandleFunc("GET /slow/pictures/{id}", s.showJob)
	mux.HandleFunc("DELETE /slow/pictures/{id}", s.endJob)
	mux.HandleFunc("GET /admin/control", s.showControl)
	mux.HandleFunc("POST /admin/control", s.setControl)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("X-Simulated", "yes")
		if r.URL.Path != "/" && !strings.HasPrefix(r.URL.Path, "/v1/images/kept/") &&
			r.Header.Get("Authorization") != "Bearer "+s.Key {
			refuse(w, http.StatusUnauthorized, "invalid_api_key", "The key is missing or wrong.")
			return
		}
		mux.ServeHTTP(w, r)
	})
}

func refuse(w http.ResponseWriter, status int, code, message string) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(map[string]any{"error": map[string]any{"message": message, "type": "simulated_error",
		"code": code}})
}

func (s *Server) models(w http.ResponseWriter, _ *http.Request) {
	var data []map[string]any
	for _, m := range catalogue {
		data = append(data, map[string]any{"id": m.name, "object": "model", "created": 1767225600,
			"owned_by": "simulated"})
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(map[string]any{"object": "list", "data": data})
}

type request struct {
	Model         string    `json:"model"`
	Messages      []message `json:"messages"`
	Stream        bool      `json:"stream"`
	StreamOptions struct {
		IncludeUsage bool `json:"include_usage"`
	} `json:"stream_options"`
	Temperature *float64 `json:"temperature"`
	MaxTokens   int      `json:"max_tokens"`
	Stop        any      `json:"stop"`
	N           int      `json:"n"`
	Seed        *int64   `json:"seed"`

	ResponseFormat responseFormat `json:"response_format"`
}

// message is one message; its content is a text or a list of parts.
type message struct {
	Role     string
	Text     string
	Pictures []string // as data URLs, or whatever else came
}

func (m *message) UnmarshalJSON(data []byte) error {
	var raw struct {
		Role    string          `json:"role"`
		Content json.RawMessage `json:"content"`
	}
	if err := json.Unmarshal(data, &raw); err != nil {
		return err
	}
	m.Role = raw.Role
	if json.Unmarshal(raw.Content, &m.Text) == nil {
		return nil
	}
	var parts []struct {
		Type string `json:"type"`
		Text string `json:"text"`
		URL  struct {
			URL string `json:"url"`
		} `json:"image_url"`
	}
	if err := json.Unmarshal(raw.Content, &parts); err != nil {
		return fmt.Errorf("content must be a text or a list of parts")
	}
	for _, p := range parts {
		switch p.Type {
		case "text":
			m.Text += p.Text
		case "image_url":
			m.Pictures = append(m.Pictures, p.URL.URL)
		}
	}
	return nil
}

// outcome is one finished reply, before it is sent.
type outcome struct {
	tokens []string
	finish string
}

func (s *Server) complete(w http.ResponseWriter, r *http.Request) {
	var q request
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 32<<20)).Decode(&q); err != nil {
		refuse(w, http.StatusBadRequest, "invalid_request", "The request is not JSON of the protocol: "+err.Error())
		return
	}
	c := s.take(r, q.Model)
	if c.refused(w, r) {
		return
	}
	m, ok := find(q.Model)
	if !ok || !m.chat {
		refuse(w, http.StatusNotFound, "model_not_found", fmt.Sprintf("The model %q does not exist.", q.Model))
		return
	}
	prompt := 3
	for _, msg := range q.Messages {
		prompt += 4 + count(msg.Text)
		for _, url := range msg.Pictures {
			if !m.sees {
				refuse(w, http.StatusBadRequest, "invalid_request", "This model does not take pictures.")
				return
			}
			prompt += tokensOf(url)
		}
	}
	if prompt+q.MaxTokens > m.context {
		refuse(w, http.StatusBadRequest, "context_length_exceeded",
			fmt.Sprintf("This model's context length is %d tokens; the prompt has %d and the reply may have %d.",
				m.context, prompt, q.MaxTokens))
		return
	}
	outcomes := make([]outcome, max(1, q.N))
	for i := range outcomes {
		outcomes[i] = q.answer(m, c, i, m.context-prompt)
	}
	a := answer{id: fmt.Sprintf("chatcmpl-simulated-%d", s.number()), model: m, control: c, request: q, prompt: prompt,
		outcomes: outcomes}
	if q.Stream {
		a.stream(w, r)
	} else {
		a.whole(w, r)
	}
}

func (s *Server) number() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.requests++
	return s.requests
}

// answer makes one reply of at most room tokens. The same request with the
// same seed gives the same reply.
func (q request) answer(m model, c Control, index, room int) outcome {
	h := fnv.New64a()
	for _, msg := range q.Messages {
		fmt.Fprintln(h, msg.Role, msg.Text)
	}
	seed := rand.Uint64()
	if q.Seed != nil {
		seed = uint64(*q.Seed)
	}
	if q.Temperature != nil && *q.Temperature == 0 {
		seed, index = 0, 0
	}
	chance := rand.New(rand.NewPCG(h.Sum64(), seed+uint64(index)))
	text := compose(m, q.Messages, q.ResponseFormat, chance)
	if c.Tokens > 0 {
		text = lengthen(text, c.Tokens)
	}
	o := outcome{finish: "stop"}
	for _, stop := range q.stops() {
		if i := strings.Index(text, stop); stop != "" && i >= 0 {
			text = text[:i]
		}
	}
	o.tokens = split(text)
	if c.Tokens > 0 {
		o.tokens = o.tokens[:min(len(o.tokens), c.Tokens)]
	}
	limit := room
	if q.MaxTokens > 0 {
		limit = min(limit, q.MaxTokens)
	}
	if len(o.tokens) > limit {
		o.tokens, o.finish = o.tokens[:limit], "length"
	}
	return o
}

// lengthen repeats text until it has n tokens.
func lengthen(text string, n int) string {
	if text == "" {
		text = "Buzz."
	}
	var b strings.Builder
	for have := 0; have < n; have += count(text) {
		b.WriteString(text)
		b.WriteString("\n\n")
	}
	return b.String()
}

func (q request) stops() []string {
	switch stop := q.Stop.(type) {
	case string:
		return []string{stop}
	case []any:
		var all []string
		for _, s := range stop {
			if text, ok := s.(string); ok {
				all = append(all, text)
			}
		}
		return all
	}
	return nil
}

type answer struct {
	id       string
	model    model
	control  Control
	request  request
	prompt   int
	outcomes []outcome
}

func (a answer) usage() map[string]int {
	n := 0
	for _, o := range a.outcomes {
		n += len(o.tokens)
	}
	return map[string]int{"prompt_tokens": a.prompt, "completion_tokens": n, "total_tokens": a.prompt + n}
}

func (a answer) whole(w http.ResponseWriter, r *http.Request) {
	longest := 0
	var choices []map[string]any
	for i, o := range a.outcomes {
		longest = max(longest, len(o.tokens))
		choices = append(choices, map[string]any{
			"index": i, "finish_reason": o.finish,
			"message": map[string]string{"role": "assistant", "content": strings.Join(o.tokens, "")},
		})
	}
	if !pause(r, a.control.first(a.model)+time.Duration(longest)*a.control.gap(a.model)) {
		return
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(map[string]any{
		"id": a.id, "object": "chat.completion", "created": time.Now().Unix(), "model": a.model.name,
		"choices": choices, "usage": a.usage(),
	})
}

// stream sends token by token, each in a write of its own, on an absolute
// schedule so that the rate holds.
func (a answer) stream(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "text/event-stream")
	out := http.NewResponseController(w)
	head := fmt.Sprintf(`{"id":%q,"object":"chat.completion.chunk","created":%d,"model":%q,"choices":[{"index":`, a.id,
		time.Now().Unix(), a.model.name)
	var b bytes.Buffer
	send := func(index int, delta string, finish string) bool {
		b.Reset()
		fmt.Fprintf(&b, "data: %s%d,\"delta\":%s,\"finish_reason\":%s}]}\n\n", head, index, delta, finish)
		if _, err := w.Write(b.Bytes()); err != nil {
			return false
		}
		return out.Flush() == nil
	}
	first, gap := a.control.first(a.model), a.control.gap(a.model)
	if !pause(r, first) {
		return
	}
	start := time.Now()
	sent := 0
	for i, o := range a.outcomes {
		for j, token := range o.tokens {
			if due := time.Until(start.Add(time.Duration(sent) * gap)); due > 0 && !pause(r, due) {
				return
			}
			if a.control.breaks(w, sent) {
				return
			}
			text, _ := json.Marshal(token)
			delta := `{"content":` + string(text) + `}`
			if j == 0 {
				delta = `{"role":"assistant","content":` + string(text) + `}`
			}
			if !send(i, delta, "null") {
				return
			}
			sent++
		}
		if !send(i, "{}", `"`+o.finish+`"`) {
			return
		}
	}
	if a.request.StreamOptions.IncludeUsage {
		usage, _ := json.Marshal(a.usage())
		fmt.Fprintf(w, `data: {"id":%q,"object":"chat.completion.chunk","model":%q,"choices":[],"usage":%s}`+"\n\n",
			a.id, a.model.name, usage)
	}
	fmt.Fprint(w, "data: [DONE]\n\n")
	_ = out.Flush()
}

// pause waits; it reports false if the caller has gone.
func pause(r *http.Request, d time.Duration) bool {
	if d <= 0 {
		return r.Context().Err() == nil
	}
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-r.Context().Done():
		return false
	case <-timer.C:
		return true
	}
}
