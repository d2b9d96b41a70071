package web

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/connection"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/sse"
)

// The chat-completions protocol, with desks for models: any program that can
// talk to a model server can talk to a desk.

// completions are the handlers of the chat-completions protocol.
type completions struct {
	*door
	Desks       *desk.Service
	Replies     *reply.Service
	Connections *connection.Service
}

func (s *completions) routes(root fiber.Router) {
	root.Use("/v1", numbered)
	root.Get("/v1/models", s.models)
	root.Post("/v1/chat/completions", s.complete)
	root.Post("/v1/embeddings", s.embed)
}

// numbered gives every answer, of an error too, an id by which it can be asked about.
func numbered(c fiber.Ctx) error {
	c.Set("X-Request-Id", uuid.Must(uuid.NewV7()).String())
	return c.Next()
}

func (s *door) isCompletions(c fiber.Ctx) bool {
	return strings.HasPrefix(c.Path(), s.BasePath+"/v1/")
}

// completionProblem answers with an error in the protocol's words. What we have asked
// for again already is not to be asked for again by the caller: a client that retries
// by itself would multiply that.
func completionProblem(c fiber.Ctx, b api.Problem) error {
	status := b.Status
	if fault.Code(b.Code) == fault.Invalid && status == 422 {
		status = 400
	}
	e := errorOf(status, fault.Code(b.Code), b.Detail, b.ID)
	if p, ok := c.Locals(paramKey{}).(badParam); ok {
		e.Param, e.Code = &p.name, p.code
	}
	if fault.Code(b.Code) != fault.LimitReached && fault.Code(b.Code) != fault.Closing {
		c.Set("X-Should-Retry", "false")
	}
	return c.Status(status).JSON(api.CompletionFailure{Error: e})
}

// forPrograms are what programs are told, by code; others get what visitors do.
var forPrograms = map[fault.Code]string{
	fault.NoDesk: "There is no published desk of this name, and no model that this token may ask; GET /v1/models " +
		"lists " +
		"what there is.",
	"key-missing": "The service has no key for the model's server; its owner can put that right.",
	"key-refused": "The model's server refuses the service's key; its owner can put that right.",
	"no-access":   "The service's key may not use this model; its owner can put that right.",
	"no-credit":   "The service's account at the model's server is empty; its owner can put that right.",
	"unknown-model": "The model's server does not have the model that the desk names; the desk's maker can put that " +
		"right.",
	"unsupported": "The model's server does not take the request as the service sends it; \"juvalogos model " +
		"probe\" finds " +
		"out what it takes.",
	"untrusted":     "The certificate of the model's server is not trusted; the service's owner can put that right.",
	"unreachable":   "The model's server cannot be reached; the service has tried several times.",
	"not-running":   "The program that answers cannot be started; the service's owner can put that right.",
	"busy":          "The model's server is busy; the service has tried several times.",
	"over-quota":    "The quota at the model's server is used up.",
	"waking":        "The model is still being loaded.",
	"no-memory":     "The model's server has no memory left for this request.",
	"server-failed": "The model's server failed; the service has tried several times.",
	"cut-off":       "The model's answer broke off.",
	"silent":        "The model's server was silent for too long.",
	"garbled":       "The model's answer could not be read.",
	"said-nothing":  "The model ended its answer without a word.",
	"declined":      "The policy of the model's server does not allow the question or the answer.",
	"refused":       "The model's server refused the request.",
	fault.Unfit:     "The model gave no JSON that fits the schema, though it was asked three times.",
	fault.NotSetUp:  "The desk is not set up; its maker can put that right.",
}

func errorOf(status int, code fault.Code, detail, id string) api.CompletionProblem {
	if said, ok := forPrograms[code]; ok {
		detail = said
	}
	e := api.CompletionProblem{Message: detail, Type: "server_error", Code: string(code)}
	switch {
	case status == 401 || status == 403:
		e.Type = "authentication_error"
	case status == 429:
		e.Type = "rate_limit_error"
	case status >= 400 && status < 500:
		e.Type = "invalid_request_error"
	}
	switch code {
	case fault.NoDesk, fault.NoModel:
		e.Code = "model_not_found"
	case fault.QuestionLong, "too-long":
		e.Code = "context_length_exceeded"
	case "declined":
		e.Code = "content_filter"
	}
	if id != "" {
		e.Message += " (" + id + ")"
	}
	return e
}

func (s *completions) models(c fiber.Ctx) error {
	t, err := s.token(c)
	if err != nil {
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
	if slices.Contains(t.Scopes, account.Publish) { // it could make a desk of any model
		for _, e := range s.Connections.Models.All() {
			data = append(data, api.CompletionModel{ID: e.Path(), Object: "model", OwnedBy: e.Connection.Name})
		}
	}
	return c.JSON(api.CompletionModels{Object: "list", Data: data})
}

func (s *completions) complete(c fiber.Ctx) error {
	t, err := s.token(c)
	if err != nil {
		return err
	}
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	b, err := readCompletion(c)
	if err != nil {
		return err
	}
	r, err := s.asked(c, t, who, b)
	if err != nil {
		return err
	}
	// A program that hangs up wants no more, unless it said that it may ask again.
	left := func() { _ = s.Replies.Stop(context.Background(), who, r.Turn) }
	if c.Get("Idempotency-Key") != "" {
		left = nil
	}
	f := &completionFormat{id: "chatcmpl-" + r.Turn.String(), model: b.Model, created: r.StartedAt.Unix(),
		usage: b.StreamOptions.IncludeUsage, reply: r, whole: b.schema != nil}
	if err := await(c, r, left, func(v reply.View) bool {
		return v.Settled || b.Stream && !f.whole &&
			(v.Offset > 0 || r.Thinking())
	}); err != nil {
		return err
	}
	v := r.Since(0, nil)
	if v.Settled && v.End.Problem != "" {
		if v.End.RetryAfter > 0 {
			c.Set("Retry-After", strconv.Itoa(int(math.Ceil(v.End.RetryAfter.Seconds()))))
		}
		return &fault.Problem{Code: v.End.Problem, Sentence: fault.Sentence(v.End.Problem), ID: v.End.ProblemID}
	}
	if b.Stream {
		return follow(c, r, 0, f, left)
	}
	text, finish := string(v.Text), finishOf(v.End)
	if v.Mended != nil {
		text = string(v.Mended)
	}
	body := f.body("chat.completion", api.CompletionChoice{
		Message: &api.CompletionMessage{Role: "assistant", Content: &text}, FinishReason: &finish,
	})
	body.Usage = completionUsageOf(v.End)
	return c.JSON(body)
}

// asked asks the desk, or else the model, that a request names.
func (s *completions) asked(c fiber.Ctx, t record.Token, who record.Visitor, b completion) (*reply.Reply, error) {
	if strings.HasPrefix(b.Model, desk.DraftMark) {
		return nil, fault.Plain(fault.NoDesk)
	}
	r, err := s.Replies.Ask(from(c), reply.Question{
		Slug: b.Model, Visitor: who, Channel: "completions", Text: b.question, Supplied: b.supplied,
		Key: c.Get("Idempotency-Key"), Pictures: b.pictures,
	})
	var missing *fault.Problem
	if err == nil || !errors.As(err, &missing) || missing.Code != fault.NoDesk ||
		!slices.Contains(t.Scopes, account.Publish) {
		return r, err
	}
	q := reply.Direct{Model: b.Model, Visitor: who, Messages: b.messages(), Pictures: b.pictures, Schema: b.schema,
		Sampling: *b.supplied.Sampling}
	r, failed := s.Replies.Direct(from(c), q)
	var unknown *models.NoModel
	if errors.As(failed, &unknown) {
		return nil, err // there is neither
	}
	return r, failed
}

// hangUpLook is how often it is looked whether who asked is still there.
const hangUpLook = 200 * time.Millisecond

// await waits until a reply is as far as ready says. When whoever asked hangs up
// meanwhile, left is called, if it is not nil.
func await(c fiber.Ctx, r *reply.Reply, left func(), ready func(reply.View) bool) error {
	l := r.Listen()
	defer l.Close()
	look := time.NewTicker(hangUpLook)
	defer look.Stop()
	for !ready(r.Since(0, nil)) {
		select {
		case <-l.Wake:
		case <-look.C:
			if left != nil && hungUp(c.RequestCtx().Conn()) {
				left()
				left = nil
			}
		case <-c.Done():
			return c.Err()
		}
	}
	return nil
}

// hungUp reports whether the other end of a connection has closed it.
func hungUp(conn net.Conn) bool {
	raw, ok := conn.(syscall.Conn)
	if !ok {
		return false
	}
	control, err := raw.SyscallConn()
	if err != nil {
		return true
	}
	gone := false
	err = control.Control(func(fd uintptr) {
		var one [1]byte
		n, _, err := syscall.Recvfrom(int(fd), one[:], syscall.MSG_PEEK|syscall.MSG_DONTWAIT)
		gone = n == 0 && err == nil || err != nil && err != syscall.EAGAIN && err != syscall.EINTR
	})
	return gone || err != nil
}

// contentOf reads a message's content: a text, or a list of parts, texts and pictures.
func contentOf(m api.CompletionTurn) (text string, pictures []reply.GivenPicture, err error) {
	if json.Unmarshal(m.Content, &text) == nil {
		return text, nil, nil
	}
	var parts []struct {
		Type string `json:"type"`
		Text string `json:"text"`
		URL  struct {
			URL string `json:"url"`
		} `json:"image_url"`
	}
	if err := json.Unmarshal(m.Content, &parts); err != nil {
		return "", nil, fmt.Errorf("content must be a text or a list of parts")
	}
	var texts []string
	for _, p := range parts {
		switch {
		case p.Type == "text":
			texts = append(texts, p.Text)
		case p.Type == "image_url" && m.Role == "user":
			body, err := dataOf(p.URL.URL)
			if err != nil {
				return "", nil, err
			}
			pictures = append(pictures, reply.GivenPicture{Name: "picture", Body: body})
		default:
			return "", nil, fmt.Errorf("this desk reads texts and pictures of the user's, not %q", p.Type)
		}
	}
	return strings.Join(texts, "\n"), pictures, nil
}

// dataOf are the bytes of a data URL (RFC 2397). Other addresses are not fetched.
func dataOf(address string) ([]byte, error) {
	head, data, ok := strings.Cut(address, ",")
	if !ok || !strings.HasPrefix(head, "data:") || !strings.HasSuffix(head, ";base64") {
		return nil, fmt.Errorf("give pictures as data URLs in base64 (data:image/png;base64,...); addresses are not " +
			"fetched here")
	}
	body, err := base64.StdEncoding.DecodeString(data)
	if err != nil {
		return nil, fmt.Errorf("a picture is not base64")
	}
	return body, nil
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
	reply     *reply.Reply
	whole     bool // the text is sent at the end: before, it may change
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
	if f.whole {
		return b
	}
	piece := string(text)
	return f.event(b, f.body("chat.completion.chunk",
		api.CompletionChoice{Delta: &api.CompletionMessage{Content: &piece}}))
}

// lane sends nothing: programs get the first of several texts, once it is whole.
func (f *completionFormat) lane(b []byte, _ reply.LaneText, _ bool) []byte { return b }

// thought sends nothing: what a model thinks aloud is no part of the reply.
func (f *completionFormat) thought(b []byte, _ reply.LaneText, _ bool) []byte { return b }

func (f *completionFormat) piece(b []byte, _ reply.Piece) []byte { return b }

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
	if f.whole {
		text := string(f.reply.Since(0, nil).Text)
		if v.Mended != nil {
			text = string(v.Mended)
		}
		b = f.event(b, f.body("chat.completion.chunk",
			api.CompletionChoice{Delta: &api.CompletionMessage{Content: &text}}))
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
