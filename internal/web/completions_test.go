package web_test

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/internal/models"
	"juvalogos/internal/models/protocol"
	"juvalogos/internal/testbed"
)

const authorization = "Authorization"

var bearer = "Bearer " + testbed.Token

type completion struct {
	Object, Model string
	Choices       []struct {
		Message      struct{ Role, Content string }
		FinishReason string `json:"finish_reason"`
	}
	Usage map[string]int
	Error struct {
		Message, Type, Code string
	}
}

func complete(t *testing.T, b *testbed.Bed, body string) (int, completion) {
	t.Helper()
	response, text := call(t, http.DefaultClient, "POST", b.Address+"/v1/chat/completions", body, authorization, bearer)
	var c completion
	if err := json.Unmarshal([]byte(text), &c); err != nil {
		t.Fatalf("%v: %s", err, text)
	}
	return response.StatusCode, c
}

func TestADeskAnswersInTheCompletionsProtocol(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	_, list := call(t, http.DefaultClient, "GET", b.Address+"/v1/models", "", authorization, bearer)
	if !strings.Contains(list, `"id":"helper"`) {
		t.Errorf("models: %s", list)
	}
	status, c := complete(t, b,
		`{"model":"helper","messages":[{"role":"user","content":"My name is Ottoline."},{"role":"assistant","content":"Hello."},{"role":"user","content":[{"type":"text","text":"What is my name?"}]}]}`)
	if status != 200 || c.Object != "chat.completion" || c.Model != "helper" || len(c.Choices) != 1 ||
		c.Choices[0].Message.Role != "assistant" ||
		!strings.Contains(c.Choices[0].Message.Content, "Ottoline") || c.Choices[0].FinishReason != "stop" {
		t.Errorf("%d %+v", status, c)
	}
	if u := c.Usage; u["prompt_tokens"] == 0 || u["completion_tokens"] == 0 || u["total_tokens"] != u["prompt_tokens"]+
		u["completion_tokens"] {
		t.Errorf("usage %v", u)
	}
	// Further instructions join the brief; the longest reply can only shrink.
	_, c = complete(t, b,
		`{"model":"helper","max_tokens":5,"messages":[{"role":"system","content":"Begin every reply with \"Well:\""},{"role":"user","content":"Who are you?"}]}`)
	if !strings.HasPrefix(c.Choices[0].Message.Content, "Well: I am Sprig") || c.Choices[0].FinishReason != "length" ||
		c.Usage["completion_tokens"] != 5 {
		t.Errorf("%+v", c)
	}
}

// Our own client of model servers can be pointed at a desk.
func TestAProgramThatTalksToModelServersTalksToADesk(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	for _, slow := range []bool{false, true} {
		if slow {
			b.Model.Set(testbed.Slow)
		}
		c, err := protocol.NewChatCompletions(models.Connection{Name: "desk", Address: b.Address + "/v1",
			Patience: models.DefaultPatience}, models.NewSecret(testbed.Token))
		if err != nil {
			t.Fatal(err)
		}
		var pieces int
		var text strings.Builder
		result, err := c.Generate(ctx, models.Request{Model: "helper",
			Messages: []prompt.Message{{Role: prompt.User, Text: "How do I light a smoker?"}},
			Sampling: deskfile.Sampling{MaxTokens: 100}},
			models.Sink{Text: func(b []byte) { pieces++; text.Write(b) }})
		if err != nil || text.Len() == 0 || result.ReplyTokens == 0 || result.PromptTokens == 0 || slow &&
			(pieces < 50 || result.Finish != "length") {
			t.Errorf("%d pieces, %q, %+v, %v", pieces, text.String(), result, err)
		}
	}
	c, err := protocol.NewChatCompletions(models.Connection{Address: b.Address + "/v1",
		Patience: models.DefaultPatience}, models.NewSecret(testbed.Token))
	if err != nil {
		t.Fatal(err)
	}
	if names, err := c.Names(ctx); err != nil || len(names) != 1 {
		t.Errorf("names %v, %v", names, err)
	}
}

func TestErrorsInTheCompletionsProtocol(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	for _, c := range []struct {
		body   string
		status int
		code   string
		kind   string
	}{
		{`{"model":"nobody","messages":[{"role":"user","content":"x"}]}`, 404, "model_not_found",
			"invalid_request_error"},
		{`{"model":"helper","messages":[]}`, 422, "invalid", "invalid_request_error"},
		{`{"model":"helper","messages":[{"role":"assistant","content":"x"}]}`, 422, "invalid", "invalid_request_error"},
		{`{"model":"helper","messages":[{"role":"tool","content":"x"}]}`, 422, "invalid", "invalid_request_error"},
		{`{"model":"helper","messages":[{"role":"user","content":[{"type":"image_url"}]}]}`, 422, "invalid",
			"invalid_request_error"},
		{`{"model":"helper","n":2,"messages":[{"role":"user","content":"x"}]}`, 422, "invalid",
			"invalid_request_error"},
		{`{"model":"helper","stop":7,"messages":[{"role":"user","content":"x"}]}`, 422, "invalid",
			"invalid_request_error"},
		{`nonsense`, 422, "invalid", "invalid_request_error"},
		{`{"model":"helper","messages":[{"role":"user","content":"` + strings.Repeat("hive ", 4000) + `"}]}`, 413,
			"context_length_exceeded", "invalid_request_error"},
	} {
		status, got := complete(t, b, c.body)
		if status != c.status || got.Error.Code != c.code || got.Error.Type != c.kind || got.Error.Message == "" {
			t.Errorf("%.60s: %d %+v", c.body, status, got.Error)
		}
	}
	if response, body := call(t, http.DefaultClient, "POST", b.Address+"/v1/chat/completions",
		`{"model":"helper"}`); response.StatusCode != 401 || !strings.Contains(body, `"error":{`) {
		t.Errorf("without a token: %d %s", response.StatusCode, body)
	}
	b.Model.Set(testbed.With(testbed.Fast, "broken", 0, 0))
	if status, got := complete(t, b, `{"model":"helper","messages":[{"role":"user","content":"x"}]}`); status != 502 ||
		got.Error.Type != "server_error" || got.Error.Code != "server-failed" {
		t.Errorf("a model that fails: %d %+v", status, got.Error)
	}
	_, stream := call(t, http.DefaultClient, "POST", b.Address+"/v1/chat/completions",
		`{"model":"helper","stream":true,"messages":[{"role":"user","content":"x"}]}`, authorization, bearer)
	if !strings.Contains(stream, `"error":{`) || !strings.Contains(stream, `"message":"This desk has trouble answering`) ||
		strings.Contains(stream, "[DONE]") {
		t.Errorf("a stream that fails: %s", stream)
	}
}

func TestRetryingARequestDoesNotAskTwice(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	before := b.Model.Requests()
	for range 3 {
		call(t, http.DefaultClient, "POST", b.Address+"/v1/chat/completions",
			`{"model":"helper","messages":[{"role":"user","content":"x"}]}`, authorization, bearer, "Idempotency-Key",
			"once")
	}
	if n := b.Model.Requests() - before; n != 1 {
		t.Errorf("the model was asked %d times", n)
	}
}

// Whoever hangs up in the middle of a stream is not charged for the rest.
func TestHangingUpStopsTheModel(t *testing.T) {
	for _, key := range []string{"", "may-ask-again"} {
		b := testbed.New(t, testbed.Options{})
		b.Model.Set(testbed.Slow)
		request, err := http.NewRequest("POST", b.Address+"/v1/chat/completions",
			strings.NewReader(`{"model":"helper","stream":true,"messages":[{"role":"user","content":"How do I light a smoker?"}]}`))
		if err != nil {
			t.Fatal(err)
		}
		request.Header.Set(authorization, bearer)
		request.Header.Set("Idempotency-Key", key)
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := response.Body.Read(make([]byte, 300)); err != nil {
			t.Fatal(err)
		}
		response.Body.Close()
		stopped := func() bool { return b.Replies.Running() == 0 }
		if key == "" {
			testbed.Within(t, 30*time.Second, "the reply is stopped", stopped)
		} else if time.Sleep(time.Second); stopped() {
			t.Error("a reply that may be asked for again was stopped")
		}
	}
}
