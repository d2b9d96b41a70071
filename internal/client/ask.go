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

	"juvalogos/internal/sse"
)

// Question is what to ask. Conversation is empty to begin one.
type Question struct {
	Desk         string
	Conversation string
	Text         string
	// Key makes asking twice harmless; empty means one is made.
	Key string
}

// Turn is a question with the newest attempt at its reply.
type Turn struct {
	ID           string    `json:"id"`
	Conversation string    `json:"conversation"`
	Number       int       `json:"number"`
	Question     string    `json:"question"`
	AskedAt      time.Time `json:"asked_at"`
	Attempt      int       `json:"attempt"`
	Model        string    `json:"model"`
	Reply        string    `json:"reply"`
	Outcome      Outcome   `json:"outcome"`
}

// Outcome is how an attempt ended, or that it is running.
type Outcome struct {
	State   string   `json:"state"` // running, done, stopped, failed, interrupted
	Finish  string   `json:"finish,omitempty"`
	Problem *Trouble `json:"problem,omitempty"`
	Seconds float64  `json:"seconds"`
	Usage   struct {
		PromptTokens int `json:"prompt_tokens"`
		ReplyTokens  int `json:"reply_tokens"`
	} `json:"usage"`
	// Reply is the whole reply where what was shown as it grew was mended.
	Reply *string `json:"reply,omitempty"`
	Parts []Part  `json:"parts,omitempty"`
}

// Part is what a turn got beside its reply.
type Part struct {
	Title string          `json:"title"`
	Type  string          `json:"type"`
	Value json.RawMessage `json:"value"`
}

// Sources is the value of a part of the type sources.
type Sources struct {
	Supported bool `json:"supported"`
	Answers   bool `json:"answers"`
	Sentences []struct {
		From    int    `json:"from"`
		To      int    `json:"to"`
		Support string `json:"support"`
		Notes   []struct {
			Passage int    `json:"passage"`
			Quote   string `json:"quote"`
			Place   string `json:"place"`
			Section string `json:"section"`
			Marks   []struct{ Block, From, To int }
		} `json:"notes"`
	} `json:"sentences"`
	Passages []struct {
		Number   int    `json:"number"`
		Shelf    string `json:"shelf"`
		Document int64  `json:"document"`
		Title    string `json:"title"`
		Place    string `json:"place"`
	} `json:"passages"`
}

// Sources are what the reply rests on; nil if it says nothing of that.
func (o Outcome) Sources() *Sources {
	for _, p := range o.Parts {
		var s Sources
		if p.Type == "sources" && json.Unmarshal(p.Value, &s) == nil {
			return &s
		}
	}
	return nil
}

// Trouble is why a reply failed: a sentence, and the id the service's log
// knows it by.
type Trouble struct {
	Code   string `json:"code"`
	Detail string `json:"detail"`
	ID     string `json:"id,omitempty"`
}

// Follower is told of a reply as it comes; nil fields are left out.
type Follower struct {
	Begin  func(Begin)
	Text   func(string)
	Notice func(Notice)
}

// Begin is a reply's first event.
type Begin struct {
	Turn         string `json:"turn"`
	Conversation string `json:"conversation"`
	Title        string `json:"title"`
	Number       int    `json:"number"`
	Attempt      int    `json:"attempt"`
	From         int    `json:"from"`
	Question     string `json:"question"`
}

// Notice tells what a reply waits for: retrying, waking, in-line, writing (after
// in-line), step, unsaved, saved.
type Notice struct {
	Kind    string  `json:"kind"`
	Seconds float64 `json:"seconds"` // until the next try, or about how long the line takes; 0 if unknown
	Place   int     `json:"place"`   // in line; 1 is next
	Says    string  `json:"says"`    // what a visitor reads of a step
}

// reconnects is how often a lost stream is taken up again, a second apart.
const reconnects = 30

// Ask asks and follows the reply to its end, taking up the stream again where
// it broke off.
func (c *Client) Ask(ctx context.Context, q Question, f Follower) (Outcome, error) {
	if q.Key == "" {
		q.Key = uuid.NewString()
	}
	body, err := json.Marshal(map[string]string{"question": q.Text, "conversation": q.Conversation, "key": q.Key})
	if err != nil {
		return Outcome{}, err
	}
	path := "/api/at/" + url.PathEscape(q.Desk) + "/questions"
	response, err := c.send(ctx, http.MethodPost, path, "application/json", body, http.Header{"Accept": {"text/event-stream"}})
	if err != nil {
		return Outcome{}, err
	}
	return c.follow(ctx, response, f)
}

// Watch follows a turn's newest attempt from its beginning.
func (c *Client) Watch(ctx context.Context, turn string, f Follower) (Outcome, error) {
	response, err := c.events(ctx, turn, "")
	if err != nil {
		return Outcome{}, err
	}
	return c.follow(ctx, response, f)
}

// Again has another attempt made at a turn and follows it.
func (c *Client) Again(ctx context.Context, turn string, f Follower) (Outcome, error) {
	response, err := c.send(ctx, http.MethodPost, "/api/turns/"+turn+"/attempts", "", nil, http.Header{"Accept": {"text/event-stream"}})
	if err != nil {
		return Outcome{}, err
	}
	return c.follow(ctx, response, f)
}

// Stop stops a reply on its way.
func (c *Client) Stop(ctx context.Context, turn string) error {
	return c.call(ctx, http.MethodPost, "/api/turns/"+turn+"/stop", nil, nil)
}

// Turn returns a turn as it is on record.
func (c *Client) Turn(ctx context.Context, id string) (Turn, error) {
	var t Turn
	err := c.call(ctx, http.MethodGet, "/api/turns/"+id, nil, &t)
	return t, err
}

// Conversation is a conversation; Turns come with Conversation alone.
type Conversation struct {
	ID        string    `json:"id"`
	Desk      string    `json:"desk"`
	Title     string    `json:"title"`
	StartedAt time.Time `json:"started_at"`
	AskedAt   time.Time `json:"asked_at"`
	Questions int       `json:"questions"`
	Turns     []Turn    `json:"turns,omitempty"`
}

// Conversations lists the caller's conversations at a desk, the newest first.
func (c *Client) Conversations(ctx context.Context, desk string) ([]Conversation, error) {
	var list struct{ Conversations []Conversation }
	err := c.call(ctx, http.MethodGet, "/api/at/"+url.PathEscape(desk)+"/conversations", nil, &list)
	return list.Conversations, err
}

// Conversation returns one of the caller's conversations with its turns.
func (c *Client) Conversation(ctx context.Context, id string) (Conversation, error) {
	var v Conversation
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

func (c *Client) follow(ctx context.Context, response *http.Response, f Follower) (Outcome, error) {
	var at position
	for try := 0; ; {
		outcome, over, err := at.read(response, f)
		if over {
			return outcome, err
		}
		if ctx.Err() != nil {
			return Outcome{}, context.Cause(ctx)
		}
		if at.turn == "" || try == reconnects {
			return Outcome{}, fmt.Errorf("the connection to %s was lost; the reply goes on there: %w", c.Address, err)
		}
		for ; try < reconnects; try++ {
			select {
			case <-ctx.Done():
				return Outcome{}, context.Cause(ctx)
			case <-time.After(time.Second):
			}
			if response, err = c.events(ctx, at.turn, at.last); !passing(err) {
				break
			}
		}
		if err != nil {
			return Outcome{}, err
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
func (p *position) read(response *http.Response, f Follower) (outcome Outcome, over bool, err error) {
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
			var b Begin
			if err := json.Unmarshal(e.Data, &b); err != nil {
				return outcome, true, err
			}
			if p.turn == "" && f.Begin != nil {
				f.Begin(b)
			}
			p.turn, p.next = b.Turn, b.From
		case "text":
			var t struct{ Text string }
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
			var n Notice
			if json.Unmarshal(e.Data, &n) == nil && f.Notice != nil {
				f.Notice(n)
			}
		case "end":
			return outcome, true, json.Unmarshal(e.Data, &outcome)
		}
	}
}
