package client

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/evidence"
	"juvalogos/internal/api"
	"juvalogos/internal/sse"
)

// Question is what to ask. Conversation is empty to begin one.
type Question struct {
	Desk         string
	Conversation string
	Text         string
	// Key makes asking twice harmless; empty means one is made.
	Key string
	// Inputs are what else the desk's recipe asks for, by name, as text.
	Inputs map[string]string
}

// Sources are what a reply rests on; nil if it says nothing of that.
func Sources(o api.Outcome) *evidence.Sources {
	for _, p := range o.Parts {
		if s, is := p.Value.(evidence.Sources); is {
			return &s
		}
	}
	return nil
}

// Follower is told of a reply as it comes; nil fields are left out.
type Follower struct {
	Begin  func(api.Begin)
	Text   func(string)
	Notice func(api.Notice)
}

// reconnects is how often a lost stream is taken up again, a second apart.
const reconnects = 30

// Ask asks and follows the reply to its end, taking up the stream again where
// it broke off.
func (c *Client) Ask(ctx context.Context, q Question, f Follower) (api.Outcome, error) {
	if q.Key == "" {
		q.Key = uuid.NewString()
	}
	body, err := json.Marshal(api.Question{Question: q.Text, Conversation: q.Conversation, Key: q.Key,
		Inputs: q.Inputs})
	if err != nil {
		return api.Outcome{}, err
	}
	path := "/api/at/" + url.PathEscape(q.Desk) + "/questions"
	response, err := c.send(ctx, http.MethodPost, path, "application/json", body,
		http.Header{"Accept": {"text/event-stream"}})
	if err != nil {
		return api.Outcome{}, err
	}
	return c.follow(ctx, response, f)
}

// Watch follows a turn's newest attempt from its beginning.
func (c *Client) Watch(ctx context.Context, turn string, f Follower) (api.Outcome, error) {
	response, err := c.events(ctx, turn, "")
	if err != nil {
		return api.Outcome{}, err
	}
	return c.follow(ctx, response, f)
}

// Again has another attempt made at a turn and follows it.
func (c *Client) Again(ctx context.Context, turn string, f Follower) (api.Outcome, error) {
	response, err := c.send(ctx, http.MethodPost, "/api/turns/"+turn+"/attempts", "", nil,
		http.Header{"Accept": {"text/event-stream"}})
	if err != nil {
		return api.Outcome{}, err
	}
	return c.follow(ctx, response, f)
}

// Stop stops a reply on its way.
func (c *Client) Stop(ctx context.Context, turn string) error {
	return c.call(ctx, http.MethodPost, "/api/turns/"+turn+"/stop", nil, nil)
}

// Turn returns a turn as it is on record.
func (c *Client) Turn(ctx context.Context, id string) (api.Turn, error) {
	var t api.Turn
	err := c.call(ctx, http.MethodGet, "/api/turns/"+id, nil, &t)
	return t, err
}

// Conversations lists the caller's conversations at a desk, the newest first.
func (c *Client) Conversations(ctx context.Context, desk string) ([]api.Conversation, error) {
	var list api.ConversationList
	err := c.call(ctx, http.MethodGet, "/api/at/"+url.PathEscape(desk)+"/conversations", nil, &list)
	return list.Conversations, err
}

// Conversation returns one of the caller's conversations with its turns.
func (c *Client) Conversation(ctx context.Context, id string) (api.Conversation, error) {
	var v api.Conversation
	err := c.call(ctx, http.MethodGet, "/api/conversations/"+url.PathEscape(id), nil, &v)
	return v, err
}

func (c *Client) events(ctx context.Context, turn, last string) (*http.Response, error) {
	header := http.Header{"Accept": {"text/event-stream"}}
	if last != "" {
		header.Set("Last-Event-ID", last)
	}
	return c.send(ctx, http.MethodGet, "/api/turns/"+turn+"/events", "", nil, header)
}

func (c *Client) follow(ctx context.Context, response *http.Response, f Follower) (api.Outcome, error) {
	var at position
	for try := 0; ; {
		outcome, over, err := at.read(response, f)
		if over {
			return outcome, err
		}
		if ctx.Err() != nil {
			return api.Outcome{}, context.Cause(ctx)
		}
		if at.turn == "" || try == reconnects {
			return api.Outcome{}, fmt.Errorf("the connection to %s was lost; the reply goes on there: %w", c.Address,
				err)
		}
		for ; try < reconnects; try++ {
			select {
			case <-ctx.Done():
				return api.Outcome{}, context.Cause(ctx)
			case <-time.After(time.Second):
			}
			if response, err = c.events(ctx, at.turn, at.last); !passing(err) {
				break
			}
		}
		if err != nil {
			return api.Outcome{}, err
		}
	}
}

// passing tells whether trying again later may help.
func passing(err error) bool {
	var gone *Unreachable
	var problem *Problem
	return errors.As(err, &gone) || errors.As(err, &problem) && problem.Status >= 500
}

// position is how far a reader has come.
type position struct {
	turn  string
	last  string // id of the last event
	heard int    // bytes of the reply that were handed on
	next  int    // where in the reply the next text stands
}

// read follows one stream; over is true if the reply has ended. Text that was
// handed on before the stream was taken up again is left out.
func (p *position) read(response *http.Response, f Follower) (outcome api.Outcome, over bool, err error) {
	defer response.Body.Close()
	events := sse.NewReader(response.Body)
	for {
		e, err := events.Next()
		if err != nil {
			if err == io.EOF {
				err = io.ErrUnexpectedEOF
			}
			return outcome, false, err
		}
		if len(e.ID) > 0 {
			p.last = string(e.ID)
		}
		switch string(e.Name) {
		case "begin":
			var b api.Begin
			if err := json.Unmarshal(e.Data, &b); err != nil {
				return outcome, true, err
			}
			if p.turn == "" && f.Begin != nil {
				f.Begin(b)
			}
			p.turn, p.next = b.Turn, b.From
		case "text":
			var t api.Text
			if err := json.Unmarshal(e.Data, &t); err != nil {
				return outcome, true, err
			}
			known := min(max(0, p.heard-p.next), len(t.Text))
			p.next += len(t.Text)
			p.heard = max(p.heard, p.next)
			if f.Text != nil && known < len(t.Text) {
				f.Text(t.Text[known:])
			}
		case "notice":
			var n api.Notice
			if json.Unmarshal(e.Data, &n) == nil && f.Notice != nil {
				f.Notice(n)
			}
		case "end":
			return outcome, true, json.Unmarshal(e.Data, &outcome)
		}
	}
}
