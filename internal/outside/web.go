package outside

import (
	"context"
	"fmt"
	"net/http"
	"os"
	"strings"
	"time"

	"juvalogos/internal/reach"
	"juvalogos/internal/vault"
)

// Web calls the hosts that the owner has named, for steps of recipes.
type Web struct {
	client     *reach.Client
	references vault.References
}

const (
	longestAnswer = 16 << 20
	// patience is how long an address may take where the step sets no limit.
	patience = time.Minute
)

// NewWeb allows hosts: HOST for the usual ports, or HOST:PORT, and the keys that
// headers may name. It follows redirects to none but them.
func NewWeb(hosts []string, references vault.References) *Web {
	return &Web{reach.New(reach.Named(hosts), longestAnswer, patience), references}
}

// Call calls an address. Headers whose value is env:NAME carry what the
// environment variable holds; it shows in no error and in no answer.
func (w *Web) Call(ctx context.Context, method, address string, headers map[string]string, body []byte) (int, []byte,
	error) {
	header := http.Header{}
	if body != nil {
		header.Set("Content-Type", "application/json")
	}
	var secrets []string
	for name, value := range headers {
		if variable, ok := strings.CutPrefix(value, "env:"); ok {
			if err := w.references.Allow(value); err != nil {
				return 0, nil, err
			}
			if value = os.Getenv(variable); value == "" {
				return 0, nil, fmt.Errorf("the environment variable %s is not set; set it and start again", variable)
			}
			secrets = append(secrets, value)
		}
		header.Set(name, value)
	}
	got, err := w.client.Do(ctx, reach.Request{Method: method, Address: address, Header: header, Body: body})
	if err != nil {
		return 0, nil, err
	}
	answer := got.Body
	if len(secrets) > 0 {
		answer = []byte(vault.Hide(string(answer), secrets...))
	}
	return got.Status, answer, nil
}
