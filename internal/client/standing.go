package client

import (
	"context"
	"net/http"
	"net/url"

	"juvalogos/internal/api"
)

// Standing are the replies that a desk keeps current. now has it looked at once whether what
// they are made of has changed, and waits until they are made anew.
func (c *Client) Standing(ctx context.Context, slug string, now bool) ([]api.Standing, error) {
	method := http.MethodGet
	if now {
		method = http.MethodPost
	}
	var list api.StandingList
	err := c.call(ctx, method, "/api/desks/"+url.PathEscape(slug)+"/standing", nil, &list)
	return list.Standing, err
}
