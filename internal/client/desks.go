package client

import (
	"context"
	"net/http"
	"net/url"
	"time"

	"juvalogos/internal/models"
)

// Revision is one published state of a desk.
type Revision struct {
	Number int       `json:"number"`
	MadeBy string    `json:"made_by"`
	MadeAt time.Time `json:"made_at"`
}

// Desk is a desk as makers see it. File and Revisions come with Desk alone.
type Desk struct {
	Slug           string     `json:"slug"`
	Title          string     `json:"title"`
	Purpose        string     `json:"purpose"`
	Model          string     `json:"model"`
	Page           string     `json:"page"`
	Published      Revision   `json:"published"`
	Revisions      []Revision `json:"revisions,omitempty"`
	QuestionsToday int        `json:"questions_today"`
	LastAsked      *time.Time `json:"last_asked,omitempty"`
	File           string     `json:"file,omitempty"`
}

// Desks lists the published desks.
func (c *Client) Desks(ctx context.Context) ([]Desk, error) {
	var list struct{ Desks []Desk }
	err := c.call(ctx, http.MethodGet, "/api/desks", nil, &list)
	return list.Desks, err
}

// Desk returns one desk with its file and revisions.
func (c *Client) Desk(ctx context.Context, slug string) (Desk, error) {
	var d Desk
	err := c.call(ctx, http.MethodGet, "/api/desks/"+url.PathEscape(slug), nil, &d)
	return d, err
}

// Publish publishes a desk file; name is its name in problems.
func (c *Client) Publish(ctx context.Context, name string, file []byte) (Desk, error) {
	var d Desk
	err := c.receive(ctx, http.MethodPost, "/api/desks?name="+url.QueryEscape(name), "application/yaml", file, &d)
	return d, err
}

// Check checks a desk file against the service's models.
func (c *Client) Check(ctx context.Context, name string, file []byte) error {
	return c.receive(ctx, http.MethodPost, "/api/desks/check?name="+url.QueryEscape(name), "application/yaml", file, nil)
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
	Name   string    `json:"name"`
	MadeAt time.Time `json:"made_at"`
	Secret string    `json:"secret,omitempty"`
}

// AddToken makes a token.
func (c *Client) AddToken(ctx context.Context, name string) (Token, error) {
	var t Token
	err := c.call(ctx, http.MethodPost, "/api/tokens", Token{Name: name}, &t)
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
