package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"juvalogos/core/yamlfile"
	"juvalogos/internal/api"
)

func deskPath(slug string, rest ...string) string {
	path := "/api/desks/" + url.PathEscape(slug)
	for _, r := range rest {
		path += "/" + url.PathEscape(r)
	}
	return path
}

// Desks lists all desks.
func (c *Client) Desks(ctx context.Context) ([]api.Desk, error) {
	var list api.DeskList
	err := c.call(ctx, http.MethodGet, "/api/desks", nil, &list)
	return list.Desks, err
}

// Desk returns one desk with its file and revisions.
func (c *Client) Desk(ctx context.Context, slug string) (api.Desk, error) {
	var d api.Desk
	err := c.call(ctx, http.MethodGet, deskPath(slug), nil, &d)
	return d, err
}

// Publish publishes a desk file; name is its name in problems, note what is
// new.
func (c *Client) Publish(ctx context.Context, name string, file []byte, note string) (api.Desk, error) {
	var d api.Desk
	query := url.Values{"name": {name}, "note": {note}}
	err := c.receive(ctx, http.MethodPost, "/api/desks?"+query.Encode(), "application/yaml", file, &d)
	return d, err
}

// Check checks a desk file against the service's models.
func (c *Client) Check(ctx context.Context, name string, file []byte) error {
	return c.receive(ctx, http.MethodPost, "/api/desks/check?name="+url.QueryEscape(name), "application/yaml", file,
		nil)
}

// Revision returns one revision of a desk with its file.
func (c *Client) Revision(ctx context.Context, slug string, number int) (api.Revision, error) {
	var r api.Revision
	err := c.call(ctx, http.MethodGet, deskPath(slug, "revisions", strconv.Itoa(number)), nil, &r)
	return r, err
}

// Return makes an earlier revision the published one.
func (c *Client) Return(ctx context.Context, slug string, number int) (api.Desk, error) {
	var d api.Desk
	err := c.call(ctx, http.MethodPost, deskPath(slug, "return"), api.ReturnTo{Revision: number}, &d)
	return d, err
}

// Withdraw closes a desk to visitors.
func (c *Client) Withdraw(ctx context.Context, slug string) error {
	return c.call(ctx, http.MethodPost, deskPath(slug, "withdraw"), nil, nil)
}

// Duplicate makes a draft of a desk at another slug.
func (c *Client) Duplicate(ctx context.Context, slug, as string) error {
	return c.call(ctx, http.MethodPost, deskPath(slug, "duplicate"), api.DuplicateAs{As: as}, nil)
}

// Export returns a desk with all its revisions as one file.
func (c *Client) Export(ctx context.Context, slug string) ([]byte, error) {
	return c.file(ctx, deskPath(slug, "export"))
}

// Import brings back what Export gave, at another slug if as is not empty.
// What is wrong with its published file comes back too.
func (c *Client) Import(ctx context.Context, packed []byte, as string) (slug string, problems yamlfile.Problems,
	err error) {
	var answer api.Imported
	err = c.receive(ctx, http.MethodPost, "/api/desks/import?as="+url.QueryEscape(as), "application/json", packed,
		&answer)
	return answer.Slug, answer.Problems, err
}

// Models lists the models.
func (c *Client) Models(ctx context.Context) ([]api.Model, error) {
	var list api.ModelList
	err := c.call(ctx, http.MethodGet, "/api/models", nil, &list)
	return list.Models, err
}

// Probe has the service probe one model, or with "" all.
func (c *Client) Probe(ctx context.Context, model string) ([]api.Probe, error) {
	path := "/api/models/probe"
	if model != "" {
		path += "?model=" + url.QueryEscape(model)
	}
	var list api.ProbeList
	err := c.call(ctx, http.MethodPost, path, nil, &list)
	return list.Probes, err
}

// KeepManners keeps how a server wants to be asked for a model, as a probe found it.
func (c *Client) KeepManners(ctx context.Context, connection string, m api.MannersOf) error {
	return c.call(ctx, http.MethodPut, "/api/connections/"+url.PathEscape(connection)+"/manners", m, nil)
}

// TryConnection asks the first model of a connection that is not in use yet.
func (c *Client) TryConnection(ctx context.Context, k api.Connection) (api.Probe, error) {
	var p api.Probe
	err := c.call(ctx, http.MethodPost, "/api/connections/try", k, &p)
	return p, err
}

// FromCurl makes a connection, which is not in use yet, of a curl line.
func (c *Client) FromCurl(ctx context.Context, line string) (api.Connection, error) {
	var k api.Connection
	err := c.call(ctx, http.MethodPost, "/api/connections/from-curl", api.CurlLine{Line: line}, &k)
	return k, err
}

// AddToken makes a token of which the name, and if they matter the scopes and
// the end, are given.
func (c *Client) AddToken(ctx context.Context, t api.NewToken) (api.Token, error) {
	var made api.Token
	err := c.call(ctx, http.MethodPost, "/api/tokens", t, &made)
	return made, err
}

// Login makes a token for a program that knows an account's name and password.
func (c *Client) Login(ctx context.Context, name, password, program string) (api.Token, error) {
	var t api.Token
	err := c.call(ctx, http.MethodPost, "/api/login", api.SignIn{Name: name, Password: password, Token: program}, &t)
	return t, err
}

// Tokens lists the tokens.
func (c *Client) Tokens(ctx context.Context) ([]api.Token, error) {
	var list api.TokenList
	err := c.call(ctx, http.MethodGet, "/api/tokens", nil, &list)
	return list.Tokens, err
}

// RemoveToken makes a token worthless.
func (c *Client) RemoveToken(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/api/tokens/"+url.PathEscape(name), nil, nil)
}

// Connections lists the connections.
func (c *Client) Connections(ctx context.Context) ([]api.Connection, error) {
	var list api.ConnectionList
	err := c.call(ctx, http.MethodGet, "/api/connections", nil, &list)
	return list.Connections, err
}

// KeepConnection adds a connection, or changes the one of its name.
func (c *Client) KeepConnection(ctx context.Context, k api.Connection) error {
	return c.call(ctx, http.MethodPut, "/api/connections/"+url.PathEscape(k.Name), k, nil)
}

// RemoveConnection takes a connection out of use.
func (c *Client) RemoveConnection(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/api/connections/"+url.PathEscape(name), nil, nil)
}
