package client

import (
	"context"
	"encoding/json"
	"net/http"
	"net/url"
	"time"
)

// Trace tells how a reply was made; Spans come with a single one.
type Trace struct {
	ID           string          `json:"id"`
	Kind         string          `json:"kind"`
	Turn         string          `json:"turn"`
	Attempt      int             `json:"attempt"`
	Conversation string          `json:"conversation"`
	Desk         string          `json:"desk"`
	Revision     int             `json:"revision"`
	Recipe       string          `json:"recipe"`
	Models       []string        `json:"models"`
	Steps        []string        `json:"steps"`
	Question     string          `json:"question"`
	Reply        string          `json:"reply"`
	State        string          `json:"state"`
	Problem      string          `json:"problem,omitempty"`
	Helped       *bool           `json:"helped,omitempty"`
	StartedAt    time.Time       `json:"started_at"`
	Seconds      float64         `json:"seconds"`
	PromptTokens int             `json:"prompt_tokens"`
	ReplyTokens  int             `json:"reply_tokens"`
	Cost         float64         `json:"cost"`
	Calls        int             `json:"calls"`
	Retries      int             `json:"retries"`
	Reused       int             `json:"reused"`
	Edits        json.RawMessage `json:"edits,omitempty"`

	Live    bool    `json:"live,omitempty"`
	Thinned bool    `json:"thinned,omitempty"`
	Spans   []Span  `json:"spans,omitempty"`
	Reruns  []Trace `json:"reruns,omitempty"`
}

// Span is what happened while a step ran; times are seconds.
type Span struct {
	Step    string          `json:"step"`
	Number  int             `json:"number,omitempty"`
	Do      string          `json:"do"`
	Parent  int             `json:"parent"`
	State   string          `json:"state"`
	Start   float64         `json:"start"`
	Seconds float64         `json:"seconds"`
	Tries   int             `json:"tries,omitempty"`
	Set     json.RawMessage `json:"set,omitempty"`
	In      json.RawMessage `json:"in,omitempty"`
	Out     json.RawMessage `json:"out,omitempty"`
	Error   string          `json:"error,omitempty"`
	Notes   []string        `json:"notes,omitempty"`
	Calls   []ModelCall     `json:"calls,omitempty"`
}

// ModelCall is one time that a model was asked.
type ModelCall struct {
	Model    string          `json:"model"`
	Settings json.RawMessage `json:"settings,omitempty"`
	Messages []struct {
		Role    string `json:"role"`
		Content string `json:"content"`
	} `json:"messages,omitempty"`
	Answer       string  `json:"answer"`
	PromptTokens int     `json:"prompt_tokens"`
	ReplyTokens  int     `json:"reply_tokens"`
	Cost         float64 `json:"cost"`
	Seconds      float64 `json:"seconds"`
	Error        string  `json:"error,omitempty"`
}

// Traces lists traces, the newest first; the query is the API's.
func (c *Client) Traces(ctx context.Context, query url.Values) ([]Trace, error) {
	var list struct{ Traces []Trace }
	err := c.call(ctx, http.MethodGet, "/api/traces?"+query.Encode(), nil, &list)
	return list.Traces, err
}

// Trace returns one trace, by its id or that of a turn, with whole spans.
func (c *Client) Trace(ctx context.Context, id string) (Trace, error) {
	var t Trace
	err := c.call(ctx, http.MethodGet, "/api/traces/"+url.PathEscape(id)+"?whole=yes", nil, &t)
	return t, err
}

// ExportTrace returns a trace as a file: as is json or otlp.
func (c *Client) ExportTrace(ctx context.Context, id, as string) ([]byte, error) {
	return c.file(ctx, "/api/traces/"+url.PathEscape(id)+"?whole=yes&format="+url.QueryEscape(as))
}

// Rerun makes a reply again with edits, as the API has them.
func (c *Client) Rerun(ctx context.Context, id string, edits any) (Trace, error) {
	var t Trace
	err := c.call(ctx, http.MethodPost, "/api/traces/"+url.PathEscape(id)+"/runs", edits, &t)
	return t, err
}

// Usage is what models were asked for, added up.
type Usage struct {
	By   []string  `json:"by"`
	From time.Time `json:"from"`
	To   time.Time `json:"to"`
	Rows []struct {
		Keys         []string `json:"keys"`
		Turns        int      `json:"turns"`
		Calls        int      `json:"calls"`
		Counted      int      `json:"counted"`
		PromptTokens int64    `json:"prompt_tokens"`
		ReplyTokens  int64    `json:"reply_tokens"`
		Cost         float64  `json:"cost"`
	} `json:"rows"`
}

// Usage adds up; the query is the API's.
func (c *Client) Usage(ctx context.Context, query url.Values) (Usage, error) {
	var u Usage
	err := c.call(ctx, http.MethodGet, "/api/usage?"+query.Encode(), nil, &u)
	return u, err
}

// UsageCSV is Usage as a table.
func (c *Client) UsageCSV(ctx context.Context, query url.Values) ([]byte, error) {
	query.Set("format", "csv")
	return c.file(ctx, "/api/usage?"+query.Encode())
}
