package outside

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strings"
	"time"
)

// Web calls the hosts that the owner has named.
type Web struct {
	hosts  []string
	client *http.Client
}

const (
	longestAnswer = 16 << 20
	mostRedirects = 5
	// patience is how long an address may take where the step sets no limit.
	patience = time.Minute
)

// NewWeb allows hosts: HOST for the usual ports, or HOST:PORT. It follows
// redirects to none but them.
func NewWeb(hosts []string) *Web {
	w := &Web{hosts: hosts}
	w.client = &http.Client{Timeout: patience, CheckRedirect: func(r *http.Request, via []*http.Request) error {
		if len(via) >= mostRedirects {
			return fmt.Errorf("it leads on more than %d times", mostRedirects)
		}
		return w.allowed(r.URL)
	}}
	return w
}

func (w *Web) allowed(u *url.URL) error {
	host, port := strings.ToLower(u.Hostname()), u.Port()
	usual := port == "" || u.Scheme == "http" && port == "80" || u.Scheme == "https" && port == "443"
	for _, h := range w.hosts {
		if h = strings.ToLower(h); h == host && usual || h == net.JoinHostPort(host, port) {
			return nil
		}
	}
	return fmt.Errorf("%s may not be called; the service is started with the hosts that may (-reach)", u.Host)
}

// Call calls an address. Headers whose value is env:NAME carry what the
// environment variable holds; it shows in no error.
func (w *Web) Call(ctx context.Context, method, address string, headers map[string]string, body []byte) (int, []byte, error) {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || u.User != nil {
		return 0, nil, errors.New("the address is none that can be called")
	}
	if err := w.allowed(u); err != nil {
		return 0, nil, err
	}
	request, err := http.NewRequestWithContext(ctx, method, address, bytes.NewReader(body))
	if err != nil {
		return 0, nil, errors.New("the address is none that can be called")
	}
	request.Header.Set("User-Agent", "Juvalogos")
	if body != nil {
		request.Header.Set("Content-Type", "application/json")
	}
	var secrets []string
	for name, value := range headers {
		if variable, ok := strings.CutPrefix(value, "env:"); ok {
			if value = os.Getenv(variable); value == "" {
				return 0, nil, fmt.Errorf("the environment variable %s is not set; set it and start again", variable)
			}
			secrets = append(secrets, value)
		}
		request.Header.Set(name, value)
	}
	response, err := w.client.Do(request)
	if err != nil {
		if ctx.Err() != nil {
			return 0, nil, context.Cause(ctx)
		}
		return 0, nil, fmt.Errorf("%s does not answer: %w", u.Host, innermost(err))
	}
	defer response.Body.Close()
	answer, err := io.ReadAll(io.LimitReader(response.Body, longestAnswer+1))
	switch {
	case err != nil:
		return 0, nil, fmt.Errorf("%s stopped in the middle of its answer: %w", u.Host, innermost(err))
	case len(answer) > longestAnswer:
		return 0, nil, fmt.Errorf("%s answers with more than %d bytes", u.Host, longestAnswer)
	}
	for _, secret := range slices.Compact(secrets) {
		answer = bytes.ReplaceAll(answer, []byte(secret), []byte("(secret)"))
	}
	return response.StatusCode, answer, nil
}

// innermost strips the address and the verb that net/http wraps round errors.
func innermost(err error) error {
	for {
		inner := errors.Unwrap(err)
		if inner == nil {
			return err
		}
		err = inner
	}
}
