package web

import (
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"juvalogos/core/deskfile"
	"juvalogos/core/jsontext"
	"juvalogos/core/prompt"
	"juvalogos/core/steps"
	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
)

// What programs ask for in the completions protocol: what can be done is done, and
// what cannot is refused, not passed over.

// completion is a request that has been read.
type completion struct {
	api.CompletionRequest
	question string
	supplied *reply.Supplied
	schema   any
	pictures []reply.GivenPicture
}

// badParam is what of a request cannot be done, in the protocol's words.
type badParam struct{ name, code string }

type paramKey struct{}

// refuse says that a parameter cannot be what it is.
func refuse(c fiber.Ctx, name, code, sentence string) error {
	c.Locals(paramKey{}, badParam{name, code})
	return invalid(sentence)
}

const (
	notSupported = "unsupported_parameter"
	badValue     = "invalid_value"
)

// Parameters that are understood, that change nothing of the reply, and that are
// refused unless they say what would happen without them.
var (
	understood = []string{"model", "messages", "stream", "stream_options", "temperature", "top_p", "max_tokens",
		"max_completion_tokens", "stop", "seed", "n", "response_format", "reasoning_effort"}
	passed = []string{"user", "metadata", "store", "service_tier", "prompt_cache_key", "safety_identifier",
		"parallel_tool_calls", "verbosity", "prompt_cache_retention"}
	without = map[string][]string{"tools": {"[]"}, "functions": {"[]"}, "tool_choice": {`"none"`, `"auto"`},
		"function_call": {`"none"`, `"auto"`}, "logprobs": {"false"}, "top_logprobs": {"0"}, "presence_penalty": {"0"},
		"frequency_penalty": {"0"}, "logit_bias": {"{}"}, "modalities": {`["text"]`}}
)

// readCompletion reads a request and refuses what cannot be done.
func readCompletion(c fiber.Ctx) (b completion, err error) {
	// Pictures come in the body; what is read of it after this is in memory.
	if _, err := bodyUpTo(c, largestWithPictures); err != nil {
		return b, err
	}
	if err := readJSON(c, &b.CompletionRequest); err != nil {
		return b, err
	}
	if err := checkParameters(c, b.CompletionRequest); err != nil {
		return b, err
	}
	if b.schema, err = schemaOf(c, b.ResponseFormat); err != nil {
		return b, err
	}
	b.question, b.supplied, b.pictures, err = questionOf(b.CompletionRequest)
	if err != nil {
		return b, err
	}
	if b.schema != nil {
		b.supplied.Schema = b.schema
		b.supplied.System = strings.TrimSpace(b.supplied.System + "\n\n" + steps.AsData(b.schema))
	}
	return b, nil
}

func checkParameters(c fiber.Ctx, b api.CompletionRequest) error {
	var given map[string]json.RawMessage
	if err := readJSON(c, &given); err != nil {
		return err
	}
	for name, raw := range given {
		value := strings.Join(strings.Fields(string(raw)), "")
		usual, known := without[name]
		switch {
		case value == "null" || slices.Contains(understood, name) || slices.Contains(passed, name):
		case known && (slices.Contains(usual, value) || slices.Contains(usual, strings.TrimSuffix(value, ".0"))):
		case known:
			return refuse(c, name, notSupported, fmt.Sprintf("%s cannot be done by a desk; leave it out.", name))
		default:
			return refuse(c, name, "unknown_parameter",
				fmt.Sprintf("The parameter %q is not known here; leave it out.", name))
		}
	}
	within := func(name string, v *float64, most float64) error {
		if v != nil && (*v < 0 || *v > most || math.IsNaN(*v)) {
			return refuse(c, name, badValue, fmt.Sprintf("%s is from 0 to %g, and not %g.", name, most, *v))
		}
		return nil
	}
	if err := within("temperature", b.Temperature, 2); err != nil {
		return err
	}
	if err := within("top_p", b.TopP, 1); err != nil {
		return err
	}
	for name, n := range map[string]int{"max_tokens": b.MaxTokens, "max_completion_tokens": b.MaxCompletionTokens} {
		if _, there := given[name]; there && string(given[name]) != "null" && n < 1 {
			return refuse(c, name, badValue, fmt.Sprintf("%s is at least 1, and not %d.", name, n))
		}
	}
	if b.N > 1 || b.N < 0 || b.N == 0 && given["n"] != nil && string(given["n"]) != "null" {
		return refuse(c, "n", badValue, "A desk gives one reply at a time; leave n out or set it to 1.")
	}
	if e := b.ReasoningEffort; e != "" && !slices.Contains([]string{"low", "medium", "high"}, e) {
		return refuse(c, "reasoning_effort", badValue, "reasoning_effort is low, medium or high.")
	}
	return nil
}

// schemaOf is the JSON Schema that the reply is to fit; nil: it is text.
func schemaOf(c fiber.Ctx, f *api.CompletionResponseFormat) (any, error) {
	if f == nil {
		return nil, nil
	}
	switch f.Type {
	case "text":
		return nil, nil
	case "json_object":
		return map[string]any{"type": "object"}, nil
	case "json_schema":
		if f.JSONSchema == nil || f.JSONSchema.Schema == nil {
			return nil, refuse(c, "response_format", badValue, "response_format has no json_schema.schema.")
		}
		if _, err := jsontext.Compile(f.JSONSchema.Schema); err != nil {
			return nil, refuse(c, "response_format", badValue,
				"The schema of response_format cannot be used: "+err.Error()+".")
		}
		return f.JSONSchema.Schema, nil
	}
	return nil,
		refuse(c, "response_format", badValue, "response_format is of the type text, json_object or json_schema.")
}

// questionOf sorts the messages into the question (what the user said last), the
// exchanges before it, further instructions, and all pictures that the user gave.
func questionOf(b api.CompletionRequest) (question string, g *reply.Supplied, pictures []reply.GivenPicture,
	err error) {
	g = &reply.Supplied{Sampling: &deskfile.Sampling{
		Temperature: b.Temperature, TopP: b.TopP, Seed: b.Seed, MaxTokens: max(b.MaxTokens, b.MaxCompletionTokens),
		Effort: b.ReasoningEffort,
	}}
	if g.Sampling.Stop, err = textOrList(b.Stop); err != nil {
		return "", nil, nil, invalid("stop must be a text or a list of texts.")
	}
	var asked, system []string
	for i, m := range b.Messages {
		text, given, err := contentOf(m)
		if err != nil {
			return "", nil, nil, invalid(fmt.Sprintf("messages[%d]: %v", i, err))
		}
		pictures = append(pictures, given...)
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
			return "", nil, nil, invalid(fmt.Sprintf("messages[%d]: role %q is not known here; use system, user or "+
				"assistant.", i, m.Role))
		}
	}
	if len(asked) == 0 {
		return "", nil, nil, invalid("The last message must be the user's.")
	}
	g.System = strings.Join(system, "\n\n")
	return strings.Join(asked, "\n\n"), g, pictures, nil
}

// messages are those of the request as a model gets them.
func (b *completion) messages() (all []prompt.Message) {
	if b.supplied.System != "" {
		all = append(all, prompt.Message{Role: prompt.System, Text: b.supplied.System})
	}
	for _, e := range b.supplied.Past {
		if e.Question.Text != "" {
			all = append(all, prompt.Message{Role: prompt.User, Text: e.Question.Text})
		}
		all = append(all, prompt.Message{Role: prompt.Assistant, Text: e.Reply.Text})
	}
	return append(all, prompt.Message{Role: prompt.User, Text: b.question})
}

// mostTexts is how many texts may become vectors in one request.
const mostTexts = 2048

// embed answers with the vectors of texts: of a model by its name, or of the model
// that a desk's shelves use.
func (s *completions) embed(c fiber.Ctx) error {
	t, err := s.token(c)
	if err != nil {
		return err
	}
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	var b api.EmbeddingRequest
	if err := readJSON(c, &b); err != nil {
		return err
	}
	texts, err := textOrList(b.Input)
	switch {
	case err != nil:
		return refuse(c, "input", badValue, "input is a text or a list of texts.")
	case len(texts) == 0 || slices.Contains(texts, ""):
		return refuse(c, "input", badValue, "input is empty, or one of its texts is.")
	case len(texts) > mostTexts:
		return refuse(c, "input", badValue, fmt.Sprintf("input has %d texts; at most %d.", len(texts), mostTexts))
	case b.Dimensions != 0:
		return refuse(c, "dimensions", notSupported, "dimensions cannot be chosen here; leave it out.")
	case b.EncodingFormat != "" && b.EncodingFormat != "float" && b.EncodingFormat != "base64":
		return refuse(c, "encoding_format", badValue, "encoding_format is float or base64.")
	}
	vectors, tokens, err := s.vectors(c, t, who, b.Model, texts)
	var none *reply.NoVectors
	switch {
	case errors.As(err, &none):
		return refuse(c, "model", badValue, fmt.Sprintf("There are no vectors here: %s.", none.Why))
	case err != nil:
		return err
	}
	answer := api.Embeddings{Object: "list", Model: b.Model, Data: []api.EmbeddingOf{},
		Usage: api.EmbeddingUsage{PromptTokens: tokens, TotalTokens: tokens}}
	for i, v := range vectors {
		one, err := json.Marshal(v)
		if b.EncodingFormat == "base64" {
			raw := make([]byte, 0, 4*len(v))
			for _, x := range v {
				raw = binary.LittleEndian.AppendUint32(raw, math.Float32bits(x))
			}
			one, err = json.Marshal(base64.StdEncoding.EncodeToString(raw))
		}
		if err != nil {
			return err
		}
		answer.Data = append(answer.Data, api.EmbeddingOf{Object: "embedding", Index: i, Embedding: one})
	}
	return c.JSON(answer)
}

func (s *completions) vectors(c fiber.Ctx, t record.Token, who record.Visitor, name string,
	texts []string) ([][]float32, int, error) {
	d, err := s.Desks.Open(from(c), name)
	if err == nil {
		return s.Replies.Vectors(from(c), d, who, texts)
	}
	if !slices.Contains(t.Scopes, account.Publish) {
		return nil, 0, err
	}
	vectors, tokens, failed := s.Replies.VectorsOf(from(c), name, who, texts)
	if failed != nil {
		if _, unknown := s.Connections.Models.Find(name); unknown != nil {
			return nil, 0, fault.Plain(fault.NoDesk)
		}
		return nil, 0, failed
	}
	return vectors, tokens, nil
}
