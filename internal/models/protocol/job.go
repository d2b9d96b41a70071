package protocol

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"juvalogos/core/jsontext"
	"juvalogos/core/prompt"
	"juvalogos/core/templates"
	"juvalogos/internal/models"
)

// Jobs: answers that name an address that is asked until the reply is done.

// jobTemplates are a job's addresses where they are not places in the answer.
type jobTemplates struct{ address, cancel *templates.Sheet }

func newJobTemplates(j models.Job) (jobTemplates, error) {
	var t jobTemplates
	for text, into := range map[string]**templates.Sheet{j.Address: &t.address, j.Cancel: &t.cancel} {
		if !strings.Contains(text, "{{") {
			if err := jsontext.CheckPointer(text); err != nil {
				return t, err
			}
			continue
		}
		sheet, err := templates.Parse("job", text, sendable)
		if err != nil {
			return t, err
		}
		*into = &sheet
	}
	for _, place := range []string{j.State, j.Progress} {
		if err := jsontext.CheckPointer(place); err != nil {
			return t, err
		}
	}
	return t, nil
}

const (
	usualEvery = time.Second
	longestNap = 30 * time.Second
	// mostAway is how often in a row a job may not be there to be asked for.
	mostAway = 5
	// cancelLimit is how long telling a server that a job is not wanted may take.
	cancelLimit = 5 * time.Second
)

// addressOf is an address that an answer names: at a place, or by a template. It must
// be the server's own: the key goes along.
func (a *answering) addressOf(ctx context.Context, place string, sheet *templates.Sheet, answer any) (*url.URL, error) {
	text := ""
	if sheet != nil {
		filled, err := templates.Fill(ctx, *sheet, map[string]any{"answer": answer}, prompt.Estimate{})
		if err != nil {
			return nil, err
		}
		if text = strings.TrimSpace(filled); strings.HasPrefix(text, "/") {
			text = a.connection.Address + text
		}
	} else if v, ok := jsontext.At(answer, place); ok {
		text = textOf(v)
	}
	if text == "" {
		shown, _ := json.Marshal(answer)
		return nil, &garbled{fmt.Sprintf("the answer names no job at %s: %s", place, shorten(shown))}
	}
	u, err := a.address.Parse(text)
	if err != nil || u.Scheme != a.address.Scheme || u.Host != a.address.Host {
		return nil, &garbled{"the job is at another address, " + shorten([]byte(text)) + ", which is not asked"}
	}
	return u, nil
}

// follow asks for a job until it is done, and takes its reply. A job that is not
// wanted any more is cancelled, if the server lets one.
func (a *answering) follow(ctx context.Context, answer any) error {
	job := a.how.Job
	at, err := a.addressOf(ctx, job.Address, a.job.address, answer)
	if err != nil {
		return err
	}
	every := job.Every
	if every == 0 {
		every = usualEvery
	}
	first, away := answer, 0
	for {
		state := ""
		if v, ok := jsontext.At(answer, job.State); ok {
			state = textOf(v)
		}
		switch {
		case slices.Contains(job.Done, state):
			return a.take(ctx, answer)
		case slices.Contains(job.Failed, state):
			message := "the job ended with " + strconv.Quote(state)
			if v, ok := jsontext.At(answer, a.how.Error); ok && a.how.Error != "" && textOf(v) != "" {
				message = textOf(v)
			}
			return &told{message: message}
		}
		a.progress(answer, state)
		nap := every
		next, err := a.look(ctx, at)
		var failure *models.Error
		switch {
		case err == nil:
			answer, away = next, 0
			if v, ok := jsontext.At(answer, job.State); ok && slices.Contains(job.Done, textOf(v)) {
				continue
			}
		case ctx.Err() == nil && errors.As(err, &failure) && failure.MayPass() && away < mostAway:
			away++
			nap = min(max(every, failure.RetryAfter), longestNap)
		case ctx.Err() == nil:
			return err
		}
		select {
		case <-ctx.Done():
			a.cancelJob(context.WithoutCancel(ctx), first)
			return context.Cause(ctx)
		case <-time.After(nap):
		}
	}
}

// progress tells how far a job is.
func (a *answering) progress(answer any, state string) {
	a.silence.heard.Store(true)
	if a.to.Progress == nil {
		return
	}
	p := models.Progress{Says: state}
	if v, ok := jsontext.At(answer, a.how.Job.Progress); ok && a.how.Job.Progress != "" {
		switch v := v.(type) {
		case float64:
			if p.Done = v; v > 1 {
				p.Done = min(v/100, 1)
			}
		case string:
			if n, err := strconv.ParseFloat(strings.TrimSuffix(strings.TrimSpace(v), "%"), 64); err == nil {
				if p.Done = n; strings.Contains(v, "%") || n > 1 {
					p.Done = min(n/100, 1)
				}
			} else {
				p.Says = v
			}
		}
	}
	a.to.Progress(p)
}

// look asks for the job once.
func (a *answering) look(ctx context.Context, at *url.URL) (any, error) {
	response, err := a.do(ctx, call{method: http.MethodGet, address: at.String(), headers: a.how.Headers,
		told: a.to.Exchanged})
	if err != nil {
		return nil, a.unsent(ctx, a.model, err)
	}
	defer response.Body.Close()
	if err := a.refused(response); err != nil {
		return nil, err
	}
	return a.json(response.Body)
}

// cancelJob tells the server that the job is not wanted any more.
func (a *answering) cancelJob(ctx context.Context, first any) {
	job := a.how.Job
	if job.Cancel == "" {
		return
	}
	ctx, cancel := context.WithTimeout(ctx, cancelLimit)
	defer cancel()
	at, err := a.addressOf(ctx, job.Cancel, a.endpoint.job.cancel, first)
	if err != nil {
		return
	}
	response, err := a.do(ctx, call{method: firstOf(job.CancelBy, http.MethodPost), address: at.String(),
		headers: a.how.Headers})
	if err == nil {
		response.Body.Close()
	}
}
