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

	"juvalogos/internal/api"
)

func shelfPath(slug, rest string) string { return "/api/shelves/" + url.PathEscape(slug) + rest }

// Shelves lists the shelves.
func (c *Client) Shelves(ctx context.Context) ([]api.Shelf, error) {
	var all api.ShelfList
	err := c.call(ctx, http.MethodGet, "/api/shelves", nil, &all)
	return all.Shelves, err
}

// Shelf returns one.
func (c *Client) Shelf(ctx context.Context, slug string) (api.Shelf, error) {
	var f api.Shelf
	err := c.call(ctx, http.MethodGet, shelfPath(slug, ""), nil, &f)
	return f, err
}

// MakeShelf makes one.
func (c *Client) MakeShelf(ctx context.Context, slug, title string) (api.Shelf, error) {
	var f api.Shelf
	err := c.call(ctx, http.MethodPost, "/api/shelves", api.NewShelf{Shelf: slug, Title: title}, &f)
	return f, err
}

// RemoveShelf takes one away with its documents.
func (c *Client) RemoveShelf(ctx context.Context, slug string) error {
	return c.call(ctx, http.MethodDelete, shelfPath(slug, ""), nil, nil)
}

// ShelfSettings returns a shelf's.
func (c *Client) ShelfSettings(ctx context.Context, slug string) (api.ShelfSettings, error) {
	var s api.ShelfSettings
	err := c.call(ctx, http.MethodGet, shelfPath(slug, "/settings"), nil, &s)
	return s, err
}

// ShelfLeast tells what a shelf's threshold for an answer refuses and lets through.
func (c *Client) ShelfLeast(ctx context.Context, slug string) (api.ShelfLeast, error) {
	var b api.ShelfLeast
	err := c.call(ctx, http.MethodGet, shelfPath(slug, "/least"), nil, &b)
	return b, err
}

// SetShelf changes those that are named.
func (c *Client) SetShelf(ctx context.Context, slug string, change map[string]any) (api.ShelfSettings, error) {
	var s api.ShelfSettings
	err := c.call(ctx, http.MethodPut, shelfPath(slug, "/settings"), change, &s)
	return s, err
}

// ShelfEmbedding returns a shelf's.
func (c *Client) ShelfEmbedding(ctx context.Context, slug string) (api.ShelfEmbedding, error) {
	var e api.ShelfEmbedding
	err := c.call(ctx, http.MethodGet, shelfPath(slug, "/embedding"), nil, &e)
	return e, err
}

// EmbedShelf has the shelf's model embed the rest, at its price.
func (c *Client) EmbedShelf(ctx context.Context, slug string) error {
	return c.call(ctx, http.MethodPost, shelfPath(slug, "/embedding"), struct{}{}, nil)
}

// ShelfDocuments lists a shelf's documents.
func (c *Client) ShelfDocuments(ctx context.Context, slug string) ([]api.Document, error) {
	var all api.DocumentList
	err := c.call(ctx, http.MethodGet, shelfPath(slug, "/documents"), nil, &all)
	return all.Documents, err
}

// AddDocument sends a file to a shelf while it is read.
func (c *Client) AddDocument(ctx context.Context, slug, name string, body io.Reader) ([]api.Added, error) {
	var all api.AddedList
	err := c.upload(ctx, shelfPath(slug, "/documents"), name, body, &all)
	return all.Added, err
}

// Attach sends a file to a conversation of one's own at a desk; "" is one that
// is to begin: ask its first question with the id that is returned.
func (c *Client) Attach(ctx context.Context, desk, conversation, name string, body io.Reader) (id string,
	added []api.Added, err error) {
	var all struct {
		Conversation string
		Added        []api.Added
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
func (c *Client) Attached(ctx context.Context, desk, conversation string) ([]api.Document, error) {
	var all api.DocumentList
	err := c.call(ctx, http.MethodGet, "/api/at/"+url.PathEscape(desk)+"/attachments"+attachedTo(conversation), nil,
		&all)
	return all.Documents, err
}

// Detach takes back what one attached.
func (c *Client) Detach(ctx context.Context, desk, conversation string, document int64) error {
	return c.call(ctx, http.MethodDelete,
		fmt.Sprintf("/api/at/%s/attachments/%d%s", url.PathEscape(desk), document, attachedTo(conversation)), nil, nil)
}

// upload sends a file while it is read.
func (c *Client) upload(ctx context.Context, path, name string, body io.Reader, into any) error {
	r, w := io.Pipe()
	form := multipart.NewWriter(w)
	go func() {
		part, err := form.CreatePart(textproto.MIMEHeader{
			"Content-Disposition": {mime.FormatMediaType("form-data",
				map[string]string{"name": "file", "filename": name})},
			"Content-Type": {"application/octet-stream"},
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
	response, err := c.stream(ctx, http.MethodPost, path, form.FormDataContentType(), r,
		http.Header{"Accept": {"application/json"}})
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if err := json.NewDecoder(response.Body).Decode(into); err != nil {
		return fmt.Errorf("read the answer of %s: %w", c.Address, err)
	}
	return nil
}

// ShelfTables are the tables of a shelf's documents.
func (c *Client) ShelfTables(ctx context.Context, slug string) (all api.TableList, err error) {
	err = c.call(ctx, http.MethodGet, "/api/shelves/"+url.PathEscape(slug)+"/tables", nil, &all)
	return all, err
}

// PutShelfColumnRight says what kind of values a column of a shelf's table has.
func (c *Client) PutShelfColumnRight(ctx context.Context, slug string, document int64,
	g api.ColumnGiven) (now api.Tabled,
	err error) {
	err = c.call(ctx, http.MethodPut, fmt.Sprintf("/api/shelves/%s/tables/%d", url.PathEscape(slug), document), g, &now)
	return now, err
}

// AddAddress has a shelf fetch what an address leads to.
func (c *Client) AddAddress(ctx context.Context, slug, address string) ([]api.Added, error) {
	return c.fetch(ctx, slug, api.NewAddress{Address: address})
}

// AddTopic has a shelf fetch an encyclopedia's article on a topic; address is
// that of its MediaWiki API or of one of its pages.
func (c *Client) AddTopic(ctx context.Context, slug, address, topic string) ([]api.Added, error) {
	return c.fetch(ctx, slug, api.NewAddress{Address: address, Topic: topic})
}

// AddPapers has a shelf fetch the papers, most at most, that a search in a
// repository finds; address is that of its OpenSearch description or of one of
// its pages.
func (c *Client) AddPapers(ctx context.Context, slug, address, search string, most int) ([]api.Added, error) {
	return c.fetch(ctx, slug, api.NewAddress{Address: address, Search: search, Most: most})
}

func (c *Client) fetch(ctx context.Context, slug string, what api.NewAddress) ([]api.Added, error) {
	var all api.AddedList
	err := c.call(ctx, http.MethodPost, shelfPath(slug, "/addresses"), what, &all)
	return all.Added, err
}

// RemoveDocument takes a document off a shelf.
func (c *Client) RemoveDocument(ctx context.Context, slug string, id int64) error {
	return c.call(ctx, http.MethodDelete, shelfPath(slug, fmt.Sprintf("/documents/%d", id)), nil, nil)
}

// ReadShelf has all documents of a shelf read anew and returns how many.
func (c *Client) ReadShelf(ctx context.Context, slug string) (int, error) {
	var r api.ReadAnew
	err := c.call(ctx, http.MethodPost, shelfPath(slug, "/read"), nil, &r)
	return r.Documents, err
}

// ReadDocument has a document read anew.
func (c *Client) ReadDocument(ctx context.Context, slug string, id int64) error {
	return c.call(ctx, http.MethodPost, shelfPath(slug, fmt.Sprintf("/documents/%d/read", id)), nil, nil)
}

// SearchShelf finds what would answer a question.
func (c *Client) SearchShelf(ctx context.Context, slug, query string, limit int) (api.ShelfFound, error) {
	var s api.ShelfFound
	err := c.call(ctx, http.MethodPost, shelfPath(slug, "/search"), api.ShelfQuery{Query: query, Limit: limit}, &s)
	return s, err
}
