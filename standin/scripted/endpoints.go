package scripted

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"net/http"
	"strings"
	"sync"
	"time"
)

// Endpoints is a simulated HTTP service that speaks no protocol but its own: texts at
// once, as streams and as jobs that are asked for until they are done; pictures as
// bytes, as base64 and by link. The zero Endpoints is ready.
type Endpoints struct {
	mu     sync.Mutex
	jobs   map[string]int // how often each was asked for
	ended  []string       // those that were cancelled
	Length int            // how often a job is asked for before it is done; 3 if 0
}

// Cancelled are the jobs that were ended before they were done.
func (e *Endpoints) Cancelled() []string {
	e.mu.Lock()
	defer e.mu.Unlock()
	return append([]string(nil), e.ended...)
}

// ServeHTTP serves /generate, /stream/events, /stream/lines, /stream/text, /jobs,
// /picture, /picture/base64 and /picture/link.
func (e *Endpoints) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, 32<<20))
	if err != nil {
		return
	}
	switch path := r.URL.Path; {
	case strings.HasPrefix(path, "/jobs"):
		e.job(w, r, body)
	case strings.HasPrefix(path, "/picture"):
		picture(w, r)
	case strings.HasPrefix(path, "/stream/"):
		streamed(w, strings.TrimPrefix(path, "/stream/"), textOf(r, body))
	case path == "/generate":
		generate(w, textOf(r, body))
	case path == "/length": // of what was sent as it is
		fmt.Fprintf(w, "%d bytes of %s", len(body), r.Header.Get("Content-Type"))
	default:
		http.NotFound(w, r)
	}
}

// textOf is what was asked: the prompt of a JSON body or of a form, or the whole body.
func textOf(r *http.Request, body []byte) string {
	var v struct {
		Prompt string `json:"prompt"`
		Input  struct {
			Prompt string `json:"prompt"`
		} `json:"input"`
	}
	if json.Unmarshal(body, &v) == nil {
		return v.Prompt + v.Input.Prompt
	}
	if strings.Contains(r.Header.Get("Content-Type"), "form") {
		r.Body = io.NopCloser(strings.NewReader(string(body)))
		return r.FormValue("prompt")
	}
	return string(body)
}

func generate(w http.ResponseWriter, prompt string) {
	w.Header().Set("Content-Type", "application/json")
	switch {
	case strings.Contains(prompt, "fail"):
		w.WriteHeader(http.StatusUnprocessableEntity)
		fmt.Fprint(w, `{"fault":{"words":"this cannot be answered"}}`)
	case strings.Contains(prompt, "later"):
		w.Header().Set("Retry-After", "0.01")
		w.WriteHeader(http.StatusServiceUnavailable)
	default:
		_ = json.NewEncoder(w).Encode(map[string]any{"model": "oak", "results": []any{map[string]any{"text": Reply}},
			"reasoning": Thought, "end": "max_tokens", "counts": map[string]any{"in": 7, "out": 5}})
	}
}

func streamed(w http.ResponseWriter, how, _ string) {
	grown := ""
	if how == "events" {
		w.Header().Set("Content-Type", "text/event-stream")
	}
	for _, word := range strings.SplitAfter(Reply, " ") {
		grown += word
		switch how {
		case "events":
			fmt.Fprintf(w, "data: {\"token\":{\"text\":%q}}\n\n", word)
		case "lines":
			fmt.Fprintf(w, "{\"sofar\":%q}\n", grown)
		default:
			fmt.Fprint(w, word)
		}
		w.(http.Flusher).Flush()
		time.Sleep(time.Millisecond)
	}
	if how == "events" {
		fmt.Fprint(w, "data: [DONE]\n\n")
	}
}

func (e *Endpoints) job(w http.ResponseWriter, r *http.Request, body []byte) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.jobs == nil {
		e.jobs = map[string]int{}
	}
	id := strings.Trim(strings.TrimPrefix(r.URL.Path, "/jobs"), "/")
	at := func(path string) string { return "http://" + r.Host + strings.TrimSuffix(r.URL.Path, "/"+id) + path }
	answer := map[string]any{"id": id}
	switch {
	case id == "" && r.Method == http.MethodPost:
		id = fmt.Sprint("job-", len(e.jobs)+1)
		if strings.Contains(textOf(r, body), "fail") {
			id += "-fails"
		}
		e.jobs[id] = 0
		answer = map[string]any{"id": id, "status": "queued",
			"urls": map[string]any{"get": at("/" + id), "cancel": at("/" + id + "/cancel")}}
	case strings.HasSuffix(id, "/cancel"):
		e.ended = append(e.ended, strings.TrimSuffix(id, "/cancel"))
	default:
		n, known := e.jobs[id]
		if !known {
			http.NotFound(w, r)
			return
		}
		e.jobs[id]++
		length := e.Length
		if length == 0 {
			length = 3
		}
		switch {
		case strings.HasSuffix(id, "-fails") && n > 0:
			answer["status"], answer["error"] = "failed", "the kiln went out"
		case n == 1: // once the server is not there
			w.WriteHeader(http.StatusBadGateway)
			return
		case n < length:
			answer["status"], answer["progress"] = "running", fmt.Sprintf("%d%%", 100*n/length)
		default:
			answer["status"], answer["output"] = "succeeded", []any{Reply}
		}
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(answer)
}

// picture answers with a small picture of one colour.
func picture(w http.ResponseWriter, r *http.Request) {
	p := image.NewRGBA(image.Rect(0, 0, 24, 16))
	for i := range 24 * 16 {
		p.Set(i%24, i/24, color.RGBA{230, 170, 40, 255})
	}
	var b strings.Builder
	_ = png.Encode(&b, p)
	switch {
	case strings.HasSuffix(r.URL.Path, "/base64"):
		text := base64.StdEncoding.EncodeToString([]byte(b.String()))
		_ = json.NewEncoder(w).Encode(map[string]any{"images": []any{text}})
	case strings.HasSuffix(r.URL.Path, "/link"):
		_ = json.NewEncoder(w).Encode(map[string]any{"url": "/picture"})
	case strings.HasSuffix(r.URL.Path, "/elsewhere"):
		_ = json.NewEncoder(w).Encode(map[string]any{"url": "http://127.0.0.1:9/picture"})
	default:
		w.Header().Set("Content-Type", "image/png")
		_, _ = io.WriteString(w, b.String())
	}
}
