package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"

	"juvalogos/core/recipe"
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

// PicturesNow lists what the next question of a conversation is asked with.
func (c *Client) PicturesNow(ctx context.Context, desk, conversation string) ([]api.Picture, error) {
	var all api.PictureList
	err := c.call(ctx, http.MethodGet, "/api/at/"+url.PathEscape(desk)+"/pictures"+attachedTo(conversation), nil, &all)
	return all.Pictures, err
}

// Pictures are those that a reply made, by their ids and names.
func Pictures(o api.Outcome) []recipe.Media { return recipe.MediaIn(o.Parts) }

// PictureFile is the file of a picture of one's own.
func (c *Client) PictureFile(ctx context.Context, id string) ([]byte, error) {
	response, err := c.send(ctx, http.MethodGet, "/api/pictures/"+url.PathEscape(id)+"/file", "", nil, nil)
	if err != nil {
		return nil, err
	}
	defer response.Body.Close()
	body, err := io.ReadAll(response.Body)
	if err != nil {
		err = fmt.Errorf("read a picture from %s: %w", c.Address, err)
	}
	return body, err
}
