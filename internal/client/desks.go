package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"juvalogos/core/yamlfile"
	"juvalogos/internal/models"
)

// Revision is one published state of a desk. File comes with Revision alone.
type Revision struct {
	Number int       `json:"number"`
	Note   string    `json:"note,omitempty"`
	MadeBy string    `json:"made_by"`
	MadeAt time.Time `json:"made_at"`
	File   string    `json:"file,omitempty"`
}

// Desk is a desk as makers see it. File and Revisions come with Desk alone.
type Desk struct {
	Slug           string     `json:"slug"`
	Title          string     `json:"title"`
	Purpose        string     `json:"purpose"`
	Model          string     `json:"model"`
	Page           string     `json:"page"`
	Published      int        `json:"published"` // number of the revision; 0: none
	Newest         int        `json:"newest"`
	ChangedBy      string     `json:"changed_by"`
	ChangedAt      time.Time  `json:"changed_at"`
	Draft          *time.Time `json:"draft,omitempty"`
	QuestionsToday int        `json:"questions_today"`
	LastAsked      *time.Time `json:"last_asked,omitempty"`
	Judged         int        `json:"judged"` // replies of the last thirty days
	Helped         int        `json:"helped"`
	Revisions      []Revision `json:"revisions,omitempty"`
	File           string     `json:"file,omitempty"`
}

func deskPath(slug string, rest ...string) string {
	path := "/api/desks/" + url.PathEscape(slug)
	for _, r := range rest {
		path += "/" + url.PathEscape(r)
	}
	return path
}

// Desks lists all desks.
func (c *Client) Desks(ctx context.Context) ([]Desk, error) {
	var list struct{ Desks []Desk }
	err := c.call(ctx, http.MethodGet, "/api/desks", nil, &list)
	return list.Desks, err
}

// Desk returns one desk with its file and revisions.
func (c *Client) Desk(ctx context.Context, slug string) (Desk, error) {
	var d Desk
	err := c.call(ctx, http.MethodGet, deskPath(slug), nil, &d)
	return d, err
}

// Publish publishes a desk file; name is its name in problems, note what is
// new.
func (c *Client) Publish(ctx context.Context, name string, file []byte, note string) (Desk, error) {
	var d Desk
	query := url.Values{"name": {name}, "note": {note}}
	err := c.receive(ctx, http.MethodPost, "/api/desks?"+query.Encode(), "application/yaml", file, &d)
	return d, err
}

// Check checks a desk file against the service's models.
func (c *Client) Check(ctx context.Context, name string, file []byte) error {
	return c.receive(ctx, http.MethodPost, "/api/desks/check?name="+url.QueryEscape(name), "application/yaml", file, nil)
}

// Revision returns one revision of a desk with its file.
func (c *Client) Revision(ctx context.Context, slug string, number int) (Revision, error) {
	var r Revision
	err := c.call(ctx, http.MethodGet, deskPath(slug, "revisions", strconv.Itoa(number)), nil, &r)
	return r, err
}

// Return makes an earlier revision the published one.
func (c *Client) Return(ctx context.Context, slug string, number int) (Desk, error) {
	var d Desk
	err := c.call(ctx, http.MethodPost, deskPath(slug, "return"), map[string]int{"revision": number}, &d)
	return d, err
}

// Withdraw closes a desk to visitors.
func (c *Client) Withdraw(ctx context.Context, slug string) error {
	return c.call(ctx, http.MethodPost, deskPath(slug, "withdraw"), nil, nil)
}

// Duplicate makes a draft of a desk at another slug.
func (c *Client) Duplicate(ctx context.Context, slug, as string) error {
	return c.call(ctx, http.MethodPost, deskPath(slug, "duplicate"), map[string]string{"as": as}, nil)
}

// Export returns a desk with all its revisions as one file.
func (c *Client) Export(ctx context.Context, slug string) ([]byte, error) {
	return c.file(ctx, deskPath(slug, "export"))
}

// Import brings back what Export gave, at another slug if as is not empty.
// What is wrong with its published file comes back too.
func (c *Client) Import(ctx context.Context, packed []byte, as string) (slug string, problems yamlfile.Problems, err error) {
	var answer struct {
		Slug     string
		Problems yamlfile.Problems
	}
	err = c.receive(ctx, http.MethodPost, "/api/desks/import?as="+url.QueryEscape(as), "application/json", packed, &answer)
	return answer.Slug, answer.Problems, err
}

// Model is a model that the service's connection file names.
type Model struct {
	models.Model
	Connection string `json:"connection"`
	Address    string `json:"address"`
}

// Models lists the models.
func (c *Client) Models(ctx context.Context) ([]Model, error) {
	var list struct{ Models []Model }
	err := c.call(ctx, http.MethodGet, "/api/models", nil, &list)
	return list.Models, err
}

// Probe has the service probe one model, or with "" all.
func (c *Client) Probe(ctx context.Context, model string) ([]models.Probe, error) {
	path := "/api/models/probe"
	if model != "" {
		path += "?model=" + url.QueryEscape(model)
	}
	var list struct{ Probes []models.Probe }
	err := c.call(ctx, http.MethodPost, path, nil, &list)
	return list.Probes, err
}

// Token is an API token; Secret is filled once, when it is made.
type Token struct {
	Name      string     `json:"name"`
	Scopes    []string   `json:"scopes,omitempty"`
	MadeAt    time.Time  `json:"made_at"`
	UsedAt    *time.Time `json:"used_at,omitempty"`
	ExpiresAt *time.Time `json:"expires_at,omitempty"`
	Secret    string     `json:"secret,omitempty"`
}

// AddToken makes a token of which the name, and if they matter the scopes and
// the end, are given.
func (c *Client) AddToken(ctx context.Context, t Token) (Token, error) {
	err := c.call(ctx, http.MethodPost, "/api/tokens", t, &t)
	return t, err
}

// Login makes a token for a program that knows an account's name and password.
func (c *Client) Login(ctx context.Context, name, password, program string) (Token, error) {
	var t Token
	err := c.call(ctx, http.MethodPost, "/api/login", map[string]string{"name": name, "password": password, "token": program}, &t)
	return t, err
}

// Tokens lists the tokens.
func (c *Client) Tokens(ctx context.Context) ([]Token, error) {
	var list struct{ Tokens []Token }
	err := c.call(ctx, http.MethodGet, "/api/tokens", nil, &list)
	return list.Tokens, err
}

// RemoveToken makes a token worthless.
func (c *Client) RemoveToken(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/api/tokens/"+url.PathEscape(name), nil, nil)
}

// Connection is a place where models live, as the service has it. Key is sent
// and never comes back.
type Connection struct {
	Name      string         `json:"name"`
	Protocol  string         `json:"protocol,omitempty"`
	Address   string         `json:"address"`
	Patience  float64        `json:"patience"` // seconds
	AtOnce    int            `json:"at_once"`
	Models    []models.Model `json:"models"`
	Reference string         `json:"reference,omitempty"`
	Key       string         `json:"key,omitempty"`
	Keyed     bool           `json:"keyed"`
	Fixed     bool           `json:"fixed"` // it is the connection file's
}

// Connections lists the connections.
func (c *Client) Connections(ctx context.Context) ([]Connection, error) {
	var list struct{ Connections []Connection }
	err := c.call(ctx, http.MethodGet, "/api/connections", nil, &list)
	return list.Connections, err
}

// KeepConnection adds a connection, or changes the one of its name.
func (c *Client) KeepConnection(ctx context.Context, k Connection) error {
	return c.call(ctx, http.MethodPut, "/api/connections/"+url.PathEscape(k.Name), k, nil)
}

// RemoveConnection takes a connection out of use.
func (c *Client) RemoveConnection(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/api/connections/"+url.PathEscape(name), nil, nil)
}
