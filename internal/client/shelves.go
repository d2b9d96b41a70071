package client

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"net/http"
	"net/textproto"
	"net/url"
	"time"
)

// Shelf is a shelf as the API has it.
type Shelf struct {
	Shelf     string    `json:"shelf"`
	Title     string    `json:"title"`
	State     int64     `json:"state"`
	MadeBy    string    `json:"made_by"`
	MadeAt    time.Time `json:"made_at"`
	Documents int       `json:"documents"`
	Waiting   int       `json:"waiting"`
	Failed    int       `json:"failed"`
	Passages  int       `json:"passages"`
	Words     int       `json:"words"`
	Tokens    int       `json:"tokens"`
}

// ShelfDocument is a document on a shelf.
type ShelfDocument struct {
	ID       int64      `json:"id"`
	Name     string     `json:"name"`
	Source   string     `json:"source,omitempty"`
	Size     int64      `json:"size"`
	State    string     `json:"state"`
	Problem  string     `json:"problem,omitempty"`
	Title    string     `json:"title,omitempty"`
	Format   string     `json:"format,omitempty"`
	Language string     `json:"language,omitempty"`
	Pages    int        `json:"pages,omitempty"`
	Words    int        `json:"words"`
	Passages int        `json:"passages"`
	Tokens   int        `json:"tokens"`
	Seconds  float64    `json:"seconds"`
	AddedBy  string     `json:"added_by"`
	AddedAt  time.Time  `json:"added_at"`
	ReadAt   *time.Time `json:"read_at,omitempty"`
}

// Added says what became of a file that was added.
type Added struct {
	Document int64  `json:"document"`
	Name     string `json:"name"`
	Fresh    bool   `json:"fresh"`
	Replaced bool   `json:"replaced"`
	Problem  string `json:"problem,omitempty"`
}

// ShelfSearch is what a search of a shelf found.
type ShelfSearch struct {
	Hits    []ShelfHit `json:"hits"`
	Answers float64    `json:"answers"`
}

// ShelfHit is a passage that was found.
type ShelfHit struct {
	Document    int64           `json:"document"`
	Title       string          `json:"title"`
	Name        string          `json:"name"`
	Passage     int             `json:"passage"`
	Path        []string        `json:"path"`
	Text        string          `json:"text"`
	Place       string          `json:"place"`
	Spans       json.RawMessage `json:"spans"`
	Score       float64         `json:"score"`
	Lexical     float64         `json:"lexical"`
	LexicalRank int             `json:"lexical_rank"`
	Cosine      float64         `json:"cosine"`
	VectorRank  int             `json:"vector_rank"`
	FusedRank   int             `json:"fused_rank"`
	Matched     []string        `json:"matched"`
}

func shelfPath(slug, rest string) string { return "/api/shelves/" + url.PathEscape(slug) + rest }

// Shelves lists the shelves.
func (c *Client) Shelves(ctx context.Context) ([]Shelf, error) {
	var all struct{ Shelves []Shelf }
	err := c.call(ctx, http.MethodGet, "/api/shelves", nil, &all)
	return all.Shelves, err
}

// Shelf returns one.
func (c *Client) Shelf(ctx context.Context, slug string) (Shelf, error) {
	var f Shelf
	err := c.call(ctx, http.MethodGet, shelfPath(slug, ""), nil, &f)
	return f, err
}

// MakeShelf makes one.
func (c *Client) MakeShelf(ctx context.Context, slug, title string) (Shelf, error) {
	var f Shelf
	err := c.call(ctx, http.MethodPost, "/api/shelves", map[string]string{"shelf": slug, "title": title}, &f)
	return f, err
}

// RemoveShelf takes one away with its documents.
func (c *Client) RemoveShelf(ctx context.Context, slug string) error {
	return c.call(ctx, http.MethodDelete, shelfPath(slug, ""), nil, nil)
}

// ShelfSettings are how a shelf is split and searched, by name.
type ShelfSettings map[string]any

// ShelfSettings returns a shelf's.
func (c *Client) ShelfSettings(ctx context.Context, slug string) (ShelfSettings, error) {
	var s ShelfSettings
	err := c.call(ctx, http.MethodGet, shelfPath(slug, "/settings"), nil, &s)
	return s, err
}

// SetShelf changes those that are named.
func (c *Client) SetShelf(ctx context.Context, slug string, change ShelfSettings) (ShelfSettings, error) {
	var s ShelfSettings
	err := c.call(ctx, http.MethodPut, shelfPath(slug, "/settings"), change, &s)
	return s, err
}

// ShelfEmbedding tells how far a shelf's model is with its passages.
type ShelfEmbedding struct {
	Model       string  `json:"model"`
	Priced      bool    `json:"priced"`
	Passages    int     `json:"passages"`
	Embedded    int     `json:"embedded"`
	Tokens      int     `json:"tokens"`
	Cost        float64 `json:"cost"`
	SpentTokens int64   `json:"spent_tokens"`
	SpentCost   float64 `json:"spent_cost"`
	Problem     string  `json:"problem,omitempty"`
}

// ShelfEmbedding returns a shelf's.
func (c *Client) ShelfEmbedding(ctx context.Context, slug string) (ShelfEmbedding, error) {
	var e ShelfEmbedding
	err := c.call(ctx, http.MethodGet, shelfPath(slug, "/embedding"), nil, &e)
	return e, err
}

// EmbedShelf has the shelf's model embed the rest, at its price.
func (c *Client) EmbedShelf(ctx context.Context, slug string) error {
	return c.call(ctx, http.MethodPost, shelfPath(slug, "/embedding"), struct{}{}, nil)
}

// ShelfDocuments lists a shelf's documents.
func (c *Client) ShelfDocuments(ctx context.Context, slug string) ([]ShelfDocument, error) {
	var all struct{ Documents []ShelfDocument }
	err := c.call(ctx, http.MethodGet, shelfPath(slug, "/documents"), nil, &all)
	return all.Documents, err
}

// AddDocument sends a file to a shelf while it is read.
func (c *Client) AddDocument(ctx context.Context, slug, name string, body io.Reader) ([]Added, error) {
	var all struct{ Added []Added }
	err := c.upload(ctx, shelfPath(slug, "/documents"), name, body, &all)
	return all.Added, err
}

// Attach sends a file to a conversation of one's own at a desk; "" is one that
// is to begin: ask its first question with the id that is returned.
func (c *Client) Attach(ctx context.Context, desk, conversation, name string, body io.Reader) (id string, added []Added, err error) {
	var all struct {
		Conversation string
		Added        []Added
	}
	err = c.upload(ctx, "/api/at/"+url.PathEscape(desk)+"/attachments"+attachedTo(conversation), name, body, &all)
	return all.Conversation, all.Added, err
}

func attachedTo(conversation string) string {
	if conversation == "" {
		return ""
	}
	return "?" + url.Values{"conversation": {conversation}}.Encode()
}

// Attached lists what one attached to a conversation.
func (c *Client) Attached(ctx context.Context, desk, conversation string) ([]ShelfDocument, error) {
	var all struct{ Documents []ShelfDocument }
	err := c.call(ctx, http.MethodGet, "/api/at/"+url.PathEscape(desk)+"/attachments"+attachedTo(conversation), nil, &all)
	return all.Documents, err
}

// Detach takes back what one attached.
func (c *Client) Detach(ctx context.Context, desk, conversation string, document int64) error {
	return c.call(ctx, http.MethodDelete, fmt.Sprintf("/api/at/%s/attachments/%d%s", url.PathEscape(desk), document, attachedTo(conversation)), nil, nil)
}

// upload sends a file while it is read.
func (c *Client) upload(ctx context.Context, path, name string, body io.Reader, into any) error {
	r, w := io.Pipe()
	form := multipart.NewWriter(w)
	go func() {
		part, err := form.CreatePart(textproto.MIMEHeader{
			"Content-Disposition": {mime.FormatMediaType("form-data", map[string]string{"name": "file", "filename": name})},
			"Content-Type":        {"application/octet-stream"},
		})
		if err == nil {
			_, err = io.Copy(part, body)
		}
		if err == nil {
			err = form.Close()
		}
		w.CloseWithError(err)
	}()
	defer r.Close()
	response, err := c.stream(ctx, http.MethodPost, path, form.FormDataContentType(), r, http.Header{"Accept": {"application/json"}})
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if err := json.NewDecoder(response.Body).Decode(into); err != nil {
		return fmt.Errorf("read the answer of %s: %w", c.Address, err)
	}
	return nil
}

// AddAddress has a shelf fetch what an address leads to.
func (c *Client) AddAddress(ctx context.Context, slug, address string) ([]Added, error) {
	return c.fetch(ctx, slug, map[string]any{"address": address})
}

// AddTopic has a shelf fetch an encyclopedia's article on a topic; address is
// that of its MediaWiki API or of one of its pages.
func (c *Client) AddTopic(ctx context.Context, slug, address, topic string) ([]Added, error) {
	return c.fetch(ctx, slug, map[string]any{"address": address, "topic": topic})
}

// AddPapers has a shelf fetch the papers, most at most, that a search in a
// repository finds; address is that of its OpenSearch description or of one of
// its pages.
func (c *Client) AddPapers(ctx context.Context, slug, address, search string, most int) ([]Added, error) {
	return c.fetch(ctx, slug, map[string]any{"address": address, "search": search, "most": most})
}

func (c *Client) fetch(ctx context.Context, slug string, what map[string]any) ([]Added, error) {
	var all struct{ Added []Added }
	err := c.call(ctx, http.MethodPost, shelfPath(slug, "/addresses"), what, &all)
	return all.Added, err
}

// RemoveDocument takes a document off a shelf.
func (c *Client) RemoveDocument(ctx context.Context, slug string, id int64) error {
	return c.call(ctx, http.MethodDelete, shelfPath(slug, fmt.Sprintf("/documents/%d", id)), nil, nil)
}

// SearchShelf finds what would answer a question.
func (c *Client) SearchShelf(ctx context.Context, slug, query string, limit int) (ShelfSearch, error) {
	var s ShelfSearch
	err := c.call(ctx, http.MethodPost, shelfPath(slug, "/search"), map[string]any{"query": query, "limit": limit}, &s)
	return s, err
}
