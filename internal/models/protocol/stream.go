package protocol

import (
	"errors"
	"fmt"
	"io"

	"github.com/valyala/fastjson"

	"juvalogos/internal/models"
	"juvalogos/internal/sse"
)

var (
	errGarbled = errors.New("not in the protocol")
	errCutOff  = errors.New("the stream ended before the reply did")
)

// toldError is an error that the server reports inside the stream.
type toldError struct{ message string }

func (e *toldError) Error() string { return e.message }

// stream reads one reply. Its parser is reused from event to event: a token
// costs no allocation.
type stream struct {
	text    func([]byte)
	silence *silence
	parser  fastjson.Parser
	frame   frame
	result  models.Result
}

// events reads an event stream up to its [DONE].
func (s *stream) events(body io.Reader) error {
	events := sse.NewReader(body)
	for {
		event, err := events.Next()
		switch {
		case err == io.EOF && s.result.Finish != "":
			return nil // Some servers end without [DONE].
		case err == io.EOF:
			return errCutOff
		case err != nil:
			return err
		}
		s.silence.heard.Store(true)
		if string(event.Data) == "[DONE]" {
			return nil
		}
		if text, ok := s.frame.text(event.Data); ok {
			s.text(text)
			continue
		}
		if err := s.chunk(event.Data, "delta"); err != nil {
			return err
		}
	}
}

// whole reads the answer of a server that does not stream.
func (s *stream) whole(body io.Reader) error {
	data, err := io.ReadAll(io.LimitReader(body, sse.LongestLine))
	if err != nil {
		return err
	}
	return s.chunk(data, "message")
}

// chunk reads one JSON object of the protocol; key is where its choices keep
// their text.
func (s *stream) chunk(data []byte, key string) error {
	v, err := s.parser.ParseBytes(data)
	if err != nil {
		return fmt.Errorf("%w: %q", errGarbled, shorten(data))
	}
	if told := v.Get("error"); told != nil && told.Type() != fastjson.TypeNull {
		message := string(told.GetStringBytes("message"))
		if message == "" {
			message = shorten(told.MarshalTo(nil))
		}
		return &toldError{message}
	}
	if usage := v.Get("usage"); usage != nil {
		s.result.PromptTokens = max(s.result.PromptTokens, usage.GetInt("prompt_tokens"))
		s.result.ReplyTokens = max(s.result.ReplyTokens, usage.GetInt("completion_tokens"))
	}
	choices := v.GetArray("choices")
	if !v.Exists("choices") && !v.Exists("usage") {
		return fmt.Errorf("%w: %q", errGarbled, shorten(data))
	}
	if len(choices) == 0 {
		return nil
	}
	if text := choices[0].GetStringBytes(key, "content"); len(text) > 0 {
		s.text(text)
		s.frame.learn(data, text, choices[0].GetStringBytes("finish_reason") == nil && v.Get("usage") == nil)
	}
	if finish := choices[0].GetStringBytes("finish_reason"); len(finish) > 0 {
		s.result.Finish = string(finish)
	}
	return nil
}

func shorten(data []byte) string {
	if len(data) > 200 {
		data = data[:200]
	}
	return string(data)
}
