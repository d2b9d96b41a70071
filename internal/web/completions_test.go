package web_test

import (
	"context"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"math"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/internal/models"
	"juvalogos/internal/models/protocol"
	"juvalogos/internal/record"
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
		Message, Type, Code, Param string
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
	if names, err := c.Names(ctx); err != nil || !slices.Contains(names, "helper") {
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
		{`{"model":"helper","messages":[]}`, 400, "invalid", "invalid_request_error"},
		{`{"model":"helper","messages":[{"role":"assistant","content":"x"}]}`, 400, "invalid", "invalid_request_error"},
		{`{"model":"helper","messages":[{"role":"tool","content":"x"}]}`, 400, "invalid", "invalid_request_error"},
		{`{"model":"helper","messages":[{"role":"user","content":[{"type":"image_url"}]}]}`, 400, "invalid",
			"invalid_request_error"},
		{`{"model":"helper","n":2,"messages":[{"role":"user","content":"x"}]}`, 400, "invalid_value",
			"invalid_request_error"},
		{`{"model":"helper","stop":7,"messages":[{"role":"user","content":"x"}]}`, 400, "invalid",
			"invalid_request_error"},
		{`nonsense`, 400, "invalid", "invalid_request_error"},
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
	if !strings.HasPrefix(stream, `{"error":{`) || strings.Contains(stream, "data:") {
		t.Errorf("a stream that fails: %s", stream)
	}
}

// What a client is told of a failure is true before the first word: its status, when
// to come back, and that asking again by itself would only multiply what the service
// has tried already.
func TestFailuresHaveTheirStatus(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	for _, c := range []struct {
		fault, after string
		status       int
	}{
		{"busy", "7", 429}, {"unauthorized", "", 502}, {"broken", "", 502}, {"too-long", "", 413},
	} {
		control := testbed.With(testbed.Fast, c.fault, 0, 0)
		control.RetryAfter = 7
		b.Model.Set(control)
		for _, stream := range []string{"true", "false"} {
			response, body := call(t, http.DefaultClient, "POST", b.Address+"/v1/chat/completions",
				`{"model":"helper","stream":`+stream+`,"messages":[{"role":"user","content":"x"}]}`, authorization, bearer)
			h := response.Header
			if response.StatusCode != c.status || h.Get("Retry-After") != c.after ||
				h.Get("X-Should-Retry") != "false" ||
				h.Get("X-Request-Id") == "" || !strings.HasPrefix(body, `{"error":{`) || strings.Contains(body, "desk cannot") {
				t.Errorf("%s, stream %s: %d %v %s", c.fault, stream, response.StatusCode, h, body)
			}
		}
	}
}

// What cannot be done is refused by its name, and what changes nothing is let pass.
func TestParametersThatCannotBe(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	ask := func(more string) (int, completion) {
		return complete(t, b, `{"model":"helper",`+more+`"messages":[{"role":"user","content":"Who are you?"}]}`)
	}
	for more, param := range map[string]string{
		`"tools":[{"type":"function"}],`: "tools", `"logprobs":true,`: "logprobs", `"n":2,`: "n",
		`"temperature":9,`: "temperature", `"max_tokens":-1,`: "max_tokens", `"max_tokens":0,`: "max_tokens",
		`"top_p":-0.1,`: "top_p", `"presence_penalty":1,`: "presence_penalty", `"logit_bias":{"1":2},`: "logit_bias",
		`"modalities":["audio"],`: "modalities", `"shape":"round",`: "shape", `"reasoning_effort":"wild",`: "reasoning_effort",
		`"response_format":{"type":"poem"},`: "response_format", `"response_format":{"type":"json_schema"},`: "response_format",
		`"response_format":{"type":"json_schema","json_schema":{"schema":{"type":"honey"}}},`: "response_format",
	} {
		if status, got := ask(more); status != 400 || got.Error.Param != param ||
			got.Error.Type != "invalid_request_error" {
			t.Errorf("%s %d %+v", more, status, got.Error)
		}
	}
	if status, got := ask(`"tools":[],"tool_choice":"none","logprobs":false,"n":1,"presence_penalty":0.0,"user":"me",
		"metadata":{"a":"b"},"response_format":{"type":"text"},"logit_bias":null,"store":false,`); status != 200 {
		t.Errorf("what changes nothing: %d %+v", status, got.Error)
	}
}

// A reply that is to be data fits its schema, streamed or not; one that does not is
// asked for again, and then it is an error.
func TestDataByASchema(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	const format = `"response_format":{"type":"json_schema","json_schema":{"name":"tasks","schema":{"type":"object",
		"required":["tasks"],"properties":{"tasks":{"type":"array","items":{"type":"object","required":["task"],
		"properties":{"task":{"type":"string"}}}}}}}},`
	ask := func(model, more string) (int, completion) {
		return complete(t, b, `{"model":"`+model+`",`+more+format+
			`"messages":[{"role":"user","content":"Tasks: Ada cleans the smoker. Birk paints the hive."}]}`)
	}
	for _, model := range []string{"helper", "shed/thyme-mini"} {
		status, got := ask(model, "")
		var v struct{ Tasks []struct{ Task string } }
		if status != 200 || json.Unmarshal([]byte(got.Choices[0].Message.Content), &v) != nil || v.Tasks == nil {
			t.Errorf("%s: %d %+v", model, status, got)
		}
	}
}

// A model answers by its name, for who may publish; nobody else learns that there is
// one.
func TestAModelByItsName(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	const body = `{"model":"shed/heather-2","messages":[{"role":"system","content":"Begin every reply with \"Well:\""},
		{"role":"user","content":"How do I light a smoker?"}]}`
	status, got := complete(t, b, body)
	if status != 200 || !strings.HasPrefix(got.Choices[0].Message.Content, "Well:") || got.Usage["prompt_tokens"] == 0 {
		t.Errorf("%d %+v", status, got)
	}
	rows, err := b.Store.Traces.Usage(ctx, record.UsageFilter{By: []string{"kind"}, To: time.Now().Add(time.Hour),
		Limit: 9})
	if err != nil || len(rows) != 1 || rows[0].Keys[0] != "direct" || rows[0].ReplyTokens == 0 {
		t.Errorf("what it used: %+v, %v", rows, err)
	}
	const secret = "jvl_only-asks"
	if _, err := b.Store.Accounts.AddToken(ctx, record.Token{Name: "asks", Scopes: []string{"ask"}},
		secret); err != nil {
		t.Fatal(err)
	}
	response, _ := call(t, http.DefaultClient, "POST", b.Address+"/v1/chat/completions", body, authorization,
		"Bearer "+secret)
	if response.StatusCode != 404 {
		t.Errorf("with leave to ask desks alone: %d", response.StatusCode)
	}
}

func TestEmbeddings(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	type answer struct {
		Data []struct {
			Index     int
			Embedding json.RawMessage
		}
		Usage map[string]int
		Error struct{ Param string }
	}
	embed := func(body string) (int, answer) {
		response, text := call(t, http.DefaultClient, "POST", b.Address+"/v1/embeddings", body, authorization, bearer)
		var a answer
		if err := json.Unmarshal([]byte(text), &a); err != nil {
			t.Fatalf("%s: %v", text, err)
		}
		return response.StatusCode, a
	}
	status, a := embed(`{"model":"shed/clover-embed","input":["smoke","wax"]}`)
	var numbers []float32
	if status != 200 || len(a.Data) != 2 || a.Data[1].Index != 1 || a.Usage["total_tokens"] == 0 ||
		json.Unmarshal(a.Data[0].Embedding, &numbers) != nil || len(numbers) != 256 {
		t.Errorf("%d %+v", status, a)
	}
	status, a = embed(`{"model":"shed/clover-embed","input":"smoke","encoding_format":"base64"}`)
	var text string
	if json.Unmarshal(a.Data[0].Embedding, &text) != nil {
		t.Fatalf("%d %+v", status, a)
	}
	raw, err := base64.StdEncoding.DecodeString(text)
	if err != nil || len(raw) != 4*256 || math.Float32frombits(binary.LittleEndian.Uint32(raw)) != numbers[0] {
		t.Errorf("as base64: %d bytes, %v", len(raw), err)
	}
	for body, param := range map[string]string{
		`{"model":"shed/clover-embed","input":[]}`:                          "input",
		`{"model":"shed/clover-embed","input":[1,2]}`:                       "input",
		`{"model":"shed/clover-embed","input":"x","dimensions":7}`:          "dimensions",
		`{"model":"shed/clover-embed","input":"x","encoding_format":"hex"}`: "encoding_format",
	} {
		if status, a := embed(body); status != 400 || a.Error.Param != param {
			t.Errorf("%s: %d %+v", body, status, a)
		}
	}
	if status, _ := embed(`{"model":"nobody","input":"x"}`); status != 404 {
		t.Errorf("no such model: %d", status)
	}
	if status, _ := embed(`{"model":"helper","input":"x"}`); status != 400 {
		t.Errorf("a desk without shelves: %d", status)
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
	// Whoever does not want it streamed may hang up too.
	whole := testbed.New(t, testbed.Options{})
	whole.Model.Set(testbed.Slow)
	leaving, leave := context.WithTimeout(ctx, time.Second)
	defer leave()
	request, err := http.NewRequestWithContext(leaving, "POST", whole.Address+"/v1/chat/completions",
		strings.NewReader(`{"model":"helper","messages":[{"role":"user","content":"How do I light a smoker?"}]}`))
	if err != nil {
		t.Fatal(err)
	}
	request.Header.Set(authorization, bearer)
	if response, err := http.DefaultClient.Do(request); err == nil {
		response.Body.Close()
		t.Fatal("it was answered before it was hung up on")
	}
	testbed.Until(t, "the reply is stopped", func() bool { return whole.Replies.Running() == 0 })
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
			testbed.Until(t, "the reply is stopped", stopped)
		} else if time.Sleep(time.Second); stopped() {
			t.Error("a reply that may be asked for again was stopped")
		}
	}
}
