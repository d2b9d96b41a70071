package modelserver

import (
	"bytes"
	"encoding/json"
	"io"
	"math"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
)

// call posts to a server of its own and returns status and body.
func call(t *testing.T, s *Server, method, path, key, body string, header ...string) (int, string) {
	t.Helper()
	h := httptest.NewServer(s.Handler())
	defer h.Close()
	request, err := http.NewRequest(method, h.URL+path, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	request.Header.Set("Authorization", "Bearer "+key)
	for i := 0; i < len(header); i += 2 {
		request.Header.Set(header[i], header[i+1])
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return 0, err.Error()
	}
	defer response.Body.Close()
	text, _ := io.ReadAll(response.Body)
	if response.Header.Get("X-Simulated") != "yes" {
		t.Errorf("%s %s does not say that it is simulated", method, path)
	}
	return response.StatusCode, string(text)
}

func quick() *Server {
	s := &Server{Key: "k"}
	s.Set(Control{FirstMS: new(0.0), Rate: new(0.0)})
	return s
}

type completion struct {
	Choices []struct {
		Message      struct{ Content string }
		FinishReason string `json:"finish_reason"`
	}
	Usage map[string]int
	Error struct{ Code string }
}

func complete(t *testing.T, s *Server, body string, header ...string) completion {
	t.Helper()
	_, text := call(t, s, "POST", "/v1/chat/completions", "k", body, header...)
	var c completion
	if err := json.Unmarshal([]byte(text), &c); err != nil {
		t.Fatalf("%v: %s", err, text)
	}
	return c
}

// say puts messages of alternating roles, a system message first, into a
// request and returns the reply.
func say(t *testing.T, model, system string, turns ...string) string {
	t.Helper()
	messages := []map[string]string{{"role": "system", "content": system}}
	for i, text := range turns {
		messages = append(messages, map[string]string{"role": []string{"user", "assistant"}[i%2], "content": text})
	}
	body, err := json.Marshal(map[string]any{"model": model, "temperature": 0, "messages": messages})
	if err != nil {
		t.Fatal(err)
	}
	c := complete(t, quick(), string(body))
	if len(c.Choices) != 1 {
		t.Fatalf("got %+v", c)
	}
	return c.Choices[0].Message.Content
}

func TestProtocol(t *testing.T) {
	if status, _ := call(t, quick(), "GET", "/v1/models", "wrong", ""); status != 401 {
		t.Errorf("a wrong key gets %d", status)
	}
	if _, body := call(t, quick(), "GET", "/v1/models", "k", ""); !strings.Contains(body, `"heather-2"`) ||
		!strings.Contains(body, `"owned_by":"simulated"`) {
		t.Errorf("models: %s", body)
	}
	if c := complete(t, quick(), `{"model":"nobody","messages":[]}`); c.Error.Code != "model_not_found" {
		t.Errorf("an unknown model: %+v", c)
	}
	if c := complete(t, quick(), `{"model":"thyme-mini","max_tokens":4000,"messages":[{"role":"user","content":"`+
		strings.Repeat("bee ", 200)+`"}]}`); c.Error.Code != "context_length_exceeded" {
		t.Errorf("too long a prompt: %+v", c)
	}
	c := complete(t, quick(),
		`{"model":"thyme-mini","max_tokens":5,"messages":[{"role":"user","content":"How do I light a smoker?"}]}`)
	if c.Choices[0].FinishReason != "length" || c.Usage["completion_tokens"] != 5 ||
		count(c.Choices[0].Message.Content) != 5 {
		t.Errorf("max_tokens: %+v", c)
	}
	c = complete(t, quick(),
		`{"model":"thyme-mini","stop":["flame"],"messages":[{"role":"user","content":"How do I light a smoker?"}]}`)
	if !strings.HasSuffix(c.Choices[0].Message.Content, "let it ") {
		t.Errorf("stop: %+v", c)
	}
	c = complete(t, quick(),
		`{"model":"thyme-mini","messages":[{"role":"user","content":[{"type":"text","text":"What is this?"},{"type":"image_url","image_url":{"url":"data:,"}}]}]}`)
	if len(c.Choices) != 0 || c.Error.Code != "invalid_request" {
		t.Errorf("a picture: %+v", c)
	}
}

func TestSeedAndN(t *testing.T) {
	ask := func(extra string) []string {
		c := complete(t, quick(),
			`{"model":"thyme-mini","messages":[{"role":"user","content":"Continue: It was dusk."}]`+extra+`}`)
		var all []string
		for _, choice := range c.Choices {
			all = append(all, choice.Message.Content)
		}
		return all
	}
	if a, b := ask(`,"seed":7`), ask(`,"seed":7`); a[0] != b[0] {
		t.Errorf("the same seed gives %q and %q", a, b)
	}
	three := ask(`,"seed":7,"n":3`)
	if len(three) != 3 || three[0] == three[1] && three[1] == three[2] {
		t.Errorf("n gives %q", three)
	}
}

func TestStreamCarriesTokensUsageAndEnd(t *testing.T) {
	_, body := call(t, quick(), "POST", "/v1/chat/completions", "k",
		`{"model":"thyme-mini","stream":true,"stream_options":{"include_usage":true},"messages":[{"role":"user","content":"hello"}]}`, "X-Standin-Tokens", "12")
	if n := strings.Count(body, `"content":`); n != 12 {
		t.Errorf("%d tokens in %s", n, body)
	}
	if !strings.Contains(body, `"completion_tokens":12`) || !strings.HasSuffix(body, "data: [DONE]\n\n") {
		t.Errorf("stream: %s", body)
	}
}

func TestItKeepsToInstructions(t *testing.T) {
	long := say(t, "heather-2", "", "How do I light a smoker?")
	short := say(t, "thyme-mini", "", "How do I light a smoker?")
	if !strings.Contains(long, "1. ") || len(short) >= len(long)/2 {
		t.Errorf("the careful model says %q, the quick one %q", long, short)
	}
	if got := say(t, "heather-2", "Answer in one sentence.", "How do I light a smoker?"); len(sentences(got)) != 1 {
		t.Errorf("in one sentence: %q", got)
	}
	got := say(t, "heather-2",
		`You are Bramble, a helper. Begin every reply with "Well:" and end every reply with "Mind the bees."`,
		"Who are you?")
	if !strings.HasPrefix(got, "Well:") || !strings.HasSuffix(got, "Mind the bees.") ||
		!strings.Contains(got, "Bramble") || !strings.Contains(got, "simulated") {
		t.Errorf("as told: %q", got)
	}
	if got := say(t, "heather-2", "Only talk about bees.", "What is the capital of Peru?"); strings.Contains(got,
		"Peru") {
		t.Errorf("off the subject: %q", got)
	}
}

func TestItRemembersWhatTheConversationSays(t *testing.T) {
	if got := say(t, "thyme-mini", "", "My name is Ada.", "Hello.", "I have two hives.", "Fine.",
		"What is my name?"); !strings.Contains(got, "Ada") {
		t.Errorf("name: %q", got)
	}
	if got := say(t, "thyme-mini", "", "Remember that the gate code is 4711.", "Noted.",
		"What did I ask you to remember?"); !strings.Contains(got, "4711") {
		t.Errorf("remember: %q", got)
	}
	if got := say(t, "thyme-mini", "", "What is my name?"); !strings.Contains(got, "have not told me") {
		t.Errorf("an unknown name: %q", got)
	}
}

func TestItAnswersFromPassages(t *testing.T) {
	passages := "Answer from these passages.\n[1] The clubhouse opens at nine. It has a kettle.\n" +
		"[2] Smokers are lent by the quartermaster on Fridays.\n\n"
	if got := say(t, "thyme-mini", passages, "Who lends smokers?"); got != "Smokers are lent by the quartermaster on "+
		"Fridays. [2]" {
		t.Errorf("got %q", got)
	}
	if got := say(t, "thyme-mini", passages, "How tall is the lighthouse?"); !strings.Contains(got, "do not say") ||
		strings.Contains(got, "[") {
		t.Errorf("got %q", got)
	}
}

func TestFaultsEndAfterTheirTimes(t *testing.T) {
	s := quick()
	if status, _ := call(t, s, "POST", "/admin/control", "k",
		`{"fault":"busy","times":2,"retry_after":1.5}`); status != http.StatusNoContent {
		t.Fatalf("control: %d", status)
	}
	var got []int
	for range 3 {
		status, _ := call(t, s, "POST", "/v1/chat/completions", "k",
			`{"model":"thyme-mini","messages":[{"role":"user","content":"hello"}]}`)
		got = append(got, status)
	}
	if got[0] != 429 || got[1] != 429 || got[2] != 200 {
		t.Errorf("got %v", got)
	}
	if status, _ := call(t, quick(), "POST", "/v1/chat/completions", "k", `{"model":"thyme-mini"}`, "X-Standin-Fault",
		"broken"); status != 500 {
		t.Errorf("by header: %d", status)
	}
}

func TestEmbeddings(t *testing.T) {
	_, body := call(t, quick(), "POST", "/v1/embeddings", "k",
		`{"model":"clover-embed","input":["the queen lays eggs","eggs of a queen","rain on a tin roof"]}`)
	var e struct {
		Data []struct{ Embedding []float64 }
	}
	if err := json.NewDecoder(bytes.NewReader([]byte(body))).Decode(&e); err != nil || len(e.Data) != 3 {
		t.Fatalf("%v: %s", err, body)
	}
	dot := func(a, b int) (sum float64) {
		for i, x := range e.Data[a].Embedding {
			sum += x * e.Data[b].Embedding[i]
		}
		return sum
	}
	if math.Abs(dot(0, 0)-1) > 1e-9 || dot(0, 1) <= dot(0, 2) {
		t.Errorf("lengths %v, alike %v, unlike %v", dot(0, 0), dot(0, 1), dot(0, 2))
	}
}

func FuzzSplit(f *testing.F) {
	f.Add("Two  hives,\n3.14 kg — ö🐝 ")
	f.Fuzz(func(t *testing.T, text string) {
		tokens := split(text)
		if strings.Join(tokens, "") != text || len(tokens) != count(text) {
			t.Errorf("%q is split into %q, counted %d", text, tokens, count(text))
		}
	})
}
