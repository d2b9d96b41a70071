package modelserver

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"time"
)

// Control changes how the server behaves, for demos and tests. It is set for
// all requests by POST /admin/control, or for one by headers: X-Standin-Fault,
// X-Standin-First-Ms, X-Standin-Rate, X-Standin-Tokens.
type Control struct {
	// Fault is what goes wrong: unauthorized, busy, waking, broken, slow-start, cut,
	// malformed, too-long, silent. Empty: nothing.
	Fault string `json:"fault"`
	// Times is for how many requests; 0 for all.
	Times int `json:"times"`
	// After is how many tokens come before cut and malformed.
	After int `json:"after"`
	// RetryAfter is what busy asks for, in seconds.
	RetryAfter float64 `json:"retry_after"`
	// Model limits the control to one model; empty means all.
	Model string `json:"model"`
	// FirstMS is the time to the first token in milliseconds; nil means the
	// model's own.
	FirstMS *float64 `json:"first_ms"`
	// Rate is tokens per second; 0 as fast as possible, nil the model's own.
	Rate *float64 `json:"rate"`
	// Tokens is the exact length of replies; 0 leaves it to the reply.
	Tokens int `json:"tokens"`
}

// slowStart is how long a request waits that was given the fault slow-start.
const slowStart = 4 * time.Second

func (c Control) first(m model) time.Duration {
	if c.Fault == "slow-start" {
		return slowStart
	}
	if c.FirstMS != nil {
		return time.Duration(*c.FirstMS * float64(time.Millisecond))
	}
	return m.first
}

func (c Control) gap(m model) time.Duration {
	switch {
	case c.Rate == nil:
		return m.gap
	case *c.Rate <= 0:
		return 0
	}
	return time.Duration(float64(time.Second) / *c.Rate)
}

// refused answers requests whose fault comes before the first token.
func (c Control) refused(w http.ResponseWriter, r *http.Request) bool {
	switch c.Fault {
	case "unauthorized":
		refuse(w, http.StatusUnauthorized, "invalid_api_key", "Simulated: the key "+r.Header.Get("Authorization")+
			" is refused.")
	case "busy":
		if c.RetryAfter > 0 {
			w.Header().Set("Retry-After", strconv.FormatFloat(c.RetryAfter, 'f', -1, 64))
		}
		refuse(w, http.StatusTooManyRequests, "rate_limit_exceeded", "Simulated: too many requests.")
	case "waking":
		refuse(w, http.StatusServiceUnavailable, "unavailable", "Simulated: loading model.")
	case "broken":
		refuse(w, http.StatusInternalServerError, "server_error", "Simulated: something broke.")
	case "too-long":
		refuse(w, http.StatusBadRequest, "context_length_exceeded", "Simulated: the prompt is too long.")
	case "silent":
		<-r.Context().Done()
	default:
		return false
	}
	return true
}

// breaks ends a stream in the middle if it is to.
func (c Control) breaks(w http.ResponseWriter, sent int) bool {
	if sent < c.After {
		return false
	}
	switch c.Fault {
	case "malformed":
		fmt.Fprint(w, "data: {\"choices\":[{\"delta\":{\"content\":\"oh\n\n")
	case "cut":
		panic(http.ErrAbortHandler) // drops the connection
	default:
		return false
	}
	return true
}

// take returns the control for one request and counts it.
func (s *Server) take(r *http.Request, model string) Control {
	s.mu.Lock()
	defer s.mu.Unlock()
	c := s.control
	if c.Model != "" && c.Model != model {
		c = Control{}
	}
	if c.Fault != "" && c.Times > 0 {
		if s.control.Times--; s.control.Times == 0 {
			s.control.Fault = ""
		}
	}
	if fault := r.Header.Get("X-Standin-Fault"); fault != "" {
		c.Fault = fault
	}
	if ms, err := strconv.ParseFloat(r.Header.Get("X-Standin-First-Ms"), 64); err == nil {
		c.FirstMS = &ms
	}
	if rate, err := strconv.ParseFloat(r.Header.Get("X-Standin-Rate"), 64); err == nil {
		c.Rate = &rate
	}
	if n, err := strconv.Atoi(r.Header.Get("X-Standin-Tokens")); err == nil {
		c.Tokens = n
	}
	return c
}

func (s *Server) showControl(w http.ResponseWriter, _ *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(map[string]any{"control": s.control, "requests": s.requests})
}

func (s *Server) setControl(w http.ResponseWriter, r *http.Request) {
	var c Control
	if err := json.NewDecoder(r.Body).Decode(&c); err != nil {
		refuse(w, http.StatusBadRequest, "invalid_request", err.Error())
		return
	}
	s.Set(c)
	w.WriteHeader(http.StatusNoContent)
}

// Set puts a control into force.
func (s *Server) Set(c Control) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.control = c
}

// Requests is how many completions were answered.
func (s *Server) Requests() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.requests
}

// Embedded is how many texts were embedded so far.
func (s *Server) Embedded() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.embedded
}
