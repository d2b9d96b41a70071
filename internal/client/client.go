// Package client talks to a running Juvalogos over its HTTP API. The command line,
// the demo and the tests use it.
//
// Load finds out where the service is and which token to show it, from what is
// given, the environment, and the user's file. Answers are the types of package
// api, which are generated from the description of the API.
//
//	c, err := client.Load("", "", client.UserFile(), os.Getenv)
//	outcome, err := c.Ask(ctx, client.Question{Desk: "hive-helper", Text: "What is a swarm?"},
//		client.Follower{Text: func(s string) { fmt.Print(s) }})
//
// Every call can fail in three ways: with *Unreachable if nobody answers at the
// address, with *Problem if the service answers that it will not, which holds
// the sentence to show and a code to act upon, and with the context's error.
package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"

	"juvalogos/core/yamlfile"
)

// Client is a way to a service. The zero HTTP means http.DefaultClient.
type Client struct {
	Address string // like http://127.0.0.1:7117, with the base path if there is one
	Token   string // may be empty: then the caller is a visitor
	HTTP    *http.Client
}

// Problem is an error that the service told us.
type Problem struct {
	Status   int               `json:"status"`
	Detail   string            `json:"detail"`
	Code     string            `json:"code"`
	ID       string            `json:"id"`
	Problems yamlfile.Problems `json:"problems"`
}

func (p *Problem) Error() string {
	if len(p.Problems) > 0 {
		return p.Problems.Error()
	}
	if p.ID != "" {
		return fmt.Sprintf("%s (%s)", p.Detail, p.ID)
	}
	return p.Detail
}

// Unreachable is the error of a service that does not answer at all.
type Unreachable struct {
	Address string
	Err     error
}

func (e *Unreachable) Error() string {
	for inner := errors.Unwrap(e.Err); inner != nil; inner = errors.Unwrap(e.Err) {
		e.Err = inner
	}
	return fmt.Sprintf("no Juvalogos answers at %s (%v); start it with \"juvalogos start\", or give its address with "+
		"-address", e.Address, e.Err)
}

func (e *Unreachable) Unwrap() error { return e.Err }

func (c *Client) http() *http.Client {
	if c.HTTP != nil {
		return c.HTTP
	}
	return http.DefaultClient
}

// send makes a request and returns its answer, or the problem it holds.
func (c *Client) send(ctx context.Context, method, path, contentType string, body []byte,
	header http.Header) (*http.Response, error) {
	return c.stream(ctx, method, path, contentType, bytes.NewReader(body), header)
}

// stream sends a body while it is read.
func (c *Client) stream(ctx context.Context, method, path, contentType string, body io.Reader,
	header http.Header) (*http.Response, error) {
	request, err := http.NewRequestWithContext(ctx, method, strings.TrimRight(c.Address, "/")+path, body)
	if err != nil {
		return nil, fmt.Errorf("the address %q cannot be used: %w", c.Address, err)
	}
	for name, values := range header {
		request.Header[name] = values
	}
	if contentType != "" {
		request.Header.Set("Content-Type", contentType)
	}
	if c.Token != "" {
		request.Header.Set("Authorization", "Bearer "+c.Token)
	}
	response, err := c.http().Do(request)
	if err != nil {
		if ctx.Err() != nil {
			return nil, context.Cause(ctx)
		}
		return nil, &Unreachable{c.Address, err}
	}
	if response.StatusCode < 300 {
		return response, nil
	}
	defer response.Body.Close()
	text, _ := io.ReadAll(io.LimitReader(response.Body, 1<<20))
	p := &Problem{}
	if json.Unmarshal(text, p) != nil || p.Detail == "" {
		p.Detail = fmt.Sprintf("%s answers %s, which is not what a Juvalogos says; check the address", c.Address,
			response.Status)
	}
	p.Status = response.StatusCode
	return nil, p
}

// call sends and reads JSON; nil for in or out means none.
func (c *Client) call(ctx context.Context, method, path string, in, out any) error {
	var body []byte
	if in != nil {
		var err error
		if body, err = json.Marshal(in); err != nil {
			return err
		}
	}
	return c.receive(ctx, method, path, "application/json", body, out)
}

func (c *Client) receive(ctx context.Context, method, path, contentType string, body []byte, out any) error {
	response, err := c.send(ctx, method, path, contentType, body, http.Header{"Accept": {"application/json"}})
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if out == nil {
		return nil
	}
	if err := json.NewDecoder(response.Body).Decode(out); err != nil {
		return fmt.Errorf("read the answer of %s: %w", c.Address, err)
	}
	return nil
}

// file returns an answer as it is.
func (c *Client) file(ctx context.Context, path string) ([]byte, error) {
	response, err := c.send(ctx, http.MethodGet, path, "", nil, nil)
	if err != nil {
		return nil, err
	}
	defer response.Body.Close()
	return io.ReadAll(response.Body)
}
