package protocol

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"

	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/internal/models"
)

// Client is a models.Client for one connection.
type Client struct {
	*caller
	plainer plainer
}

var _ = register(models.ChatCompletions, NewChatCompletions)

// NewChatCompletions returns a client; it is a models.Protocol.
func NewChatCompletions(c models.Connection, key models.Secret) (models.Client, error) {
	caller, err := newCaller(c, key)
	if err != nil {
		return nil, err
	}
	return &Client{caller: caller}, nil
}

type body struct {
	Model         string         `json:"model"`
	Messages      any            `json:"messages"`
	Stream        bool           `json:"stream"`
	StreamOptions *streamOptions `json:"stream_options,omitempty"`
	Temperature   *float64       `json:"temperature,omitempty"`
	TopP          *float64       `json:"top_p,omitempty"`
	MaxTokens     int            `json:"max_tokens,omitempty"`
	Stop          []string       `json:"stop,omitempty"`
	Seed          *int           `json:"seed,omitempty"`
	Effort        string         `json:"reasoning_effort,omitempty"`
	Format        *format        `json:"response_format,omitempty"`
}

type streamOptions struct {
	IncludeUsage bool `json:"include_usage"`
}

// format asks for JSON that fits a schema.
type format struct {
	Type   string `json:"type"`
	Schema struct {
		Name   string `json:"name"`
		Schema any    `json:"schema"`
	} `json:"json_schema"`
}

// payload writes a request as its server wants it.
func payload(r models.Request) ([]byte, error) {
	b := body{
		Model: r.Model, Messages: messagesOf(r), Stream: true, StreamOptions: &streamOptions{true},
		Temperature: r.Sampling.Temperature, TopP: r.Sampling.TopP,
		MaxTokens: r.Sampling.MaxTokens, Stop: r.Sampling.Stop, Seed: r.Sampling.Seed, Effort: r.Sampling.Effort,
	}
	if r.Schema != nil {
		b.Format = &format{Type: "json_schema"}
		b.Format.Schema.Name, b.Format.Schema.Schema = "reply", r.Schema
	}
	text, err := json.Marshal(b)
	if err != nil || r.Manners.Plain() {
		return text, err
	}
	return mannerly(text, r.Manners)
}

// mannerly leaves out, renames and adds fields.
func mannerly(text []byte, m *models.Manners) ([]byte, error) {
	fields := map[string]json.RawMessage{}
	if err := json.Unmarshal(text, &fields); err != nil {
		return nil, err
	}
	if m.Leaves("stream") {
		delete(fields, "stream_options")
	}
	for _, name := range m.LeaveOut {
		delete(fields, name)
	}
	for from, to := range m.Rename {
		if value, ok := fields[from]; ok {
			delete(fields, from)
			fields[to] = value
		}
	}
	for name, value := range m.Add {
		text, err := json.Marshal(value)
		if err != nil {
			return nil, err
		}
		fields[name] = text
	}
	return json.Marshal(fields)
}

// messagesOf are the messages in the protocol's form.
func messagesOf(r models.Request) any {
	messages := r.Messages
	brief := "system"
	if r.Manners != nil && r.Manners.Brief != "" {
		brief = r.Manners.Brief
	}
	if brief == "user" {
		messages = briefFirst(messages)
	}
	if brief != "developer" && len(r.Files) == 0 {
		return messages
	}
	type message struct {
		Role    prompt.Role `json:"role"`
		Content any         `json:"content"`
	}
	list := make([]message, len(messages))
	last := -1
	for i, m := range messages {
		list[i] = message{m.Role, m.Text}
		switch {
		case m.Role == prompt.System && brief == "developer":
			list[i].Role = "developer"
		case m.Role == prompt.User:
			last = i
		}
	}
	if last >= 0 && len(r.Files) > 0 {
		parts := []any{map[string]any{"type": "text", "text": messages[last].Text}}
		for _, f := range r.Files {
			parts = append(parts, partOf(f))
		}
		list[last].Content = parts
	}
	return list
}

// partOf is a file as a part of a message.
func partOf(f recipe.Media) any {
	data := base64.StdEncoding.EncodeToString(f.Body)
	if kind, ok := strings.CutPrefix(f.Kind, "audio/"); ok {
		return map[string]any{"type": "input_audio", "input_audio": map[string]any{"data": data, "format": kind}}
	}
	return map[string]any{"type": "image_url", "image_url": map[string]any{"url": "data:" + f.Kind + ";base64," + data}}
}

// briefFirst puts what the system says at the head of the first question.
func briefFirst(messages []prompt.Message) []prompt.Message {
	var brief []string
	var others []prompt.Message
	for _, m := range messages {
		if m.Role == prompt.System {
			brief = append(brief, m.Text)
		} else {
			others = append(others, m)
		}
	}
	for i, m := range others {
		if m.Role == prompt.User && len(brief) > 0 {
			others[i].Text = strings.Join(append(brief, m.Text), "\n\n")
			return others
		}
	}
	return messages
}

// Generate asks for one reply and hands it over as it comes.
func (c *Client) Generate(ctx context.Context, r models.Request, to models.Sink) (models.Result, error) {
	switch {
	case r.Make != nil:
		return c.depict(ctx, r, to)
	case r.Hear != nil:
		return c.hear(ctx, r, to)
	case r.Say != nil:
		return c.say(ctx, r, to)
	}
	text, err := payload(r)
	if err != nil {
		return models.Result{}, err
	}
	// A silent server is given up.
	errSilent := c.failure(r.Model, models.Silent, 0, fmt.Sprintf("silent for %s", c.connection.Patience))
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	silence := listen(c.connection.Patience, func() { cancel(errSilent) })
	defer silence.stop()

	response, err := c.do(ctx, call{method: http.MethodPost, address: c.connection.Address + "/chat/completions",
		body: text, kind: "application/json", told: to.Exchanged})
	if err != nil {
		return models.Result{}, c.unsent(ctx, r.Model, err)
	}
	defer response.Body.Close()
	if pace, said := paceOf(response.Header); said && to.Pace != nil {
		to.Pace(pace)
	}
	if response.StatusCode < 200 || response.StatusCode > 299 {
		return models.Result{}, c.refusal(r.Model, response)
	}
	s := newStream(to, silence, r.Manners, func() { _ = response.Body.Close() })
	err = s.read(response.Body, response.Header.Get("Content-Type"))
	s.close()
	if err == nil {
		err = c.nothing(r, s)
	}
	return s.result, c.broken(ctx, r.Model, err)
}

// nothing is the error of a reply without a word; nil if there are some.
func (c *Client) nothing(r models.Request, s *stream) error {
	detail := ""
	switch finish := s.result.Finish; {
	case s.said:
		return nil
	case finish == models.Filtered:
		return c.failure(r.Model, models.Declined, 0, "the reply was held back by the server's policy")
	case s.tools:
		detail = "the model asked for tools, which it is not given"
	case s.thought && finish == "length":
		detail = fmt.Sprintf("the model used up its length (%d tokens) with thinking; raise max_tokens, or ask for "+
			"less "+
			"thinking", r.Sampling.MaxTokens)
	case s.thought:
		detail = "the model thought aloud and then said nothing"
	case finish != "":
		detail = fmt.Sprintf("the model ended without a word, with %q", finish)
	default:
		detail = "the model ended without a word"
	}
	return c.failure(r.Model, models.SaidNothing, 0, detail)
}

// broken says how an answer broke off.
func (c *caller) broken(ctx context.Context, model string, err error) error {
	var said *told
	var unread *garbled
	var known *models.Error
	switch {
	case err == nil:
		return nil
	case ctx.Err() != nil:
		return context.Cause(ctx)
	case errors.As(err, &known):
		return known
	case errors.As(err, &said):
		return c.inStream(model, said)
	case errors.As(err, &unread):
		return c.failure(model, models.Garbled, 0, err.Error())
	}
	return c.failure(model, models.CutOff, 0, plainCause(err))
}

// longestList is how many bytes of a list of models are read.
const longestList = 64 << 20

// Names lists the server's models.
func (c *Client) Names(ctx context.Context) ([]string, error) {
	return c.names(ctx, c.connection.Address+"/models")
}

func (c *caller) names(ctx context.Context, address string) ([]string, error) {
	patience := c.connection.Patience
	if patience == 0 {
		patience = models.DefaultPatience
	}
	ctx, cancel := context.WithTimeoutCause(ctx, patience, c.failure("", models.Silent, 0,
		fmt.Sprintf("silent for %s", patience)))
	defer cancel()
	response, err := c.do(ctx, call{method: http.MethodGet, address: address})
	if err != nil {
		return nil, c.unsent(ctx, "", err)
	}
	defer response.Body.Close()
	if response.StatusCode < 200 || response.StatusCode > 299 {
		return nil, c.refusal("", response)
	}
	text, err := io.ReadAll(io.LimitReader(response.Body, longestList+1))
	if err != nil {
		return nil, c.broken(ctx, "", err)
	}
	if len(text) > longestList {
		return nil, c.failure("", models.Garbled, 0, fmt.Sprintf("the list of models has more than %d MB",
			longestList>>20))
	}
	var list any
	if err := json.Unmarshal(bytes.TrimPrefix(text, []byte("\xEF\xBB\xBF")), &list); err != nil {
		said := plainWords(text)
		if pageOr(text) == "" {
			said = "not JSON: " + shorten(text)
		}
		return nil, c.failure("", models.Garbled, 0, "the list of models is "+said)
	}
	names := namesIn(list)
	if names == nil {
		return nil, c.failure("", models.Garbled, 0, "there are no models in the list that came: "+shorten(text))
	}
	return names, nil
}

// pageOr says that a text is a web page; "" if it is none.
func pageOr(text []byte) string {
	if isPage.Match(text) {
		return "a web page"
	}
	return ""
}

// namesIn finds the names in a list of models in any of the common shapes; nil if
// it is none of them. An empty list is not nil.
func namesIn(v any) []string {
	switch v := v.(type) {
	case []any:
		names := []string{}
		for _, m := range v {
			if name := nameOf(m); name != "" {
				names = append(names, name)
			}
		}
		if len(names) == 0 && len(v) > 0 {
			return nil
		}
		return names
	case map[string]any:
		for _, key := range []string{"data", "models", "result", "results", "items"} {
			switch inner := v[key].(type) {
			case []any:
				return namesIn(inner)
			case map[string]any:
				if names := namesIn(inner); names != nil {
					return names
				}
				names := []string{}
				for name := range inner {
					names = append(names, name)
				}
				return names
			case nil:
				if _, there := v[key]; there {
					return []string{}
				}
			}
		}
	}
	return nil
}

func nameOf(m any) string {
	switch m := m.(type) {
	case string:
		return m
	case map[string]any:
		for _, key := range []string{"id", "name", "model", "model_name", "model_id"} {
			if name, ok := m[key].(string); ok && name != "" {
				return name
			}
		}
	}
	return ""
}
