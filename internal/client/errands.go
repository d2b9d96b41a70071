package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"juvalogos/internal/api"
)

func errandPath(desk, id, rest string) string {
	return "/api/at/" + url.PathEscape(desk) + "/errands/" + url.PathEscape(id) + rest
}

// Bring has something brought into a conversation; an empty one is to begin, and its
// id is in the answer.
func (c *Client) Bring(ctx context.Context, desk, conversation string, w api.Wish) (api.Errand, error) {
	var e api.Errand
	path := "/api/at/" + url.PathEscape(desk) + "/errands"
	if conversation != "" {
		path += "?conversation=" + url.QueryEscape(conversation)
	}
	err := c.call(ctx, http.MethodPost, path, w, &e)
	return e, err
}

// Errand tells how far one is.
func (c *Client) Errand(ctx context.Context, desk, id string) (api.Errand, error) {
	var e api.Errand
	err := c.call(ctx, http.MethodGet, errandPath(desk, id, ""), nil, &e)
	return e, err
}

// Errands lists what was brought into a conversation and not put away.
func (c *Client) Errands(ctx context.Context, desk, conversation string) ([]api.Errand, error) {
	var all api.ErrandList
	err := c.call(ctx, http.MethodGet, "/api/at/"+url.PathEscape(desk)+"/errands?conversation="+
		url.QueryEscape(conversation), nil, &all)
	return all.Errands, err
}

// Brought waits until all that an errand is to bring is there and read, and tells how
// far it is whenever that has changed; follow may be nil.
func (c *Client) Brought(ctx context.Context, desk string, e api.Errand, follow func(api.Errand)) (api.Errand, error) {
	for e.State == "running" || e.Reading {
		if follow != nil {
			follow(e)
		}
		select {
		case <-ctx.Done():
			return e, context.Cause(ctx)
		case <-time.After(150 * time.Millisecond):
		}
		var err error
		if e, err = c.Errand(ctx, desk, e.ID); err != nil {
			return e, err
		}
	}
	return e, nil
}

// ChooseMeaning goes on with one of an errand's meanings; an empty title tries again
// what failed.
func (c *Client) ChooseMeaning(ctx context.Context, desk, id, title string) (api.Errand, error) {
	var e api.Errand
	err := c.call(ctx, http.MethodPost, errandPath(desk, id, "/choose"), api.ChosenMeaning{Title: title}, &e)
	return e, err
}

// StopErrand ends one on its way; what came stays.
func (c *Client) StopErrand(ctx context.Context, desk, id string) error {
	return c.call(ctx, http.MethodPost, errandPath(desk, id, "/stop"), nil, nil)
}

// PutAway takes what an errand brought out of its conversation.
func (c *Client) PutAway(ctx context.Context, desk, id string) error {
	return c.call(ctx, http.MethodDelete, errandPath(desk, id, ""), nil, nil)
}

// TakeUp brings back what was put away.
func (c *Client) TakeUp(ctx context.Context, desk, id string) error {
	return c.call(ctx, http.MethodPost, errandPath(desk, id, "/restore"), nil, nil)
}

// AgreeToCost has what was brought embedded by the desk's priced model.
func (c *Client) AgreeToCost(ctx context.Context, desk, id string) error {
	return c.call(ctx, http.MethodPost, errandPath(desk, id, "/agree"), nil, nil)
}

// Titles lists the desk's documents that a visitor may choose to talk about.
func (c *Client) Titles(ctx context.Context, desk, search string) (api.TitleList, error) {
	var all api.TitleList
	err := c.call(ctx, http.MethodGet, "/api/at/"+url.PathEscape(desk)+"/titles?search="+url.QueryEscape(search), nil,
		&all)
	return all, err
}

// Wanted lists what visitors of a desk wanted brought in the last so many days.
func (c *Client) Wanted(ctx context.Context, desk string, days int) ([]api.Wanted, error) {
	var all api.WantedList
	err := c.call(ctx, http.MethodGet, "/api/desks/"+url.PathEscape(desk)+"/wanted?days="+strconv.Itoa(days), nil, &all)
	return all.Wanted, err
}

// BroughtSums adds up what visitors had brought; query is by, from, to and desk.
func (c *Client) BroughtSums(ctx context.Context, query url.Values) (api.Brought, error) {
	var b api.Brought
	err := c.call(ctx, http.MethodGet, "/api/brought?"+query.Encode(), nil, &b)
	return b, err
}
