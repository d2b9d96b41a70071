package client

import (
	"context"
	"net/http"
	"net/url"

	"juvalogos/internal/api"
)

// Traces lists traces, the newest first; the query is the API's.
func (c *Client) Traces(ctx context.Context, query url.Values) ([]api.Trace, error) {
	var list api.TraceList
	err := c.call(ctx, http.MethodGet, "/api/traces?"+query.Encode(), nil, &list)
	return list.Traces, err
}

// Trace returns one trace, by its id or that of a turn, with whole spans.
func (c *Client) Trace(ctx context.Context, id string) (api.Inside, error) {
	var t api.Inside
	err := c.call(ctx, http.MethodGet, "/api/traces/"+url.PathEscape(id)+"?whole=yes", nil, &t)
	return t, err
}

// Health tells the service's version, and what costs are given in.
func (c *Client) Health(ctx context.Context) (api.Health, error) {
	var h api.Health
	err := c.call(ctx, http.MethodGet, "/healthz", nil, &h)
	return h, err
}

// ExportTrace returns a trace as a file: as is json or otlp.
func (c *Client) ExportTrace(ctx context.Context, id, as string) ([]byte, error) {
	return c.file(ctx, "/api/traces/"+url.PathEscape(id)+"?whole=yes&format="+url.QueryEscape(as))
}

// Rerun makes a reply again with edits, as the API has them.
func (c *Client) Rerun(ctx context.Context, id string, edits any) (api.Inside, error) {
	var t api.Inside
	err := c.call(ctx, http.MethodPost, "/api/traces/"+url.PathEscape(id)+"/runs", edits, &t)
	return t, err
}

// Usage adds up; the query is the API's.
func (c *Client) Usage(ctx context.Context, query url.Values) (api.Usage, error) {
	var u api.Usage
	err := c.call(ctx, http.MethodGet, "/api/usage?"+query.Encode(), nil, &u)
	return u, err
}

// Limits are how much anybody may take, and who was refused.
func (c *Client) Limits(ctx context.Context) (api.Limits, error) {
	var l api.Limits
	err := c.call(ctx, http.MethodGet, "/api/limits", nil, &l)
	return l, err
}

// UsageCSV is Usage as a table.
func (c *Client) UsageCSV(ctx context.Context, query url.Values) ([]byte, error) {
	query.Set("format", "csv")
	return c.file(ctx, "/api/usage?"+query.Encode())
}
