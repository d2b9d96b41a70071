package web

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/gofiber/fiber/v3"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/reply"
	"juvalogos/internal/sse"
)

// The chat-completions protocol, with desks for models: any program that can
// talk to a model server can talk to a desk.

// completions are the handlers of the chat-completions protocol.
type completions struct {
	*door
	Desks   *desk.Service
	Replies *reply.Service
}

func (s *completions) routes(root fiber.Router) {
	root.Get("/v1/models", s.models)
	root.Post("/v1/chat/completions", s.complete)
}

func (s *door) isCompletions(c fiber.Ctx) bool {
	return strings.HasPrefix(c.Path(), s.BasePath+"/v1/")
}

func completionProblem(c fiber.Ctx, b api.Problem) error {
	return c.Status(b.Status).JSON(api.CompletionFailure{Error: errorOf(b.Status, fault.Code(b.Code), b.Detail, b.ID)})
}

func errorOf(status int, code fault.Code, detail, id string) api.CompletionProblem {
	e := api.CompletionProblem{Message: detail, Type: "server_error", Code: string(code)}
	if status >= 400 && status < 500 {
		e.Type = "invalid_request_error"
	}
	if code == fault.NoDesk {
		e.Code = "model_not_found"
	}
	if code == fault.QuestionLong || code == "too-long" {
		e.Code = "context_length_exceeded"
	}
	if id != "" {
		e.Message += " (" + id + ")"
	}
	return e
}

func (s *completions) models(c fiber.Ctx) error {
	if _, err := s.token(c); err != nil {
		return err
	}
	if _, err := s.visitor(c); err != nil { // it may ask
		return err
	}
	list, err := s.Desks.Desks(c)
	if err != nil {
		return err
	}
	data := []api.CompletionModel{}
	for _, d := range list {
		if d.Published > 0 {
			data = append(data, api.CompletionModel{ID: d.Slug, Object: "model", Created: d.ChangedAt.Unix(),
				OwnedBy: "juvalogos"})
		}
	}
	return c.JSON(api.CompletionModels{Object: "list", Data: data})
}

func (s *completions) complete(c fiber.Ctx) error {
	if _, err := s.token(c); err != nil {
		return err
	}
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	var b api.CompletionRequest
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if strings.HasPrefix(b.Model, desk.DraftMark) {
		return fault.Plain(fault.NoDesk)
	}
	if b.N > 1 {
		return invalid("A desk gives one reply at a time; leave n out or set it to 1.")
	}
	question, supplied, err := questionOf(b)
	if err != nil {
		return err
	}
	r, err := s.Replies.Ask(from(c), reply.Question{
		Slug: b.Model, Visitor: who, Channel: "completions", Text: question, Supplied: supplied,
		Key: c.Get("Idempotency-Key"),
	})
	if err != nil {
		return err
	}
	f := &completionFormat{id: "chatcmpl-" + r.Turn.String(), model: b.Model, created: r.StartedAt.Unix(),
		usage: b.StreamOptions.IncludeUsage}
	if b.Stream {
		// A program that hangs up wants no more, unless it said that it may
		// ask again.
		var left func()
		if c.Get("Idempotency-Key") == "" {
			left = func() { _ = s.Replies.Stop(context.Background(), who, r.Turn) }
		}
		return follow(c, r, 0, f, left)
	}
	if err := awaitSettled(c, r); err != nil {
		return err
	}
	v := r.Since(0, nil)
	if v.End.Problem != "" {
		return &fault.Problem{Code: v.End.Problem, Sentence: fault.Sentence(v.End.Problem), ID: v.End.ProblemID}
	}
	text, finish := string(v.Text), finishOf(v.End)
	body := f.body("chat.completion", api.CompletionChoice{
		Message: &api.CompletionMessage{Role: "assistant", Content: &text}, FinishReason: &finish,
	})
	body.Usage = completionUsageOf(v.End)
	return c.JSON(body)
}

// questionOf sorts the messages into the question (what the user said last), the
// exchanges before it, and further instructions.
func questionOf(b api.CompletionRequest) (question string, g *reply.Supplied, err error) {
	g = &reply.Supplied{Sampling: &deskfile.Sampling{
		Temperature: b.Temperature, TopP: b.TopP, Seed: b.Seed, MaxTokens: max(b.MaxTokens, b.MaxCompletionTokens),
	}}
	if g.Sampling.Stop, err = textOrList(b.Stop); err != nil {
		return "", nil, invalid("stop must be a text or a list of texts.")
	}
	var asked, system []string
	for i, m := range b.Messages {
		text, err := contentOf(m)
		if err != nil {
			return "", nil, invalid(fmt.Sprintf("messages[%d]: %v", i, err))
		}
		switch m.Role {
		case "system", "developer":
			system = append(system, text)
		case "user":
			asked = append(asked, text)
		case "assistant":
			g.Past = append(g.Past, prompt.Exchange{
				Question: prompt.Piece{Text: strings.Join(asked, "\n\n")}, Reply: prompt.Piece{Text: text},
			})
			asked = nil
		default:
			return "", nil, invalid(fmt.Sprintf("messages[%d]: role %q is not known here; use system, user or "+
				"assistant.", i, m.Role))
		}
	}
	if len(asked) == 0 {
		return "", nil, invalid("The last message must be the user's.")
	}
	g.System = strings.Join(system, "\n\n")
	return strings.Join(asked, "\n\n"), g, nil
}

// contentOf reads a message's content: a text, or a list of text parts.
func contentOf(m api.CompletionTurn) (string, error) {
	var text string
	if json.Unmarshal(m.Content, &text) == nil {
		return text, nil
	}
	var parts []struct {
		Type string `json:"type"`
		Text string `json:"text"`
	}
	if err := json.Unmarshal(m.Content, &parts); err != nil {
		return "", fmt.Errorf("content must be a text or a list of parts")
	}
	var texts []string
	for _, p := range parts {
		if p.Type != "text" {
			return "", fmt.Errorf("this desk reads text only, not %q", p.Type)
		}
		texts = append(texts, p.Text)
	}
	return strings.Join(texts, "\n"), nil
}

func textOrList(raw json.RawMessage) (list []string, err error) {
	var one string
	if len(raw) == 0 || string(raw) == "null" {
		return nil, nil
	}
	if json.Unmarshal(raw, &one) == nil {
		return []string{one}, nil
	}
	return list, json.Unmarshal(raw, &list)
}

func finishOf(e reply.End) string {
	if e.Finish == "length" || e.Finish == "content_filter" {
		return e.Finish
	}
	return "stop"
}

func completionUsageOf(e reply.End) *api.CompletionUsage {
	return &api.CompletionUsage{PromptTokens: e.PromptTokens, CompletionTokens: e.ReplyTokens,
		TotalTokens: e.PromptTokens + e.ReplyTokens}
}

// completionFormat writes a reply as the protocol's event stream.
type completionFormat struct {
	id, model string
	created   int64
	usage     bool
}

func (f *completionFormat) body(object string, choices ...api.CompletionChoice) api.Completion {
	if choices == nil {
		choices = []api.CompletionChoice{}
	}
	return api.Completion{ID: f.id, Object: object, Created: f.created, Model: f.model, Choices: choices}
}

func (f *completionFormat) event(b []byte, body any) []byte {
	text, err := json.Marshal(body)
	if err != nil {
		return b // cannot happen: the types above always marshal
	}
	return sse.Append(b, "", "", text)
}

func (f *completionFormat) begin(b []byte, _ int) []byte {
	empty := ""
	return f.event(b, f.body("chat.completion.chunk",
		api.CompletionChoice{Delta: &api.CompletionMessage{Role: "assistant", Content: &empty}}))
}

func (f *completionFormat) text(b, text []byte, _ int) []byte {
	piece := string(text)
	return f.event(b, f.body("chat.completion.chunk",
		api.CompletionChoice{Delta: &api.CompletionMessage{Content: &piece}}))
}

// lane sends nothing: programs get the first of several texts, once it is whole.
func (f *completionFormat) lane(b []byte, _ reply.LaneText, _ bool) []byte { return b }

// thought sends nothing: what a model thinks aloud is no part of the reply.
func (f *completionFormat) thought(b []byte, _ reply.LaneText, _ bool) []byte { return b }

func (f *completionFormat) notice(b []byte, n reply.Notice) []byte {
	return sse.AppendComment(b, n.Kind)
}

func (f *completionFormat) progress(b []byte, _ reply.View) []byte { return b }

func (f *completionFormat) idle(b []byte) []byte { return sse.AppendComment(b, "still here") }

func (f *completionFormat) end(b []byte, v reply.View) []byte {
	if p := v.End.Problem; p != "" {
		return f.event(b, api.CompletionFailure{Error: errorOf(statusOf(p), p, fault.Sentence(p).String(),
			v.End.ProblemID)})
	}
	finish := finishOf(v.End)
	b = f.event(b, f.body("chat.completion.chunk",
		api.CompletionChoice{Delta: &api.CompletionMessage{}, FinishReason: &finish}))
	if f.usage {
		last := f.body("chat.completion.chunk")
		last.Usage = completionUsageOf(v.End)
		b = f.event(b, last)
	}
	return append(b, "data: [DONE]\n\n"...)
}
