package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"time"
)

// Summary is what a model wrote of a conversation's beginning.
type Summary struct {
	Turns  int       `json:"turns"` // how many it covers
	Text   string    `json:"text"`
	Tokens int       `json:"tokens"`
	Model  string    `json:"model"`
	MadeAt time.Time `json:"made_at"`
}

// Record is a conversation as makers see it. Turns and Summaries come with a
// single one.
type Record struct {
	Conversation
	Summaries []Summary `json:"summaries,omitempty"`
}

// Records lists the conversations at a desk, the newest first; with search
// those that have its words.
func (c *Client) Records(ctx context.Context, slug, search string, limit int) ([]Record, error) {
	var list struct{ Conversations []Record }
	query := url.Values{"search": {search}}
	if limit > 0 {
		query.Set("limit", strconv.Itoa(limit))
	}
	err := c.call(ctx, http.MethodGet, deskPath(slug, "conversations")+"?"+query.Encode(), nil, &list)
	return list.Conversations, err
}

// Record returns one conversation with its turns and summaries.
func (c *Client) Record(ctx context.Context, id string) (Record, error) {
	var r Record
	err := c.call(ctx, http.MethodGet, "/api/records/"+url.PathEscape(id), nil, &r)
	return r, err
}

// ExportRecord returns a conversation as a file: as is markdown or json.
func (c *Client) ExportRecord(ctx context.Context, id, as string) ([]byte, error) {
	return c.file(ctx, "/api/records/"+url.PathEscape(id)+"/export?as="+url.QueryEscape(as))
}

// RemoveRecord takes a conversation away; RestoreRecord brings it back for 30
// days.
func (c *Client) RemoveRecord(ctx context.Context, id string) error {
	return c.call(ctx, http.MethodDelete, "/api/records/"+url.PathEscape(id), nil, nil)
}

// RestoreRecord brings a removed conversation back.
func (c *Client) RestoreRecord(ctx context.Context, id string) error {
	return c.call(ctx, http.MethodPost, "/api/records/"+url.PathEscape(id)+"/restore", nil, nil)
}
