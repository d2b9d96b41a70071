package protocol

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"time"

	"juvalogos/core/prompt"
	"juvalogos/internal/models"
)

// Client is a models.Client for one connection.
type Client struct {
	connection models.Connection
	key        models.Secret
	http       *http.Client
}

// longestError is how many bytes of a server's error are read, and longestDetail how
// many characters of what it says are kept.
const (
	longestError  = 16 << 10
	longestDetail = 500
)

var _ = register("chat-completions", NewChatCompletions)

// NewChatCompletions returns a client; it is a models.Protocol.
func NewChatCompletions(c models.Connection, key models.Secret) models.Client {
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.MaxIdleConnsPerHost = 512
	transport.MaxIdleConns = 0
	transport.DisableCompression = true
	// Both are held as long as a reply streams, and there may be thousands.
	transport.ReadBufferSize, transport.WriteBufferSize = 1<<10, 1<<10
	transport.DialContext = dial
	transport.ForceAttemptHTTP2 = strings.HasPrefix(c.Address, "https:")
	return &Client{connection: c, key: key, http: &http.Client{Transport: transport, CheckRedirect: sameOrigin}}
}

// sameOrigin follows redirects that stay with the server, and no others: the key and
// the question were meant for it alone.
func sameOrigin(r *http.Request, via []*http.Request) error {
	if from := via[0].URL; r.URL.Scheme != from.Scheme || r.URL.Host != from.Host {
		return fmt.Errorf("it leads to another address, %s://%s, which is not followed; if that is right, write it in "+
			"the connection", r.URL.Scheme, r.URL.Host)
	}
	if len(via) > 5 {
		return errors.New("it leads from one address to another without end")
	}
	return nil
}

type body struct {
	Model         string           `json:"model"`
	Messages      []prompt.Message `json:"messages"`
	Stream        bool             `json:"stream"`
	StreamOptions struct {
		IncludeUsage bool `json:"include_usage"`
	} `json:"stream_options"`
	Temperature *float64 `json:"temperature,omitempty"`
	TopP        *float64 `json:"top_p,omitempty"`
	MaxTokens   int      `json:"max_tokens,omitempty"`
	Stop        []string `json:"stop,omitempty"`
	Seed        *int     `json:"seed,omitempty"`
	Format      *format  `json:"response_format,omitempty"`
}

// format asks for JSON that fits a schema.
type format struct {
	Type   string `json:"type"`
	Schema struct {
		Name   string `json:"name"`
		Schema any    `json:"schema"`
	} `json:"json_schema"`
}

// Generate asks for one reply and hands over its text as it comes.
func (c *Client) Generate(ctx context.Context, r models.Request, text func([]byte)) (models.Result, error) {
	b := body{
		Model: r.Model, Messages: r.Messages, Stream: true,
		Temperature: r.Sampling.Temperature, TopP: r.Sampling.TopP,
		MaxTokens: r.Sampling.MaxTokens, Stop: r.Sampling.Stop, Seed: r.Sampling.Seed,
	}
	b.StreamOptions.IncludeUsage = true
	if r.Schema != nil {
		b.Format = &format{Type: "json_schema"}
		b.Format.Schema.Name, b.Format.Schema.Schema = "reply", r.Schema
	}
	payload, err := json.Marshal(b)
	if err != nil {
		return models.Result{}, err
	}
	fail := func(kind models.ErrorKind, status int, detail string) *models.Error {
		return &models.Error{Kind: kind, Entry: c.connection.Name + "/" + r.Model, Status: status,
			Detail: c.detail(detail)}
	}

	// A silent server is given up.
	errSilent := fail(models.Silent, 0, fmt.Sprintf("silent for %s", c.connection.Patience))
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	silence := listen(c.connection.Patience, func() { cancel(errSilent) })
	defer silence.stop()

	response, err := c.send(ctx, http.MethodPost, "/chat/completions", payload)
	if err != nil {
		if ctx.Err() != nil {
			return models.Result{}, context.Cause(ctx)
		}
		return models.Result{}, fail(models.Unreachable, 0, plainCause(err))
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		return models.Result{}, refusal(response, fail)
	}
	s := &stream{text: text, silence: silence}
	if strings.HasPrefix(response.Header.Get("Content-Type"), "text/event-stream") {
		err = s.events(response.Body)
	} else {
		err = s.whole(response.Body)
	}
	switch {
	case err == nil:
		return s.result, nil
	case ctx.Err() != nil:
		return s.result, context.Cause(ctx)
	}
	var told *toldError
	switch {
	case errors.As(err, &told):
		return s.result, fail(models.ServerFailed, 0, told.message)
	case errors.Is(err, errGarbled):
		return s.result, fail(models.Garbled, 0, err.Error())
	}
	return s.result, fail(models.CutOff, 0, plainCause(err))
}

// detail is what a server said, without the key and not too much of it.
func (c *Client) detail(said string) string {
	said = c.key.Hide(strings.ToValidUTF8(said, "\uFFFD"))
	if runes := []rune(said); len(runes) > longestDetail {
		said = string(runes[:longestDetail]) + "…"
	}
	return said
}

// Names lists the server's models.
func (c *Client) Names(ctx context.Context) ([]string, error) {
	ctx, cancel := context.WithTimeout(ctx, c.connection.Patience)
	defer cancel()
	fail := func(kind models.ErrorKind, status int, detail string) *models.Error {
		return &models.Error{Kind: kind, Entry: c.connection.Name, Status: status, Detail: c.detail(detail)}
	}
	response, err := c.send(ctx, http.MethodGet, "/models", nil)
	if err != nil {
		return nil, fail(models.Unreachable, 0, plainCause(err))
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		return nil, refusal(response, fail)
	}
	var list struct {
		Data []struct {
			ID string `json:"id"`
		} `json:"data"`
	}
	if err := json.NewDecoder(io.LimitReader(response.Body, 4<<20)).Decode(&list); err != nil {
		return nil, fmt.Errorf("read the list of models: %w", err)
	}
	var names []string
	for _, m := range list.Data {
		names = append(names, m.ID)
	}
	return names, nil
}

func (c *Client) send(ctx context.Context, method, path string, payload []byte) (*http.Response, error) {
	request, err := http.NewRequestWithContext(ctx, method, c.connection.Address+path, bytes.NewReader(payload))
	if err != nil {
		return nil, err
	}
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Accept", "text/event-stream, application/json")
	if key := c.key.Reveal(); key != "" {
		request.Header.Set("Authorization", "Bearer "+key)
	}
	return c.http.Do(request)
}

// loading is what servers say while they load a model.
var loading = regexp.MustCompile(`(?i)\b(loading|warming up|starting up|cold start|not (yet )?ready)\b`)

// refusal turns an answer that is not 200 into our error.
func refusal(response *http.Response, fail func(models.ErrorKind, int, string) *models.Error) error {
	text, _ := io.ReadAll(io.LimitReader(response.Body, longestError))
	var told struct {
		Error struct {
			Message string `json:"message"`
			Code    any    `json:"code"`
		} `json:"error"`
	}
	detail := strings.TrimSpace(string(text))
	if json.Unmarshal(text, &told) == nil && told.Error.Message != "" {
		detail = told.Error.Message
	}
	e := fail(models.Refused, response.StatusCode, detail)
	switch code := fmt.Sprint(told.Error.Code); {
	case response.StatusCode == http.StatusUnauthorized || response.StatusCode == http.StatusForbidden:
		e.Kind = models.KeyRefused
	case response.StatusCode == http.StatusTooManyRequests:
		e.Kind, e.RetryAfter = models.Busy, retryAfter(response.Header.Get("Retry-After"))
	case response.StatusCode == http.StatusServiceUnavailable && loading.MatchString(detail):
		e.Kind, e.RetryAfter = models.Waking, retryAfter(response.Header.Get("Retry-After"))
	case response.StatusCode >= 500:
		e.Kind, e.RetryAfter = models.ServerFailed, retryAfter(response.Header.Get("Retry-After"))
	case code == "context_length_exceeded" || response.StatusCode == http.StatusRequestEntityTooLarge:
		e.Kind = models.TooLong
	case code == "model_not_found":
		e.Kind = models.UnknownModel
	case response.StatusCode == http.StatusNotFound && strings.Contains(strings.ToLower(detail), "model"):
		e.Kind = models.UnknownModel
	case response.StatusCode == http.StatusNotFound:
		e.Kind, e.Detail = models.Garbled, "status 404"
	}
	return e
}

// retryAfter reads the header of that name: seconds, or a date (RFC 9110,
// 10.2.3).
func retryAfter(header string) time.Duration {
	if seconds, err := strconv.ParseFloat(header, 64); err == nil && seconds > 0 {
		return time.Duration(seconds * float64(time.Second))
	}
	if at, err := http.ParseTime(header); err == nil {
		return max(0, time.Until(at))
	}
	return 0
}

// plainCause strips the address and the verb that net/http wraps round errors.
func plainCause(err error) string {
	for {
		inner := errors.Unwrap(err)
		if inner == nil {
			return err.Error()
		}
		err = inner
	}
}
