package client

import (
	"context"
	"io"
	"net/http"
	"net/url"
	"strconv"

	"juvalogos/internal/api"
)

// Recordings of conversations.

// GiveRecording gives a recording to a conversation of one's own at a desk; "" is one
// that begins with it. The error is a *Problem if the desk takes none; a recording that
// was not taken is among those refused.
func (c *Client) GiveRecording(ctx context.Context, desk, conversation, name string, body io.Reader) (
	given api.RecordingsGiven, err error) {
	err = c.upload(ctx, "/api/at/"+url.PathEscape(desk)+"/recordings"+attachedTo(conversation), name, body, &given)
	return given, err
}

// BeginRecording has a recording written down.
func (c *Client) BeginRecording(ctx context.Context, desk, id string, w api.RecordingWishes) (r api.Recording,
	err error) {
	err = c.call(ctx, http.MethodPost, "/api/at/"+url.PathEscape(desk)+"/recordings/"+url.PathEscape(id)+"/begin", w,
		&r)
	return r, err
}

// Recording is a recording with its words; with a version that was seen, once there is a
// newer one, or after a while.
func (c *Client) Recording(ctx context.Context, id string, seen int64) (r api.RecordingWhole, err error) {
	path := "/api/recordings/" + url.PathEscape(id)
	if seen > 0 {
		path += "?seen=" + strconv.FormatInt(seen, 10)
	}
	err = c.call(ctx, http.MethodGet, path, nil, &r)
	return r, err
}

// WrittenDown waits until a recording is written down, and tells how far it is.
func (c *Client) WrittenDown(ctx context.Context, id string, follow func(api.RecordingWhole)) (r api.RecordingWhole,
	err error) {
	for seen := int64(0); ; seen = r.Recording.Version {
		if r, err = c.Recording(ctx, id, seen); err != nil {
			return r, err
		}
		follow(r)
		if r.Recording.State != api.RecordingStateWorking {
			return r, nil
		}
	}
}

// StopRecording stops writing a recording down; what was heard stays.
func (c *Client) StopRecording(ctx context.Context, id string) error {
	return c.call(ctx, http.MethodPost, "/api/recordings/"+url.PathEscape(id)+"/stop", nil, nil)
}

// RecordingText is what is said in a recording, as text, srt, vtt or json.
func (c *Client) RecordingText(ctx context.Context, id, as string) ([]byte, error) {
	return c.file(ctx, "/api/recordings/"+url.PathEscape(id)+"/text?as="+url.QueryEscape(as))
}

// RecordingInside is how a recording of one's own was written down, for makers.
func (c *Client) RecordingInside(ctx context.Context, id string) (in api.RecordingInside, err error) {
	err = c.call(ctx, http.MethodGet, "/api/recordings/"+url.PathEscape(id)+"/inside", nil, &in)
	return in, err
}
