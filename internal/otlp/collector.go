package otlp

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/url"
	"strings"
	"time"

	"juvalogos/core/recipe"
	"juvalogos/internal/record"
)

// Collector sends traces to an OpenTelemetry collector over HTTP, in the
// background and in batches. What cannot be sent is dropped after a while:
// replies never wait for it.
type Collector struct {
	address string
	log     *slog.Logger
	traces  chan Trace
	client  *http.Client
}

const (
	mostWaiting = 1000
	batch       = 50
	gather      = time.Second
	sendTries   = 4
)

// NewCollector checks the address, like http://host:4318; run Run. It fails if
// the address cannot be used, or the file cannot be opened.
func NewCollector(address string, log *slog.Logger) (*Collector, error) {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
		return nil, fmt.Errorf("the collector's address %q must look like http://host:4318", address)
	}
	if !strings.HasSuffix(u.Path, "/v1/traces") {
		u = u.JoinPath("v1", "traces")
	}
	return &Collector{address: u.String(), log: log, traces: make(chan Trace, mostWaiting),
		client: &http.Client{Timeout: 10 * time.Second}}, nil
}

// Collect takes a trace to be sent; it never blocks.
func (c *Collector) Collect(t record.Trace, spans []recipe.Span) {
	select {
	case c.traces <- Trace{t, spans}:
	default:
		c.log.Warn("a trace is not exported: the collector is too slow or away")
	}
}

// Run sends until ctx ends, and then what is left, once.
func (c *Collector) Run(ctx context.Context) {
	for {
		var waiting []Trace
		select {
		case <-ctx.Done():
			if waiting = c.take(waiting); len(waiting) > 0 {
				last, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
				_ = c.send(last, waiting)
				cancel()
			}
			return
		case t := <-c.traces:
			waiting = append(waiting, t)
		}
		select {
		case <-ctx.Done():
		case <-time.After(gather):
		}
		c.deliver(ctx, c.take(waiting))
	}
}

func (c *Collector) take(waiting []Trace) []Trace {
	for len(waiting) < batch {
		select {
		case t := <-c.traces:
			waiting = append(waiting, t)
		default:
			return waiting
		}
	}
	return waiting
}

func (c *Collector) deliver(ctx context.Context, traces []Trace) {
	wait := 500 * time.Millisecond
	for try := 1; ; try++ {
		err := c.send(context.WithoutCancel(ctx), traces)
		if err == nil {
			return
		}
		if try == sendTries || ctx.Err() != nil {
			c.log.Warn("traces are not exported", "traces", len(traces), "error", err)
			return
		}
		select {
		case <-ctx.Done():
		case <-time.After(wait):
		}
		wait *= 2
	}
}

func (c *Collector) send(ctx context.Context, traces []Trace) error {
	body, err := json.Marshal(Export(traces))
	if err != nil {
		return err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, c.address, bytes.NewReader(body))
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", "application/json")
	response, err := c.client.Do(request)
	if err != nil {
		return err
	}
	defer response.Body.Close()
	said, _ := io.ReadAll(io.LimitReader(response.Body, 200))
	if response.StatusCode >= 300 {
		return fmt.Errorf("the collector answers with status %d: %s", response.StatusCode, said)
	}
	return nil
}
