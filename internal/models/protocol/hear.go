package protocol

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"

	"juvalogos/core/recipe"
	"juvalogos/core/sound"
	"juvalogos/internal/models"
)

// Sound: what the protocol has beside chat, /audio/transcriptions and
// /audio/translations for spoken words, /audio/speech for words that are to be spoken.

// answersIn are the forms in which spoken words come back, the fullest first.
const fullest = "verbose_json"

// plainer remembers which models do not give the fullest answer.
type plainer struct{ sync.Map }

// hear asks for the words of a sound.
func (c *Client) hear(ctx context.Context, r models.Request, to models.Sink) (models.Result, error) {
	form := r.Answers
	if form == "" {
		form = fullest
		if _, plain := c.plainer.Load(r.Model); plain {
			form = "json"
		}
	}
	result, err := c.hearIn(ctx, r, form, to)
	var failure *models.Error
	if r.Answers == "" && form == fullest && errors.As(err, &failure) && failure.Status == http.StatusBadRequest {
		if result, plainly := c.hearIn(ctx, r, "json", to); plainly == nil {
			c.plainer.Store(r.Model, true)
			return result, nil
		}
	}
	return result, err
}

func (c *Client) hearIn(ctx context.Context, r models.Request, form string, to models.Sink) (models.Result, error) {
	fields := map[string]any{"model": r.Model, "response_format": form}
	address := "/audio/transcriptions"
	if r.Hear.Translate {
		address = "/audio/translations"
	} else if r.Hear.Language != "" {
		fields["language"] = r.Hear.Language
	}
	if r.Hear.Prompt != "" {
		fields["prompt"] = r.Hear.Prompt
	}
	if r.Sampling.Temperature != nil {
		fields["temperature"] = *r.Sampling.Temperature
	}
	lists := map[string][]string{}
	if form == fullest && !r.Hear.Translate {
		lists["timestamp_granularities[]"] = []string{"segment"}
		if r.Hear.Words {
			lists["timestamp_granularities[]"] = []string{"word", "segment"}
		}
	}
	text, err := json.Marshal(fields)
	if err == nil && !r.Manners.Plain() {
		text, err = mannerly(text, r.Manners)
	}
	var k call
	if err == nil {
		k, err = formCall(text, lists, map[string]*recipe.Media{"file": &r.Files[0]})
	}
	if err != nil {
		return models.Result{}, c.failure(r.Model, models.Unsupported, 0, err.Error())
	}
	k.address, k.told = c.connection.Address+address, to.Exchanged
	body, kind, result, err := c.whole(ctx, r, k, to)
	if err != nil {
		return result, err
	}
	heard, tokens, err := readHeard(body, kind, form)
	if err != nil {
		return result, c.broken(ctx, r.Model, err)
	}
	result.PromptTokens, result.ReplyTokens = tokens[0], tokens[1]
	hand(to, heard)
	return result, nil
}

// hand gives what was heard to those who listen.
func hand(to models.Sink, h sound.Heard) {
	if to.Heard != nil {
		to.Heard(h)
	}
	if to.Text != nil && h.Text != "" {
		to.Text([]byte(h.Text))
	}
}

// readHeard reads an answer in the form that was asked for, or in the one that it has.
func readHeard(body []byte, kind, form string) (h sound.Heard, tokens [2]int, err error) {
	text := strings.TrimSpace(string(bytes.TrimPrefix(body, []byte("\xEF\xBB\xBF"))))
	if strings.HasPrefix(text, "{") || strings.HasPrefix(text, `"`) || strings.Contains(kind, "json") {
		if h, err = sound.ReadHeard([]byte(text)); err != nil {
			return h, tokens, &garbled{"the answer is not JSON but " + firstOf(pageOr(body), "something else") + ": " +
				shorten(body)}
		}
		var rest struct {
			Error json.RawMessage `json:"error"`
			Usage struct {
				Input  int `json:"input_tokens"`
				Output int `json:"output_tokens"`
			} `json:"usage"`
		}
		_ = json.Unmarshal([]byte(text), &rest)
		if len(rest.Error) > 0 && string(rest.Error) != "null" {
			return h, tokens, readTold(body)
		}
		return h, [2]int{rest.Usage.Input, rest.Usage.Output}, nil
	}
	if page := pageOr(body); page != "" || strings.Contains(kind, "text/html") {
		return h, tokens, &garbled{"the answer is " + firstOf(page, "a page") + ": " + shorten(body)}
	}
	if cues := sound.ReadCues(text); form == "srt" || form == "vtt" || strings.HasPrefix(text, "WEBVTT") &&
		len(cues) > 0 {
		var all []string
		for _, c := range cues {
			all = append(all, c.Text)
		}
		return sound.Heard{Text: strings.Join(all, " "), Sentences: cues}, tokens, nil
	}
	return sound.Heard{Text: text}, tokens, nil
}

// say asks for words that are spoken.
func (c *Client) say(ctx context.Context, r models.Request, to models.Sink) (models.Result, error) {
	fields := map[string]any{"model": r.Model, "input": r.Say.Text, "voice": r.Say.Voice,
		"response_format": cmp.Or(r.Say.Kind, "mp3")}
	if r.Say.Voice == "" {
		delete(fields, "voice")
	}
	if r.Say.Speed > 0 && r.Say.Speed != 1 {
		fields["speed"] = r.Say.Speed
	}
	text, err := json.Marshal(fields)
	if err == nil && !r.Manners.Plain() {
		text, err = mannerly(text, r.Manners)
	}
	if err != nil {
		return models.Result{}, c.failure(r.Model, models.Unsupported, 0, err.Error())
	}
	body, kind, result, err := c.whole(ctx, r, call{method: http.MethodPost, kind: "application/json", body: text,
		address: c.connection.Address + "/audio/speech", told: to.Exchanged}, to)
	if err != nil {
		return result, err
	}
	of, known := sound.KindOf(body)
	switch {
	case known:
		kind = of.Media
	case strings.Contains(kind, "json"):
		return result, c.broken(ctx, r.Model, readTold(body))
	default:
		return result, c.failure(r.Model, models.Garbled, 0, "the answer is no sound but "+
			firstOf(pageOr(body), cmp.Or(kind, "something else"))+": "+shorten(body))
	}
	if to.File != nil {
		to.File(recipe.Media{Kind: kind, Body: body})
	}
	return result, nil
}

// whole sends a request and returns all that is answered, with its media type.
func (c *Client) whole(ctx context.Context, r models.Request, k call, to models.Sink) (body []byte, kind string,
	result models.Result, err error) {
	response, err := c.do(ctx, k)
	if err != nil {
		return nil, "", result, c.unsent(ctx, r.Model, err)
	}
	defer response.Body.Close()
	if pace, said := paceOf(response.Header); said && to.Pace != nil {
		to.Pace(pace)
	}
	if response.StatusCode < 200 || response.StatusCode > 299 {
		return nil, "", result, c.refusal(r.Model, response)
	}
	body, err = io.ReadAll(io.LimitReader(response.Body, longestAnswer+1))
	if err == nil && len(body) > longestAnswer {
		err = &garbled{fmt.Sprintf("the answer has more than %d MB", longestAnswer>>20)}
	}
	if err != nil {
		return nil, "", result, c.broken(ctx, r.Model, err)
	}
	return body, strings.ToLower(response.Header.Get("Content-Type")), result, nil
}
