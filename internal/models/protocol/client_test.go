package protocol

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"strings"
	"testing"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/internal/models"
	"juvalogos/standin/modelserver"
)

const key = "test-key-f00d"

func client(address string, patience time.Duration) models.Client {
	c, err := NewChatCompletions(models.Connection{Name: "c", Address: address + "/v1", Patience: patience},
		models.NewSecret(key))
	if err != nil {
		panic(err) // there is nothing in it that can fail
	}
	return c
}

func ask(ctx context.Context, c models.Client) (string, models.Result, error) {
	var reply strings.Builder
	result, err := c.Generate(ctx, models.Request{
		Model: "thyme-mini", Messages: []prompt.Message{{Role: prompt.User, Text: "How do I light a smoker?"}},
		Sampling: deskfile.Sampling{Temperature: new(0.0), MaxTokens: 300},
	}, models.Sink{Text: func(text []byte) { reply.Write(text) }})
	return reply.String(), result, err
}

// The simulated server, with its own idea of how fast to be removed.
func simulated(t *testing.T) (*modelserver.Server, string) {
	s := &modelserver.Server{Key: key}
	s.Set(modelserver.Control{FirstMS: new(0.0), Rate: new(0.0)})
	h := httptest.NewServer(s.Handler())
	t.Cleanup(h.Close)
	return s, h.URL
}

// A server that leads elsewhere is not followed: neither key nor question reach
// another; within itself it may lead on.
func TestRedirectsStayWithTheServer(t *testing.T) {
	var reached []string
	other := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		reached = append(reached, r.URL.Path+" "+r.Header.Get("Authorization"))
	}))
	defer other.Close()
	_, address := simulated(t)
	real, _ := url.Parse(address)
	inner := httputil.NewSingleHostReverseProxy(real)
	for _, status := range []int{301, 302, 303, 307, 308} {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			switch {
			case strings.HasPrefix(r.URL.Path, "/v1/chat"):
				http.Redirect(w, r, other.URL+"/v1/chat/completions", status)
			case strings.HasPrefix(r.URL.Path, "/v1/models"):
				http.Redirect(w, r, "/here/v1/models", status)
			default:
				http.StripPrefix("/here", inner).ServeHTTP(w, r)
			}
		}))
		_, _, err := ask(context.Background(), client(server.URL, time.Second))
		if err == nil || !strings.Contains(err.Error(), "leads to another address") ||
			strings.Contains(err.Error(), key) {
			t.Errorf("%d: %v", status, err)
		}
		if names, err := client(server.URL, time.Second).Names(context.Background()); err != nil || len(names) == 0 {
			t.Errorf("%d within the server: %v", status, err)
		}
		server.Close()
	}
	if len(reached) > 0 {
		t.Errorf("another server was reached: %q", reached)
	}
}

// What a server says when it fails is cut short, and without the key in any form.
func TestServersWordsAreCutShort(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.WriteHeader(http.StatusBadRequest)
		fmt.Fprintf(w, `{"error":{"message":"bad request by %s: %s"}}`,
			base64.StdEncoding.EncodeToString([]byte(r.Header.Get("Authorization"))), strings.Repeat("no. ", 2000))
	}))
	defer server.Close()
	_, _, err := ask(context.Background(), client(server.URL, time.Second))
	if err == nil || len(err.Error()) > 700 || !strings.Contains(err.Error(), "(secret)") ||
		strings.Contains(err.Error(), base64.StdEncoding.EncodeToString([]byte("Bearer " + key))[12:24]) {
		t.Errorf("%v", err)
	}
}

func TestAStreamIsTheSameAsTheWholeReply(t *testing.T) {
	_, address := simulated(t)
	streamed, result, err := ask(context.Background(), client(address, time.Second))
	if err != nil {
		t.Fatal(err)
	}
	body := `{"model":"thyme-mini","temperature":0,"max_tokens":300,"messages":[{"role":"user","content":"How do I light a smoker?"}]}`
	request, err := http.NewRequest(http.MethodPost, address+"/v1/chat/completions", strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	request.Header.Set("Authorization", "Bearer "+key)
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	var whole struct {
		Choices []struct{ Message struct{ Content string } }
		Usage   map[string]int
	}
	if err := json.NewDecoder(response.Body).Decode(&whole); err != nil {
		t.Fatal(err)
	}
	if streamed == "" || streamed != whole.Choices[0].Message.Content {
		t.Errorf("streamed %q, whole %q", streamed, whole.Choices[0].Message.Content)
	}
	if result.Finish != "stop" || result.PromptTokens != whole.Usage["prompt_tokens"] ||
		result.ReplyTokens != whole.Usage["completion_tokens"] {
		t.Errorf("result %+v, usage %v", result, whole.Usage)
	}
}

func TestFaults(t *testing.T) {
	for _, c := range []struct {
		control modelserver.Control
		kind    models.ErrorKind
		text    bool // some text comes first
		after   time.Duration
	}{
		{modelserver.Control{Fault: "unauthorized"}, models.KeyRefused, false, 0},
		{modelserver.Control{Fault: "busy", RetryAfter: 3}, models.Busy, false, 3 * time.Second},
		{modelserver.Control{Fault: "broken"}, models.ServerFailed, false, 0},
		{modelserver.Control{Fault: "too-long"}, models.TooLong, false, 0},
		{modelserver.Control{Fault: "cut", After: 5, Tokens: 50}, models.CutOff, true, 0},
		{modelserver.Control{Fault: "malformed", After: 5, Tokens: 50}, models.Garbled, true, 0},
		{modelserver.Control{Fault: "silent"}, models.Silent, false, 0},
		{modelserver.Control{Fault: "slow-start"}, models.Silent, false, 0},
		{modelserver.Control{Rate: new(0.5), Tokens: 50}, models.Silent, true, 0},
	} {
		t.Run(c.control.Fault, func(t *testing.T) {
			s, address := simulated(t)
			if c.control.FirstMS == nil {
				c.control.FirstMS = new(0.0)
			}
			if c.control.Rate == nil {
				c.control.Rate = new(0.0)
			}
			s.Set(c.control)
			reply, _, err := ask(context.Background(), client(address, 300*time.Millisecond))
			var failure *models.Error
			if !errors.As(err, &failure) || failure.Kind != c.kind || failure.RetryAfter != c.after ||
				failure.Entry != "c/thyme-mini" {
				t.Fatalf("got %v, want %s", err, c.kind)
			}
			if (reply != "") != c.text {
				t.Errorf("text before the fault: %q", reply)
			}
			if strings.Contains(err.Error(), key) || strings.Contains(failure.Advice(), key) {
				t.Errorf("the key shows: %v", err)
			}
		})
	}
}

func TestOtherServers(t *testing.T) {
	for name, c := range map[string]struct {
		contentType, body string
		status            int
		want              string
		kind              models.ErrorKind
	}{
		"does not stream": {"application/json",
			`{"choices":[{"message":{"content":"whole"},"finish_reason":"stop"}]}`, 200, "whole", ""},
		"no [DONE]": {"text/event-stream",
			"data: {\"choices\":[{\"delta\":{\"content\":\"a\"},\"finish_reason\":\"stop\"}]}\n\n", 200, "a", ""},
		"null content": {"text/event-stream", "data: {\"choices\":[{\"delta\":{\"content\":null}}]}\n\n" +
			"data: {\"choices\":[{\"delta\":{\"content\":\"a\"}}]}\n\ndata: [DONE]\n\n", 200, "a", ""},
		"no finish, no [DONE]": {"text/event-stream", "data: {\"choices\":[{\"delta\":{\"content\":\"a\"}}]}\n\n", 200,
			"a", models.CutOff},
		"error in the stream": {"text/event-stream", "data: {\"error\":{\"message\":\"out of memory\"}}\n\n", 200, "",
			models.NoMemory},
		"a web page": {"text/html", "<html>hello</html>", 200, "", models.Garbled},
		"not found":  {"text/html", "<html>nothing here</html>", 404, "", models.Garbled},
		"model not found": {"application/json", `{"error":{"message":"model 'x' not found"}}`, 404, "",
			models.UnknownModel},
		"other refusal":     {"application/json", `{"error":{"message":"no"}}`, 400, "", models.Refused},
		"payload too large": {"text/plain", "too big", 413, "", models.TooLong},
		"escapes": {"text/event-stream", "data: {\"choices\":[{\"delta\":{\"content\":\"a\"}}]}\n\n" +
			"data: {\"choices\":[{\"delta\":{\"content\":\"\\u00e4\\n\\\"\"}}]}\n\n" +
			"data: {\"choices\":[{\"delta\":{\"content\":\"b\"}}]}\n\ndata: [DONE]\n\n", 200, "aä\n\"b", ""},
		"a second choice (n=2)": {"text/event-stream", "data: {\"choices\":[{\"delta\":{\"content\":\"a\"}}]}\n\n" +
			"data: {\"choices\":[]}\n\ndata: [DONE]\n\n", 200, "a", ""},
	} {
		t.Run(name, func(t *testing.T) {
			server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
				w.Header().Set("Content-Type", c.contentType)
				w.WriteHeader(c.status)
				fmt.Fprint(w, c.body)
			}))
			defer server.Close()
			reply, _, err := ask(context.Background(), client(server.URL, time.Second))
			var failure *models.Error
			if reply != c.want || (c.kind == "") != (err == nil) || err != nil &&
				(!errors.As(err, &failure) || failure.Kind != c.kind) {
				t.Errorf("got %q, %v", reply, err)
			}
		})
	}
}

func TestUnreachable(t *testing.T) {
	_, _, err := ask(context.Background(), client("http://127.0.0.1:1", time.Second))
	var failure *models.Error
	if !errors.As(err, &failure) || failure.Kind != models.Unreachable ||
		!strings.Contains(failure.Advice(), "connection refused") {
		t.Errorf("got %v", err)
	}
}

func TestACallerMayLeave(t *testing.T) {
	s, address := simulated(t)
	s.Set(modelserver.Control{Fault: "silent"})
	ctx, cancel := context.WithCancelCause(context.Background())
	left := errors.New("left")
	time.AfterFunc(50*time.Millisecond, func() { cancel(left) })
	if _, _, err := ask(ctx, client(address, time.Minute)); !errors.Is(err, left) {
		t.Errorf("got %v", err)
	}
}

func TestRetryAfter(t *testing.T) {
	header := func(text string) http.Header { return http.Header{"Retry-After": {text}} }
	if d := retryAfter(http.Header{"Retry-After": {"2"}, "Retry-After-Ms": {"1500"}}); d != 1500*time.Millisecond {
		t.Errorf("milliseconds: %v", d)
	}
	if d := retryAfter(header("1.5")); d != 1500*time.Millisecond {
		t.Errorf("seconds: %v", d)
	}
	if d := retryAfter(header(time.Now().Add(time.Minute).UTC().Format(http.TimeFormat))); d < 58*time.Second ||
		d > time.Minute {
		t.Errorf("a date: %v", d)
	}
	for _, bad := range []string{"", "soon", "-3"} {
		if d := retryAfter(header(bad)); d != 0 {
			t.Errorf("%q: %v", bad, d)
		}
	}
}

func TestATokenAllocatesNothing(t *testing.T) {
	n := 0
	s := newStream(models.Sink{Text: func(b []byte) { n += len(b) }}, nil, nil, nil)
	event := []byte(`{"id":"x","choices":[{"index":0,"delta":{"content":" bee"},"finish_reason":null}]}`)
	if err := s.chunk(event); err != nil {
		t.Fatal(err)
	}
	for name, take := range map[string]func(){
		"parsed": func() { _ = s.chunk(event) },
		"framed": func() {
			if text, ok := s.frame.text(event); ok {
				s.text(text)
			}
		},
	} {
		n = 0
		if allocations := testing.AllocsPerRun(100, take); allocations > 0 || n == 0 {
			t.Errorf("%s: %v allocations, %d bytes of text", name, allocations, n)
		}
	}
}

// Whatever follows an event, taking its text by the learnt frame gives what
// parsing it gives.
func FuzzFrame(f *testing.F) {
	f.Add(`{"choices":[{"delta":{"content":"a"}}]}`, `{"choices":[{"delta":{"content":"b"}}]}`)
	f.Add(`{"choices":[{"delta":{"content":"a"}}]}`, `{"choices":[{"delta":{"content":"b"},"x":{"content":"c"}}]}`)
	f.Add(`{"choices":[{"delta":{"content":"a"},"finish_reason":null}]}`,
		`{"choices":[{"delta":{"content":"a\",\"b\":\""},"finish_reason":null}]}`)
	f.Add(`{"x":"\"content\":\"","choices":[{"delta":{"content":"q"}}]}`, `{"choices":[]}`)
	f.Fuzz(func(t *testing.T, first, second string) {
		var parsed string
		s := newStream(models.Sink{Text: func(b []byte) { parsed += string(b) }}, nil, nil, nil)
		if s.chunk([]byte(first)) != nil {
			return
		}
		framed, ok := s.frame.text([]byte(second))
		if !ok {
			return
		}
		parsed = ""
		before := s.result
		if err := s.chunk([]byte(second)); err != nil || parsed != string(framed) || s.result != before {
			t.Errorf("%q after %q: framed %q, parsed %q, %+v, %v", second, first, framed, parsed, s.result, err)
		}
	})
}
