package otlp

import (
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/internal/record"
)

func sample() Trace {
	began := time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)
	return Trace{
		Trace: record.Trace{ID: uuid.New(), Kind: "reply", Slug: "helper", State: "failed", Problem: "cut-off",
			StartedAt: began, Seconds: 2, Usage: record.Usage{PromptTokens: 5, ReplyTokens: 7}},
		Spans: []recipe.Span{
			{Step: "g", Do: "group", Parent: -1, State: recipe.Done, Took: time.Second},
			{Step: "g/a", Do: "generate", Parent: 0, State: recipe.Failed, Error: "cut off", Start: time.Second / 2,
				Took: time.Second, Calls: []recipe.ModelCall{{
					Model: "shed/m", At: began, Took: time.Second, PromptTokens: 5, ReplyTokens: 7, Finish: "stop",
					Answer: "yes", Settings: map[string]any{"temperature": 0.5, "max_tokens": 9},
					Messages: []prompt.Message{{Role: prompt.User, Text: "why?"}},
				}}},
		},
	}
}

func TestExport(t *testing.T) {
	r := Export([]Trace{sample()})
	spans := r.ResourceSpans[0].ScopeSpans[0].Spans
	if len(spans) != 4 {
		t.Fatalf("%d spans", len(spans))
	}
	seen := map[string]bool{}
	for i, s := range spans {
		if len(s.TraceID) != 32 || s.TraceID != spans[0].TraceID || len(s.SpanID) != 16 || seen[s.SpanID] {
			t.Errorf("span %d: %s %s", i, s.TraceID, s.SpanID)
		}
		seen[s.SpanID] = true
		if parent := []string{"", spans[0].SpanID, spans[1].SpanID, spans[2].SpanID}[i]; s.ParentSpanID != parent {
			t.Errorf("span %d hangs on %s", i, s.ParentSpanID)
		}
	}
	if call := spans[3]; call.Name != "chat shed/m" || call.Kind != 3 ||
		call.StartTimeUnixNano != "1780315200000000000" || call.EndTimeUnixNano != "1780315201000000000" {
		t.Errorf("%+v", call)
	}
	text, err := json.Marshal(spans[3].Attributes)
	if err != nil {
		t.Fatal(err)
	}
	const want = `[{"key":"gen_ai.operation.name","value":{"stringValue":"chat"}},{"key":"gen_ai.request.model","value":{"stringValue":"shed/m"}},{"key":"gen_ai.usage.input_tokens","value":{"intValue":"5"}},{"key":"gen_ai.usage.output_tokens","value":{"intValue":"7"}},`
	if len(text) < len(want) || string(text[:len(want)-1]) != want[:len(want)-1] {
		t.Errorf("attributes %s", text)
	}
	if spans[0].Status.Code != 2 || spans[2].Status.Message != "cut off" || spans[1].Status.Code != 1 {
		t.Errorf("states %+v %+v %+v", spans[0].Status, spans[1].Status, spans[2].Status)
	}
}

func TestTheCollectorGetsEverything(t *testing.T) {
	var mu sync.Mutex
	got, calls := 0, 0
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		calls++
		if calls == 1 {
			w.WriteHeader(503) // busy: what was sent comes again
			return
		}
		var request Request
		if err := json.NewDecoder(r.Body).Decode(&request); err != nil || r.URL.Path != "/v1/traces" ||
			r.Header.Get("Content-Type") != "application/json" {
			t.Errorf("%s %v", r.URL.Path, err)
		}
		got += len(request.ResourceSpans[0].ScopeSpans[0].Spans)
	}))
	defer server.Close()
	c, err := NewCollector(server.URL, slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	ended := make(chan struct{})
	go func() { c.Run(ctx); close(ended) }()
	s := sample()
	c.Collect(s.Trace, s.Spans)
	for began := time.Now(); time.Since(began) < time.Minute; time.Sleep(10 * time.Millisecond) {
		mu.Lock()
		n := got
		mu.Unlock()
		if n == 4 {
			break
		}
	}
	c.Collect(s.Trace, s.Spans) // just before the end
	cancel()
	<-ended
	if got != 8 {
		t.Errorf("%d spans arrived", got)
	}
	if _, err := NewCollector("localhost:4318", nil); err == nil {
		t.Error("takes an address without http")
	}
}
