package protocol

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/internal/models"
	"juvalogos/standin/scripted"
)

// heard is what came of one question to an endpoint.
type heard struct {
	said, thought string
	pieces        int
	files         []recipe.Media
	progress      []models.Progress
	exchanges     []models.Exchange
	result        models.Result
	err           error
}

func askEndpoint(t *testing.T, ctx context.Context, address string, e models.Endpoint, r models.Request) (h heard) {
	t.Helper()
	c, err := newEndpoint(models.Connection{Name: "e", Address: address, Endpoint: &e, Patience: 5 * time.Second,
		Headers: map[string]string{"X-Key": models.KeyMark}}, models.NewSecret(key))
	if err != nil {
		t.Fatal(err)
	}
	r.Model = "oak"
	if r.Messages == nil {
		r.Messages = []prompt.Message{{Role: prompt.System, Text: "Be brief."}, {Role: prompt.User, Text: "How?"}}
	}
	h.result, h.err = c.Generate(ctx, r, models.Sink{
		Text: func(b []byte) { h.said += string(b); h.pieces++ }, Thought: func(b []byte) { h.thought += string(b) },
		File:      func(f recipe.Media) { h.files = append(h.files, f) },
		Progress:  func(p models.Progress) { h.progress = append(h.progress, p) },
		Exchanged: func(x models.Exchange) { h.exchanges = append(h.exchanges, x) },
	})
	return h
}

const promptBody = `{"prompt": {{json .prompt}}, "max": {{.max_tokens}}, "stop": {{json .stop}}}`

var jobOf = models.Job{Address: "/urls/get", State: "/status", Done: []string{"succeeded"}, Failed: []string{"failed"},
	Progress: "/progress", Cancel: "/urls/cancel", Every: time.Millisecond}

// Whatever an address is like: where the templates and places say, there the reply is.
func TestAnyEndpoint(t *testing.T) {
	server := httptest.NewServer(&scripted.Endpoints{})
	defer server.Close()
	templated := jobOf
	templated.Address, templated.Cancel = "/jobs/{{.answer.id}}", "/jobs/{{path .answer.id}}/cancel"
	for name, c := range map[string]struct {
		e      models.Endpoint
		pieces int
		finish string
	}{
		"at once": {models.Endpoint{Path: "/generate", Body: promptBody, Reply: "/results/0/text",
			Thought: "/reasoning",
			Finish:  "/end", PromptTokens: "/counts/in", ReplyTokens: "/counts/out"}, 1, "length"},
		"a form": {models.Endpoint{Path: "/generate", Form: "form", Body: "prompt={{.prompt}}\nmax={{.max_tokens}}",
			Reply: "/results/0/text"}, 1, ""},
		"events": {models.Endpoint{Path: "/stream/events", Body: promptBody, Stream: "events",
			Reply: "/token/text"}, 5, ""},
		"lines": {models.Endpoint{Path: "/stream/lines", Body: promptBody, Stream: "lines", Reply: "/sofar",
			Grows: true}, 5, ""},
		"text": {models.Endpoint{Path: "/stream/text", Body: promptBody, Stream: "text"}, 1, ""},
		"a job": {models.Endpoint{Path: "/jobs", Body: promptBody, Reply: "/output", Error: "/error", Job: &jobOf},
			1, ""},
		"its name": {models.Endpoint{Path: "/jobs", Body: promptBody, Reply: "/output/0", Job: &templated}, 1, ""},
	} {
		h := askEndpoint(t, t.Context(), server.URL, c.e,
			models.Request{Sampling: deskfile.Sampling{Stop: []string{"STOP"}}})
		if h.err != nil || h.said != scripted.Reply || h.pieces < c.pieces || c.finish != "" &&
			h.result.Finish != c.finish {
			t.Errorf("%s: %q in %d pieces, %+v, %v", name, h.said, h.pieces, h.result, h.err)
		}
		if c.e.Thought != "" && (h.thought != scripted.Thought || h.result.PromptTokens != 7 ||
			h.result.ReplyTokens != 5) {
			t.Errorf("%s: thought %q, %+v", name, h.thought, h.result)
		}
		if c.e.Job != nil && (len(h.progress) < 2 || h.progress[0].Says != "queued" ||
			h.progress[len(h.progress)-1].Done <= 0) {
			t.Errorf("%s: progress %+v", name, h.progress)
		}
		for _, x := range h.exchanges {
			if strings.Contains(x.Request+x.Answer+x.Address, key) || !strings.Contains(x.Request, "X-Key: (secret)") ||
				x.Status == 0 || strings.Contains(x.Request, "Authorization") {
				t.Errorf("%s: %+v", name, x)
			}
		}
		if len(h.exchanges) == 0 {
			t.Errorf("%s: nothing to be seen of the exchange", name)
		}
	}
}

// Files come as bytes, as base64 and by link; links lead to the server itself or to
// what anybody may fetch, and a file that came along is sent as it is.
func TestFilesOfEndpoints(t *testing.T) {
	server := httptest.NewServer(&scripted.Endpoints{})
	defer server.Close()
	for name, e := range map[string]models.Endpoint{
		"bytes": {Method: "GET", Path: "/picture"}, "base64": {Path: "/picture/base64", Body: "{}", Reply: "/images",
			ReplyIs: "base64"},
		"link": {Path: "/picture/link", Body: "{}", Reply: "/url", ReplyIs: "link"},
	} {
		h := askEndpoint(t, t.Context(), server.URL, e, models.Request{})
		if h.err != nil || len(h.files) != 1 || h.files[0].Kind != "image/png" || len(h.files[0].Body) < 50 {
			t.Errorf("%s: %d files, %v", name, len(h.files), h.err)
		}
	}
	h := askEndpoint(t, t.Context(), server.URL, models.Endpoint{Path: "/picture/elsewhere", Body: "{}", Reply: "/url",
		ReplyIs: "link"}, models.Request{})
	if h.err == nil || !strings.Contains(h.err.Error(), "private network") {
		t.Errorf("a link into the house: %v", h.err)
	}
	h = askEndpoint(t, t.Context(), server.URL, models.Endpoint{Path: "/length", Form: "raw"},
		models.Request{Files: []recipe.Media{{Kind: "audio/wav", Body: []byte("RIFF")}}})
	if h.said != "4 bytes of audio/wav" {
		t.Errorf("a sound as it is: %q, %v", h.said, h.err)
	}
}

func TestEndpointsThatFail(t *testing.T) {
	server := httptest.NewServer(&scripted.Endpoints{})
	defer server.Close()
	generate := models.Endpoint{Path: "/generate", Body: promptBody, Reply: "/results/0/text", Error: "/fault/words"}
	wrong := generate
	wrong.Reply = "/nowhere/0"
	job := models.Endpoint{Path: "/jobs", Body: promptBody, Reply: "/output", Error: "/error", Job: &jobOf}
	for name, c := range map[string]struct {
		e    models.Endpoint
		ask  string
		kind models.ErrorKind
		says string
	}{
		"its own words":   {generate, "fail", models.Refused, "this cannot be answered"},
		"not yet":         {generate, "later", models.Waking, ""},
		"no such place":   {wrong, "go", models.SaidNothing, "/nowhere/0"},
		"a body not JSON": {models.Endpoint{Path: "/generate", Body: `{"prompt": {{.prompt}}}`}, "go", models.Unsupported, "not JSON"},
		"a failed job":    {job, "fail", models.ServerFailed, "the kiln went out"},
		"no such path":    {models.Endpoint{Path: "/x", Body: "{}"}, "go", models.Garbled, "404"},
	} {
		h := askEndpoint(t, t.Context(), server.URL, c.e,
			models.Request{Messages: []prompt.Message{{Role: prompt.User, Text: c.ask}}})
		var failure *models.Error
		if !errors.As(h.err, &failure) || failure.Kind != c.kind || !strings.Contains(failure.Advice(), c.says) {
			t.Errorf("%s: %v", name, h.err)
		}
	}
	for _, bad := range []models.Endpoint{{Reply: "results"}, {Body: "{{.prompt"}, {Body: "{{nothing}}"},
		{Job: &models.Job{Address: "x", State: "/s", Done: []string{"d"}}}} {
		if _, err := newEndpoint(models.Connection{Address: "http://h", Endpoint: &bad}, models.Secret{}); err == nil {
			t.Errorf("made of %+v", bad)
		}
	}
}

// A job that nobody waits for any more is ended at the server; one that is said to be
// elsewhere is not asked for: the key would go along.
func TestJobsAreCancelledAndStayAtHome(t *testing.T) {
	endpoints := &scripted.Endpoints{Length: 1 << 20}
	server := httptest.NewServer(endpoints)
	defer server.Close()
	ctx, cancel := context.WithTimeout(t.Context(), 200*time.Millisecond)
	defer cancel()
	e := models.Endpoint{Path: "/jobs", Body: promptBody, Reply: "/output", Job: &jobOf}
	if h := askEndpoint(t, ctx, server.URL, e, models.Request{}); !errors.Is(h.err, context.DeadlineExceeded) {
		t.Errorf("given up: %v", h.err)
	}
	if ended := endpoints.Cancelled(); len(ended) != 1 {
		t.Errorf("ended at the server: %v", ended)
	}
	liar := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		_, _ = w.Write([]byte(`{"status":"queued","urls":{"get":"` + server.URL + `/jobs/job-1"}}`))
	}))
	defer liar.Close()
	if h := askEndpoint(t, t.Context(), liar.URL, e, models.Request{}); h.err == nil ||
		!strings.Contains(h.err.Error(), "another address") {
		t.Errorf("a job elsewhere: %v", h.err)
	}
}
