package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"juvalogos/internal/api"
)

// Records lists the conversations at a desk, the newest first; with search
// those that have its words.
func (c *Client) Records(ctx context.Context, slug, search string, limit int) ([]api.Conversation, error) {
	var list api.ConversationList
	query := url.Values{"search": {search}}
	if limit > 0 {
		query.Set("limit", strconv.Itoa(limit))
	}
	err := c.call(ctx, http.MethodGet, deskPath(slug, "conversations")+"?"+query.Encode(), nil, &list)
	return list.Conversations, err
}

// Record returns one conversation with its turns and summaries.
func (c *Client) Record(ctx context.Context, id string) (api.Conversation, error) {
	var r api.Conversation
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
