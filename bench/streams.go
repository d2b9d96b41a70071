package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"time"

	"juvalogos/core/prompt"
	"juvalogos/internal/sse"
)

// result is one reply as a reader saw it.
type result struct {
	first, whole time.Duration // from the question to the first text and to the end
	texts        time.Duration // from the first text to the last
	turn         string        // through a desk
	conversation string
	reply        string
	err          error
}

const question = "How do I light a smoker?"

// askModel asks the model server, or the proxy before it, what a desk would ask
// it: the brief, the earlier replies to the same question, the question.
func (s *setup) askModel(address string, earlier []string) result {
	messages := []prompt.Message{{Role: prompt.System, Text: "You are measured."}}
	for _, reply := range earlier {
		messages = append(messages, prompt.Message{Role: prompt.User, Text: question},
			prompt.Message{Role: prompt.Assistant, Text: reply})
	}
	body, err := json.Marshal(map[string]any{
		"model": "heather-2", "stream": true, "stream_options": map[string]bool{"include_usage": true},
		"max_tokens": 1000,
		"messages":   append(messages, prompt.Message{Role: prompt.User, Text: question}),
	})
	if err != nil {
		return result{err: err}
	}
	request, err := http.NewRequest(http.MethodPost, address+"/v1/chat/completions", bytes.NewReader(body))
	if err != nil {
		return result{err: err}
	}
	request.Header.Set("Authorization", "Bearer "+key)
	return s.read(request, func(e sse.Event, r *result) (text, over bool) {
		return bytes.Contains(e.Data, []byte(`"content":"`)), string(e.Data) == "[DONE]"
	})
}

// askDesk asks through the service as a visitor's page does.
func (s *setup) askDesk(conversation string) result {
	body, err := json.Marshal(map[string]string{"question": question, "conversation": conversation})
	if err != nil {
		return result{err: err}
	}
	request, err := http.NewRequest(http.MethodPost, service+"/api/at/"+deskSlug+"/questions", bytes.NewReader(body))
	if err != nil {
		return result{err: err}
	}
	request.Header.Set("Authorization", "Bearer "+s.client.Token)
	request.Header.Set("Accept", "text/event-stream")
	return s.read(request, func(e sse.Event, r *result) (text, over bool) {
		switch string(e.Name) {
		case "begin":
			var b struct{ Turn, Conversation string }
			r.err = json.Unmarshal(e.Data, &b)
			r.turn, r.conversation = b.Turn, b.Conversation
		case "end":
			if !bytes.Contains(e.Data, []byte(`"state":"done"`)) {
				r.err = fmt.Errorf("reply not done: %s", e.Data)
			}
			return false, true
		}
		if string(e.Name) != "text" {
			return false, false
		}
		var piece struct{ Text string }
		r.err = json.Unmarshal(e.Data, &piece)
		r.reply += piece.Text
		return true, false
	})
}

func (s *setup) read(request *http.Request, look func(sse.Event, *result) (text, over bool)) (r result) {
	began := time.Now()
	response, err := s.http.Do(request)
	if err != nil {
		return result{err: err}
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		text, _ := io.ReadAll(response.Body)
		return result{err: fmt.Errorf("%s: %s", response.Status, text)}
	}
	events := sse.NewReader(response.Body)
	var last time.Duration
	for {
		e, err := events.Next()
		if err != nil {
			r.err = fmt.Errorf("the stream from %s broke off after %v: %w", request.URL.Host, time.Since(began), err)
			return r
		}
		text, over := look(e, &r)
		if text {
			last = time.Since(began)
			if r.first == 0 {
				r.first = last
			}
		}
		if over || r.err != nil {
			r.whole, r.texts = time.Since(began), last-r.first
			_, _ = io.Copy(io.Discard, response.Body) // up to its end, so that the connection can be used again
			return r
		}
	}
}
