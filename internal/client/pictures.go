package client

import (
	"context"
	"io"
	"net/http"
	"net/url"

	"juvalogos/internal/api"
)

// Pictures of conversations.

// GivePicture gives a picture to a conversation of one's own at a desk, to ask about it;
// "" is one that is to begin: ask its first question with the id that is returned. The
// error is a *Problem if the desk does not look at pictures; a picture that was not taken
// is among those refused.
func (c *Client) GivePicture(ctx context.Context, desk, conversation, name string, body io.Reader) (
	given api.PicturesGiven, err error) {
	err = c.upload(ctx, "/api/at/"+url.PathEscape(desk)+"/pictures"+attachedTo(conversation), name, body, &given)
	return given, err
}

// Pictures lists what the next question of a conversation is asked with.
func (c *Client) Pictures(ctx context.Context, desk, conversation string) ([]api.Picture, error) {
	var all api.PictureList
	err := c.call(ctx, http.MethodGet, "/api/at/"+url.PathEscape(desk)+"/pictures"+attachedTo(conversation), nil, &all)
	return all.Pictures, err
}
