// Package otlp writes traces in the OpenTelemetry protocol (OTLP/JSON 1.x, with
// the semantic conventions for generative models) and sends them to a
// collector.
package otlp

import (
	"encoding/hex"
	"encoding/json"
	"strconv"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/recipe"
	"juvalogos/internal/record"
)

// Trace is a trace to be exported.
type Trace struct {
	record.Trace
	Spans []recipe.Span
}

// The parts of ExportTraceServiceRequest that are used; times are in
// nanoseconds since 1970, as text.
type (
	Request struct {
		ResourceSpans []resourceSpans `json:"resourceSpans"`
	}
	resourceSpans struct {
		Resource   resource     `json:"resource"`
		ScopeSpans []scopeSpans `json:"scopeSpans"`
	}
	resource struct {
		Attributes []attribute `json:"attributes"`
	}
	scopeSpans struct {
		Scope scope  `json:"scope"`
		Spans []span `json:"spans"`
	}
	scope struct {
		Name string `json:"name"`
	}
	span struct {
		TraceID           string      `json:"traceId"`
		SpanID            string      `json:"spanId"`
		ParentSpanID      string      `json:"parentSpanId,omitempty"`
		Name              string      `json:"name"`
		Kind              int         `json:"kind"` // 1 internal, 2 server, 3 client
		StartTimeUnixNano string      `json:"startTimeUnixNano"`
		EndTimeUnixNano   string      `json:"endTimeUnixNano"`
		Attributes        []attribute `json:"attributes,omitempty"`
		Status            status      `json:"status"`
	}
	status struct {
		Code    int    `json:"code,omitempty"` // 1 ok, 2 error
		Message string `json:"message,omitempty"`
	}
	attribute struct {
		Key   string `json:"key"`
		Value value  `json:"value"`
	}
	value struct {
		String *string     `json:"stringValue,omitempty"`
		Int    *string     `json:"intValue,omitempty"`
		Double *float64    `json:"doubleValue,omitempty"`
		Array  *arrayValue `json:"arrayValue,omitempty"`
	}
	arrayValue struct {
		Values []value `json:"values"`
	}
)

func text(key, v string) attribute { return attribute{key, value{String: &v}} }
func number(key string, n int) attribute {
	s := strconv.Itoa(n)
	return attribute{key, value{Int: &s}}
}
func amount(key string, x float64) attribute { return attribute{key, value{Double: &x}} }

func nano(t time.Time) string { return strconv.FormatInt(t.UnixNano(), 10) }

// Export writes traces: for each a span for the turn, one for every step, and
// one for every time that a model was asked.
func Export(traces []Trace) Request {
	var spans []span
	for _, t := range traces {
		spans = append(spans, spansOf(t)...)
	}
	return Request{[]resourceSpans{{
		Resource:   resource{[]attribute{text("service.name", "juvalogos")}},
		ScopeSpans: []scopeSpans{{scope{"juvalogos"}, spans}},
	}}}
}

func spansOf(t Trace) []span {
	id := hex.EncodeToString(t.ID[:])
	spanID := func(n int) string { // eight bytes that no other span of the trace has
		name := uuid.NewSHA1(t.ID, []byte(strconv.Itoa(n)))
		return hex.EncodeToString(name[:8])
	}
	next := 0
	fresh := func() string { next++; return spanID(next) }
	root := span{
		TraceID: id, SpanID: fresh(), Name: "invoke_agent " + t.Slug, Kind: 2,
		StartTimeUnixNano: nano(t.StartedAt),
		EndTimeUnixNano:   nano(t.StartedAt.Add(time.Duration(t.Seconds * float64(time.Second)))),
		Attributes: []attribute{
			text("gen_ai.operation.name", "invoke_agent"), text("gen_ai.agent.name", t.Slug),
			text("gen_ai.conversation.id", t.Conversation.String()),
			text("juvalogos.turn", t.Turn.String()), number("juvalogos.attempt", t.Attempt),
			number("juvalogos.revision", t.Revision),
			text("juvalogos.recipe", t.Recipe), text("juvalogos.kind", t.Kind), amount("juvalogos.cost", t.Usage.Cost),
			number("gen_ai.usage.input_tokens", t.Usage.PromptTokens),
			number("gen_ai.usage.output_tokens", t.Usage.ReplyTokens),
		},
		Status: statusOf(t.State == "failed", t.Problem),
	}
	if t.State == "failed" {
		root.Attributes = append(root.Attributes, text("error.type", t.Problem))
	}
	all := []span{root}
	ids := make([]string, len(t.Spans))
	for i, s := range t.Spans {
		ids[i] = fresh()
		parent := root.SpanID
		if s.Parent >= 0 && s.Parent < i {
			parent = ids[s.Parent]
		}
		began := t.StartedAt.Add(s.Start)
		step := span{
			TraceID: id, SpanID: ids[i], ParentSpanID: parent, Name: s.Step, Kind: 1,
			StartTimeUnixNano: nano(began), EndTimeUnixNano: nano(began.Add(s.Took)),
			Attributes: []attribute{text("juvalogos.step", s.Step), text("juvalogos.do", s.Do),
				text("juvalogos.state", string(s.State))},
			Status: statusOf(s.State == recipe.Failed, s.Error),
		}
		if s.Number > 0 {
			step.Attributes = append(step.Attributes, number("juvalogos.number", s.Number))
		}
		all = append(all, step)
		for _, c := range s.Calls {
			all = append(all, callOf(c, id, fresh(), ids[i]))
		}
	}
	return all
}

func callOf(c recipe.ModelCall, trace, id, parent string) span {
	s := span{
		TraceID: trace, SpanID: id, ParentSpanID: parent, Name: "chat " + c.Model, Kind: 3,
		StartTimeUnixNano: nano(c.At), EndTimeUnixNano: nano(c.At.Add(c.Took)),
		Status: statusOf(c.Error != "", c.Error),
		Attributes: []attribute{
			text("gen_ai.operation.name", "chat"), text("gen_ai.request.model", c.Model),
			number("gen_ai.usage.input_tokens", c.PromptTokens), number("gen_ai.usage.output_tokens", c.ReplyTokens),
			amount("juvalogos.cost", c.Cost),
		},
	}
	settings := map[string]any{}
	if plain, err := json.Marshal(c.Settings); err == nil && json.Unmarshal(plain, &settings) == nil {
		for from, to := range map[string]string{"temperature": "gen_ai.request.temperature",
			"top_p": "gen_ai.request.top_p"} {
			if x, ok := settings[from].(float64); ok {
				s.Attributes = append(s.Attributes, amount(to, x))
			}
		}
		if n, ok := settings["max_tokens"].(float64); ok {
			s.Attributes = append(s.Attributes, number("gen_ai.request.max_tokens", int(n)))
		}
	}
	if c.Finish != "" {
		s.Attributes = append(s.Attributes,
			attribute{"gen_ai.response.finish_reasons", value{Array: &arrayValue{[]value{{String: &c.Finish}}}}})
	}
	type part struct {
		Type    string `json:"type"`
		Content string `json:"content"`
	}
	type message struct {
		Role  string `json:"role"`
		Parts []part `json:"parts"`
	}
	var said []message
	for _, m := range c.Messages {
		said = append(said, message{string(m.Role), []part{{"text", m.Text}}})
	}
	if b, err := json.Marshal(said); err == nil && said != nil {
		s.Attributes = append(s.Attributes, text("gen_ai.input.messages", string(b)))
	}
	if b, err := json.Marshal([]message{{"assistant", []part{{"text", c.Answer}}}}); err == nil && c.Answer != "" {
		s.Attributes = append(s.Attributes, text("gen_ai.output.messages", string(b)))
	}
	return s
}

func statusOf(failed bool, message string) status {
	if failed {
		return status{2, message}
	}
	return status{Code: 1}
}
