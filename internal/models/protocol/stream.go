package protocol

import (
	"bufio"
	"encoding/json"
	"errors"
	"io"
	"strings"
	"time"

	"github.com/valyala/fastjson"

	"juvalogos/core/jsontext"
	"juvalogos/core/thinking"
	"juvalogos/internal/models"
	"juvalogos/internal/sse"
)

var errCutOff = errors.New("the stream ended before the reply did")

// afterFinish is how long a stream may stay open that has said how the reply ended:
// what it used may follow.
const afterFinish = 2 * time.Second

// stream reads one reply. Its parser is reused from event to event: a token
// costs no allocation.
type stream struct {
	to             models.Sink
	silence        *silence
	hangUp         func()
	parser         fastjson.Parser
	frame          frame
	result         models.Result
	speech, aside  jsontext.Joiner // of the text; of what is thought in a field of its own
	split          *thinking.Splitter
	said, thought  bool
	tools, choices bool
	odd            string // what came that is not in the protocol, its beginning
	grace          *time.Timer
}

func newStream(to models.Sink, silence *silence, m *models.Manners, hangUp func()) *stream {
	s := &stream{to: to, silence: silence, hangUp: hangUp}
	s.split = thinking.NewSplitter(s.say, s.think, m != nil && m.ThinksFirst)
	return s
}

func (s *stream) say(text []byte) {
	s.said = true
	if s.to.Text != nil {
		s.to.Text(text)
	}
}

func (s *stream) think(text []byte) {
	s.thought = true
	if s.to.Thought != nil {
		s.to.Thought(text)
	}
}

// text takes a piece of what the model writes.
func (s *stream) text(piece []byte) {
	if text := s.speech.Join(piece); len(text) > 0 {
		s.split.Write(text)
	}
}

// apart takes a piece of thinking that came in a field of its own.
func (s *stream) apart(piece []byte) {
	if text := s.aside.Join(piece); len(text) > 0 {
		s.think(text)
	}
}

// close hands over what was held back.
func (s *stream) close() {
	if s.grace != nil {
		s.grace.Stop()
	}
	if rest := s.aside.Rest(); rest != nil {
		s.think(rest)
	}
	if rest := s.speech.Rest(); rest != nil {
		s.split.Write(rest)
	}
	s.split.Close()
}

// read reads an answer of either kind; kind is its media type, which some servers
// leave out or have wrong.
func (s *stream) read(answer io.Reader, kind string) error {
	if strings.HasPrefix(strings.ToLower(strings.TrimSpace(kind)), "text/event-stream") {
		return s.events(answer)
	}
	buffered := bufio.NewReaderSize(answer, 1<<10)
	head, err := sniffed(buffered)
	switch {
	case err == io.EOF:
		return &garbled{"it is empty"}
	case err != nil:
		return err
	case head[0] == '{':
		return s.objects(buffered)
	case strings.ContainsRune("deir:", rune(head[0])): // of data, event, id, retry or a comment
		return s.events(buffered)
	}
	text, _ := io.ReadAll(io.LimitReader(buffered, 4<<10))
	said := plainWords(text)
	if pageOr(text) == "" {
		said = "something else: " + said
	}
	return &garbled{"it is no reply but " + shorten([]byte(said)) + "; check that the address ends where " +
		"/chat/completions begins"}
}

// events reads an event stream up to its [DONE], or until it has ended in another
// way that leaves nothing out.
func (s *stream) events(answer io.Reader) error {
	events := sse.NewReader(answer)
	for {
		event, err := events.Next()
		switch {
		case err == sse.ErrLongLine:
			return &garbled{"one line of it has more than 4 MB"}
		case err != nil && s.result.Finish != "":
			return nil // Some servers end without [DONE], or leave the stream open.
		case err == io.EOF && !s.choices && s.odd != "":
			return &garbled{s.odd}
		case err == io.EOF:
			return errCutOff
		case err != nil:
			return err
		}
		s.silence.heard.Store(true)
		if s.grace != nil {
			s.grace.Reset(afterFinish)
		}
		if string(event.Data) == "[DONE]" {
			if !s.choices && s.odd != "" {
				return &garbled{s.odd}
			}
			return nil
		}
		if text, ok := s.frame.text(event.Data); ok {
			s.text(text)
			continue
		}
		if string(event.Name) == "error" {
			return readTold(event.Data)
		}
		if err := s.chunk(event.Data); err != nil {
			return err
		}
	}
}

// objects reads the answer of a server that does not stream, or that streams JSON
// without events around it.
func (s *stream) objects(answer io.Reader) error {
	limited := &io.LimitedReader{R: answer, N: sse.LongestLine}
	objects := json.NewDecoder(limited)
	for {
		var object json.RawMessage
		err := objects.Decode(&object)
		switch {
		case limited.N <= 0:
			return &garbled{"the answer has more than 4 MB in one piece"}
		case err != nil && s.choices:
			return nil
		case err == io.EOF:
			return &garbled{firstOf(s.odd, "it is empty")}
		case err == io.ErrUnexpectedEOF:
			return errCutOff
		case err != nil:
			var syntax *json.SyntaxError
			if errors.As(err, &syntax) {
				return &garbled{"it is broken JSON"}
			}
			return err
		}
		s.silence.heard.Store(true)
		limited.N = sse.LongestLine
		if err := s.chunk(object); err != nil {
			return err
		}
	}
}

// chunk reads one JSON object of the protocol.
func (s *stream) chunk(data []byte) error {
	v, err := s.parser.ParseBytes(jsontext.Halves(data))
	if err != nil {
		return &garbled{shorten(data)}
	}
	if there(v.Get("error")) || string(v.GetStringBytes("object")) == "error" {
		return readTold(data)
	}
	if usage := v.Get("usage"); there(usage) {
		r := &s.result
		r.PromptTokens = max(r.PromptTokens, usage.GetInt("prompt_tokens"))
		r.ReplyTokens = max(r.ReplyTokens, usage.GetInt("completion_tokens"))
		r.ThoughtTokens = max(r.ThoughtTokens, usage.GetInt("completion_tokens_details", "reasoning_tokens"))
		r.CachedTokens = max(r.CachedTokens, usage.GetInt("prompt_tokens_details", "cached_tokens"))
	}
	if !v.Exists("choices") {
		if s.odd == "" && !v.Exists("usage") {
			s.odd = "it is JSON, but not of this protocol: " + shorten(data)
		}
		return nil
	}
	for _, choice := range v.GetArray("choices") {
		if choice.GetInt("index") == 0 {
			s.choice(data, v, choice)
			break
		}
	}
	return nil
}

// choice reads the first choice of an object.
func (s *stream) choice(data []byte, v, choice *fastjson.Value) {
	s.choices = true
	said := choice
	for _, key := range []string{"delta", "message"} {
		if m := choice.Get(key); there(m) {
			said = m
			break
		}
	}
	for _, key := range []string{"reasoning_content", "reasoning", "thinking"} {
		if piece := said.GetStringBytes(key); len(piece) > 0 {
			s.apart(piece)
			break
		}
	}
	content := said.Get("content")
	switch {
	case content == nil:
		s.text(choice.GetStringBytes("text"))
	case content.Type() == fastjson.TypeString:
		if text := content.GetStringBytes(); len(text) > 0 {
			s.text(text)
			s.frame.learn(data, text, choice.GetStringBytes("finish_reason") == nil && !there(v.Get("usage")))
		}
	case content.Type() == fastjson.TypeArray:
		for _, part := range content.GetArray() {
			s.part(part)
		}
	case content.Type() == fastjson.TypeObject:
		s.part(content)
	}
	s.text(said.GetStringBytes("refusal")) // the model's own words
	s.tools = s.tools || len(said.GetArray("tool_calls")) > 0 || there(said.Get("function_call"))
	if finish := choice.GetStringBytes("finish_reason"); len(finish) > 0 {
		s.result.Finish = finishOf(string(finish))
		if s.grace == nil && s.hangUp != nil {
			s.grace = time.AfterFunc(afterFinish, s.hangUp)
		}
	}
}

// part reads one part of a content that is a list.
func (s *stream) part(part *fastjson.Value) {
	if part.Type() == fastjson.TypeString {
		s.text(part.GetStringBytes())
		return
	}
	for _, key := range []string{"thinking", "reasoning", "summary"} {
		switch inner := part.Get(key); {
		case inner == nil:
		case inner.Type() == fastjson.TypeString:
			s.apart(inner.GetStringBytes())
		case inner.Type() == fastjson.TypeArray:
			for _, one := range inner.GetArray() {
				s.apart(one.GetStringBytes("text"))
			}
		}
	}
	switch kind := string(part.GetStringBytes("type")); kind {
	case "thinking", "reasoning":
		s.apart(part.GetStringBytes("text"))
	case "refusal":
		s.text(part.GetStringBytes("refusal"))
	default:
		s.text(part.GetStringBytes("text"))
	}
}

// there reports whether a value is there and not null.
func there(v *fastjson.Value) bool { return v != nil && v.Type() != fastjson.TypeNull }

// finishOf says in one word what servers say in several.
func finishOf(word string) string {
	switch strings.ToLower(word) {
	case "content_filter", "safety", "blocked", "blocklist", "prohibited_content", "sensitive", "recitation",
		"content_filtered", "guardrail_intervened":
		return models.Filtered
	case "max_tokens", "max_length", "model_length", "model_context_window_exceeded":
		return "length"
	}
	return word
}
