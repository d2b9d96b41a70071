package scripted

import (
	"compress/gzip"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"
)

// Manners are all that there are.
var Manners = slices.Concat(parameters, refusals, thinking, ends)

func has(fields ...string) func(*ask) bool {
	return func(a *ask) bool {
		for _, f := range fields {
			if a.has(f) {
				return true
			}
		}
		return false
	}
}

// parameters are manners of servers that do not take all that the protocol has.
var parameters = []Manner{
	{Name: "plain", About: "A well-mannered server",
		serve: func(w http.ResponseWriter, _ *http.Request, a *ask) { answer(w, a) }},
	{Name: "no-stream-options", About: "Knows no `stream_options`", serve: unless(has("stream_options"), 400,
		`{"error":{"message":"Unrecognized request argument supplied: stream_options","type":"invalid_request_error","param":null,"code":null}}`)},
	{Name: "max-completion-tokens", About: "Wants `max_completion_tokens`", serve: unless(has("max_tokens"), 400,
		`{"error":{"message":"Unsupported parameter: 'max_tokens' is not supported with this model. Use 'max_completion_tokens' instead.","type":"invalid_request_error","param":"max_tokens","code":"unsupported_parameter"}}`)},
	{Name: "no-system", About: "Takes no system role",
		serve: unless(func(a *ask) bool { return a.role("system") || a.role("developer") }, 400,
			`{"error":{"message":"System role not supported","type":"BadRequestError"}}`)},
	{Name: "developer", About: "Takes a developer's message, no system's",
		serve: unless(func(a *ask) bool { return a.role("system") }, 400,
			`{"error":{"message":"Unsupported value: 'messages[0].role' does not support 'system' with this model.","code":"unsupported_value","param":"messages[0].role"}}`)},
	{Name: "one-temperature", About: "Takes no temperature but 1",
		serve: unless(func(a *ask) bool { return a.Temperature != nil && *a.Temperature != 1 }, 400,
			`{"error":{"message":"Unsupported value: 'temperature' does not support 0.3 with this model. Only the default (1) value is supported.","code":"unsupported_value","param":"temperature"}}`)},
	{Name: "strict", About: "Checks every field, by a list of errors",
		serve: unless(has("stream_options", "top_p", "seed"), 422,
			`{"detail":[{"type":"extra_forbidden","loc":["body","stream_options"],"msg":"Extra inputs are not permitted"},{"type":"extra_forbidden","loc":["body","seed"],"msg":"Extra inputs are not permitted"}]}`)},
	{Name: "no-stream", About: "Does not stream", serve: unless(func(a *ask) bool { return a.Stream }, 400,
		`{"error":"streaming is not implemented"}`)},
	{Name: "wordless", About: "Refuses `seed` without a word", serve: unless(has("seed"), 400, "")},
	{Name: "falls-over", About: "Falls over `stop`", serve: unless(has("stop"), 500, "Internal Server Error")},
}

// refusals are manners of servers that do not answer.
var refusals = []Manner{
	{Name: "too-long-by-code", About: "The question is too long, by a code", serve: always(400,
		`{"error":{"message":"Please shorten it.","code":"context_length_exceeded"}}`)},
	{Name: "too-long-by-words", About: "The question is too long, in words", serve: always(400,
		`{"message":"This model's maximum context length is 4096 tokens. However, your messages resulted in 5012 tokens."}`)},
	{Name: "declined", About: "The server's policy does not allow it", serve: always(400,
		`{"error":{"message":"The response was filtered due to the prompt triggering our content management policy.","code":"content_filter"}}`)},
	{Name: "bad-key", About: "The key is wrong",
		serve: always(401, `{"error":{"message":"Incorrect API key provided","code":"invalid_api_key"}}`)},
	{Name: "no-access", About: "The key may not use this model", serve: always(403,
		`{"error":{"message":"Project does not have access to model m","code":"model_not_found"}}`)},
	{Name: "no-credit", About: "The account is empty", serve: always(429,
		`{"error":{"message":"You exceeded your current quota, please check your plan and billing details.","type":"insufficient_quota","code":"insufficient_quota"}}`)},
	{Name: "daily-quota", About: "A daily quota is used up", serve: always(429,
		`{"error":{"message":"Rate limit reached for requests per day (RPD): Limit 200, Used 200."}}`, "Retry-After", "3600")},
	{Name: "busy", About: "Asked too fast",
		serve: always(429, `{"error":{"message":"Too many requests"}}`, "Retry-After", "0.01")},
	{Name: "listed-but-404", About: "Lists the model, and does not find it",
		serve: always(404, `{"error":{"message":"The model 'm' does not exist"}}`)},
	{Name: "other-models", About: "Has other models",
		serve: always(404, `{"error":{"message":"model 'm' not found","code":"model_not_found"}}`),
		list:  func(w http.ResponseWriter) { fmt.Fprint(w, `{"models":[{"name":"mm"},{"name":"oak"}]}`) }},
	{Name: "out-of-memory", About: "Its machine has no memory left",
		serve: always(500, "CUDA out of memory. Tried to allocate 2.00 GiB")},
	{Name: "loading", About: "Still loading the model",
		serve: always(503, `{"error":{"message":"Loading model","type":"unavailable_error","code":503}}`)},
	{Name: "broken", About: "Broken, behind a proxy",
		serve: always(502, "<html><head><title>502 Bad Gateway</title></head><body>nginx</body></html>")},
	{Name: "error-in-stream", About: "An error in the stream", serve: stream(delta("content", "Light "),
		`{"error":{"message":"CUDA error: out of memory","code":500}}`)},
	{Name: "error-event", About: "An event named error",
		serve: raw("text/event-stream", "event: error\ndata: {\"message\":\"the worker died\"}\n\n")},
	{Name: "error-object", About: "An object that is an error",
		serve: stream(`{"object":"error","message":"prompt is too long: 9000 tokens","code":40303}`)},
	{Name: "wrong-address", About: "A web page at the address",
		serve: raw("text/html", "<!doctype html><html><head><title>Welcome</title></head></html>")},
	{Name: "another-protocol", About: "JSON of another protocol",
		serve: raw("application/json", `{"generated_text":"Light it"}`)},
}

// thinking are manners of servers whose models think aloud.
var thinking = []Manner{
	{Name: "think-marks", About: "Thinks between marks",
		serve: stream(deltas("<think>" + Thought + "</think>\n\n" + Reply)...)},
	{Name: "thinks-first", About: "Thinks first; only a closing mark shows",
		serve: stream(deltas(Thought + "</think>\n\n" + Reply)...)},
	{Name: "thinks-apart", About: "Thinks in a field of its own",
		serve: stream(append([]string{delta("reasoning_content", Thought)}, deltas(Reply)...)...)},
	{Name: "thinks-in-parts", About: "Thinks in parts of the content", serve: stream(
		`{"choices":[{"index":0,"delta":{"content":[{"type":"thinking","thinking":[{"type":"text","text":"`+Thought+`"}]}]}}]}`,
		`{"choices":[{"index":0,"delta":{"content":[{"type":"text","text":"`+Reply+`"}]}}]}`, finish("stop"), "[DONE]")},
	{Name: "only-thinks", About: "Thinks until its length is used up",
		serve: stream(delta("content", "<think>"+Thought), finish("length"), "[DONE]")},
}

// ends are manners of streams and their ends.
var ends = []Manner{
	{Name: "whole", About: "Answers at once though asked to stream",
		serve: func(w http.ResponseWriter, _ *http.Request, a *ask) {
			a.Stream = false
			answer(w, a)
		}},
	{Name: "stays-open", About: "Says how it ended, and stays open",
		serve: func(w http.ResponseWriter, r *http.Request, _ *ask) {
			all := deltas(Reply)
			events(w, all[:len(all)-1]...)
			<-r.Context().Done()
		}},
	{Name: "breaks-off", About: "Breaks off", serve: stream(delta("content", "Light "))},
	{Name: "filtered", About: "The filter cuts the reply short",
		serve: stream(delta("content", "Light it with"), finish("content_filter"), "[DONE]")},
	{Name: "held-back", About: "The filter holds the reply back", serve: stream(finish("SAFETY"), "[DONE]")},
	{Name: "only-tools", About: "Asks for tools", serve: stream(
		`{"choices":[{"index":0,"delta":{"tool_calls":[{"index":0,"function":{"name":"look","arguments":"{}"}}]}}]}`, finish("tool_calls"), "[DONE]")},
	{Name: "refuses", About: "The model refuses, in a field of its own",
		serve: stream(delta("refusal", "I would rather not say."), finish("stop"), "[DONE]")},
	{Name: "empty", About: "An empty reply", serve: stream(finish("stop"), "[DONE]")},
	{Name: "other-choices", About: "Several choices, in any order", serve: stream(
		`{"choices":[{"index":1,"delta":{"content":"No. "}},{"index":0,"delta":{"content":"Light it "}}]}`,
		`{"choices":[{"index":1,"delta":{"content":"Never."}}]}`, `{"choices":[{"index":0,"delta":{"content":"with dry wood."}}]}`, finish("stop"), "[DONE]")},
	{Name: "in-parts", About: "Content as a list of parts", serve: raw("application/json",
		`{"choices":[{"message":{"content":[{"type":"text","text":"Light it "},{"type":"text","text":"with dry wood."}]},"finish_reason":"stop"}]}`)},
	{Name: "halves", About: "Characters in two halves",
		serve: stream(`{"choices":[{"delta":{"content":"Bee \ud83d"}}]}`,
			`{"choices":[{"delta":{"content":"\udc1d and w\u00e4x "}}]}`, "{\"choices\":[{\"delta\":{\"content\":\"\xe2\x98\"}}]}",
			"{\"choices\":[{\"delta\":{\"content\":\"\x83\"}}]}", finish("stop"), "[DONE]")},
	{Name: "loud-type", About: "Its media type in capitals",
		serve: raw("TEXT/EVENT-STREAM; charset=UTF-8", lines(deltas(Reply)))},
	{Name: "no-type", About: "No media type", serve: raw("", lines(deltas(Reply)))},
	{Name: "plain-type", About: "text/plain for a media type", serve: raw("text/plain", lines(deltas(Reply)))},
	{Name: "bare-objects", About: "Objects without events around them", serve: raw("application/x-ndjson",
		delta("content", "Light it ")+"\n"+delta("content", "with dry wood.")+"\n"+finish("stop")+"\n")},
	{Name: "carriage-returns", About: "Lines that end with a carriage return", serve: raw("text/event-stream",
		strings.ReplaceAll(lines(deltas(Reply)), "\n", "\r"))},
	{Name: "packed", About: "Packed though not asked to",
		serve: func(w http.ResponseWriter, _ *http.Request, _ *ask) {
			w.Header().Set("Content-Type", "text/event-stream")
			w.Header().Set("Content-Encoding", "gzip")
			z := gzip.NewWriter(w)
			fmt.Fprint(z, lines(deltas(Reply)))
			_ = z.Close()
		}},
	{Name: "moved", About: "Has moved for good, within the server",
		serve: func(w http.ResponseWriter, r *http.Request, a *ask) {
			if !strings.Contains(r.URL.Path, "/moved/") {
				w.Header().Set("Location", "../../moved/v1/chat/completions")
				w.WriteHeader(http.StatusMovedPermanently)
				return
			}
			answer(w, a)
		}},
	{Name: "elsewhere", About: "Has moved to another server",
		serve: func(w http.ResponseWriter, r *http.Request, _ *ask) {
			http.Redirect(w, r, "http://elsewhere.invalid/v1", http.StatusPermanentRedirect)
		}},
	{Name: "long-line", About: "A line that does not end",
		serve: func(w http.ResponseWriter, _ *http.Request, _ *ask) {
			w.Header().Set("Content-Type", "text/event-stream")
			fmt.Fprint(w, `data: {"choices":[{"delta":{"content":"`)
			for range 6 << 10 {
				if _, err := fmt.Fprint(w, strings.Repeat("x", 1<<10)); err != nil {
					return
				}
			}
		}},
	{Name: "silent", About: "Says nothing at all", serve: func(w http.ResponseWriter, r *http.Request, _ *ask) {
		select {
		case <-r.Context().Done():
		case <-time.After(time.Minute):
		}
	}},
}

func lines(data []string) string {
	var b strings.Builder
	for _, d := range data {
		fmt.Fprintf(&b, "data: %s\n\n", d)
	}
	return b.String()
}
