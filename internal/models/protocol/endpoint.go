package protocol

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"text/template"
	"time"

	"juvalogos/core/jsontext"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/sound"
	"juvalogos/core/templates"
	"juvalogos/internal/models"
	"juvalogos/internal/sse"
)

// endpoint is a models.Client for an HTTP address of any kind: templates say what is
// sent, places in the answer where the reply is.
type endpoint struct {
	*caller
	how        models.Endpoint
	path, body templates.Sheet
	job        jobTemplates
}

var _ = register(models.EndpointWay, newEndpoint)

// Bounds of what an endpoint answers.
const (
	longestAnswer = 64 << 20
	linkLimit     = time.Minute
	// longestUsual is how many tokens a reply may have that nobody says it of.
	longestUsual = 1024
	// usualPicture is how many dots a picture is wide and high that nobody says it of.
	usualPicture = 1024
)

func newEndpoint(c models.Connection, key models.Secret) (models.Client, error) {
	if c.Endpoint == nil {
		return nil, errors.New("the connection does not say how the address is asked")
	}
	caller, err := newCaller(c, key)
	if err != nil {
		return nil, err
	}
	e := &endpoint{caller: caller, how: *c.Endpoint}
	if e.path, err = templates.Parse("path", e.how.Path, sendable); err == nil {
		e.body, err = templates.Parse("body", e.how.Body, sendable)
	}
	if err == nil && e.how.Job != nil {
		e.job, err = newJobTemplates(*e.how.Job)
	}
	if err != nil {
		return nil, fmt.Errorf("the endpoint's templates cannot be read: %w", err)
	}
	for _, place := range []string{e.how.Words, e.how.Sentences, e.how.Language, e.how.Reply, e.how.Thought,
		e.how.Finish, e.how.PromptTokens, e.how.ReplyTokens,
		e.how.Error} {
		if err := jsontext.CheckPointer(place); err != nil {
			return nil, err
		}
	}
	return e, nil
}

// sendable are further functions of templates.
var sendable = template.FuncMap{"query": url.QueryEscape, "path": url.PathEscape}

// dataOf is what templates find of a request.
func dataOf(r models.Request) map[string]any {
	var whole, brief []string
	var messages []any
	question := ""
	for _, m := range r.Messages {
		messages = append(messages, map[string]any{"role": string(m.Role), "content": m.Text})
		switch m.Role {
		case prompt.System:
			brief = append(brief, m.Text)
		case prompt.User:
			question = m.Text
		}
	}
	for _, m := range r.Messages {
		text := m.Text
		if len(messages)-len(brief) > 1 && m.Role != prompt.System { // a conversation needs to say who speaks
			text = map[prompt.Role]string{prompt.User: "User: ", prompt.Assistant: "Assistant: "}[m.Role] + text
		}
		whole = append(whole, text)
	}
	data := map[string]any{"model": r.Model, "prompt": strings.Join(whole, "\n\n"), "question": question,
		"brief": strings.Join(brief, "\n\n"), "messages": messages, "max_tokens": longestUsual,
		"temperature": 1.0, "top_p": 1.0, "seed": 0, "stop": []any{}, "effort": r.Sampling.Effort, "schema": r.Schema,
		"picture": "", "picture_kind": "", "mask": "", "sound": "", "sound_kind": "", "number": 1,
		"width":  usualPicture,
		"height": usualPicture, "language": "", "translate": false, "voice": "", "speed": 1.0}
	if m := r.Make; m != nil {
		makingOf(m, data)
	}
	if h := r.Hear; h != nil {
		data["prompt"], data["language"], data["translate"] = h.Prompt, h.Language, h.Translate
	}
	if s := r.Say; s != nil {
		data["prompt"], data["question"], data["voice"] = s.Text, s.Text, s.Voice
		data["speed"] = cmp.Or(s.Speed, 1)
	}
	if r.Sampling.MaxTokens > 0 {
		data["max_tokens"] = r.Sampling.MaxTokens
	}
	if t := r.Sampling.Temperature; t != nil {
		data["temperature"] = *t
	}
	if p := r.Sampling.TopP; p != nil {
		data["top_p"] = *p
	}
	if s := r.Sampling.Seed; s != nil {
		data["seed"] = *s
	}
	for _, s := range r.Sampling.Stop {
		data["stop"] = append(data["stop"].([]any), s)
	}
	for _, f := range r.Files {
		what := "picture"
		if strings.HasPrefix(f.Kind, "audio/") || strings.HasPrefix(f.Kind, "video/") {
			what = "sound"
		}
		if data[what] == "" {
			data[what], data[what+"_kind"] = base64.StdEncoding.EncodeToString(f.Body), f.Kind
		}
	}
	return data
}

// makingOf is what templates find of a wish for pictures.
func makingOf(m *recipe.Making, data map[string]any) {
	data["prompt"], data["question"], data["number"] = m.Words, m.Words, max(1, m.Number)
	if m.Width > 0 && m.Height > 0 {
		data["width"], data["height"] = m.Width, m.Height
	}
	if m.Seed != nil {
		data["seed"] = *m.Seed
	}
	if m.Picture != nil {
		data["picture"], data["picture_kind"] = base64.StdEncoding.EncodeToString(m.Picture.Body), m.Picture.Kind
	}
	if m.Mask != nil {
		data["mask"] = base64.StdEncoding.EncodeToString(m.Mask.Body)
	}
}

// request writes what is sent.
func (e *endpoint) request(ctx context.Context, r models.Request) (call, error) {
	data := dataOf(r)
	k := call{method: firstOf(e.how.Method, http.MethodPost), headers: e.how.Headers}
	path, err := templates.Fill(ctx, e.path, data, prompt.Estimate{})
	if err != nil {
		return k, err
	}
	k.address = e.connection.Address + strings.TrimSpace(path)
	body, err := templates.Fill(ctx, e.body, data, prompt.Estimate{})
	if err != nil {
		return k, err
	}
	switch {
	case k.method == http.MethodGet:
		return k, nil
	case e.how.Form == "form":
		k.kind = "application/x-www-form-urlencoded"
		fields := url.Values{}
		for line := range strings.Lines(body) {
			if name, value, ok := strings.Cut(strings.TrimRight(line, "\r\n"), "="); ok {
				fields.Add(strings.TrimSpace(name), value)
			}
		}
		k.body = []byte(fields.Encode())
	case e.how.Form == "parts":
		parts, err := partsOf(body, data, r)
		parts.method, parts.address, parts.headers = k.method, k.address, k.headers
		return parts, err
	case e.how.Form == "raw":
		k.kind, k.body = "text/plain; charset=utf-8", []byte(body)
		if e.how.Body == "" && len(r.Files) > 0 {
			k.kind, k.body = r.Files[0].Kind, r.Files[0].Body
		}
		if e.how.Body == "" && r.Make != nil && r.Make.Picture != nil {
			k.kind, k.body = r.Make.Picture.Kind, r.Make.Picture.Body
		}
	default:
		k.kind, k.body = "application/json", []byte(body)
		if !json.Valid(k.body) {
			return k, fmt.Errorf("the body that the template makes is not JSON; write texts as {{json .prompt}}: %s",
				shorten(k.body))
		}
	}
	return k, nil
}

// partsOf is the body of a form with files: name=value a line, and name=@sound or
// name=@picture for the file.
func partsOf(body string, data map[string]any, r models.Request) (call, error) {
	fields, files := map[string]string{}, map[string]*recipe.Media{}
	for line := range strings.Lines(body) {
		name, value, ok := strings.Cut(strings.TrimRight(line, "\r\n"), "=")
		if !ok {
			continue
		}
		name, value = strings.TrimSpace(name), strings.TrimSpace(value)
		switch {
		case value == "@sound" || value == "@picture":
			for i := range r.Files {
				if data[value[1:]+"_kind"] == r.Files[i].Kind {
					files[name] = &r.Files[i]
					break
				}
			}
			if m := r.Make; m != nil && m.Picture != nil && value == "@picture" {
				files[name] = m.Picture
			}
		case value != "":
			fields[name] = value
		}
	}
	text, err := json.Marshal(fields)
	if err != nil {
		return call{}, err
	}
	return formCall(text, nil, files)
}

// Generate asks once and hands the reply over as it comes.
func (e *endpoint) Generate(ctx context.Context, r models.Request, to models.Sink) (models.Result, error) {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	patience := patienceFor(e.connection, r)
	errSilent := e.failure(r.Model, models.Silent, 0, fmt.Sprintf("silent for %s", patience))
	silence := listen(patience, func() { cancel(errSilent) })
	defer silence.stop()
	w, err := newWishes(r, to, cancel)
	if err != nil {
		return models.Result{}, err
	}
	a := &answering{endpoint: e, model: r.Model, to: to, wishes: w, silence: silence}
	err = a.ask(ctx, r)
	if w.cut != "" && (err == nil || context.Cause(ctx) == errCut) {
		a.result.Finish, err = w.cut, nil
	}
	w.close()
	switch {
	case err != nil:
		return a.result, e.broken(ctx, r.Model, err)
	case a.result.Finish == models.Filtered && !w.said && !a.made:
		return a.result, e.failure(r.Model, models.Declined, 0, "the reply was held back by the server's policy")
	case r.Hear != nil:
		if to.Heard != nil && a.heard.timed() {
			to.Heard(sound.Heard(a.heard))
		}
	case !w.said && !a.made:
		return a.result, e.failure(r.Model, models.SaidNothing, 0, "the answer has no reply"+a.where())
	}
	return a.result, nil
}

// answering is one answer that is being read.
type answering struct {
	*endpoint
	model   string
	to      models.Sink
	wishes  *wishes
	silence *silence
	result  models.Result
	made    bool   // a file came
	heard   spoken // in a sound
	grown   string // where pieces repeat what came before: that
	last    any    // what was read last, for errors
	address *url.URL
}

// spoken is what was heard in a sound, beside its text.
type spoken sound.Heard

func (h spoken) timed() bool { return len(h.Words) > 0 || len(h.Sentences) > 0 || h.Language != "" }

// where says for makers where the reply was looked for.
func (a *answering) where() string {
	if a.how.Reply == "" {
		return ""
	}
	text, _ := json.Marshal(a.last)
	return fmt.Sprintf(" at %s: %s", a.how.Reply, shorten(text))
}

func (a *answering) ask(ctx context.Context, r models.Request) error {
	k, err := a.request(ctx, r)
	if err != nil {
		return a.failure(a.model, models.Unsupported, 0, err.Error())
	}
	k.told = a.to.Exchanged
	response, err := a.do(ctx, k)
	if err != nil {
		return a.unsent(ctx, a.model, err)
	}
	defer response.Body.Close()
	a.address = response.Request.URL
	if pace, said := paceOf(response.Header); said && a.to.Pace != nil {
		a.to.Pace(pace)
	}
	if err := a.refused(response); err != nil {
		return err
	}
	kind := strings.ToLower(response.Header.Get("Content-Type"))
	switch {
	case a.how.Job != nil:
		answer, err := a.json(response.Body)
		if err != nil {
			return err
		}
		return a.follow(ctx, answer)
	case a.how.Stream == "events":
		return a.events(response.Body)
	case a.how.Stream == "lines":
		return a.lines(response.Body)
	case a.how.Stream == "text":
		return a.text(response.Body)
	case a.how.Reply != "" || a.how.ReplyIs != "" || strings.Contains(kind, "json"):
		answer, err := a.json(response.Body)
		if err != nil {
			return err
		}
		return a.take(ctx, answer)
	}
	return a.whole(response.Body, kind)
}

// refused is the error of a status that is none of success; nil if it is one.
func (a *answering) refused(response *http.Response) error {
	status := response.StatusCode
	waits := a.how.Wait
	if len(waits) == 0 {
		waits = []int{http.StatusTooManyRequests, http.StatusServiceUnavailable}
	}
	if status >= 200 && status <= 299 && !slices.Contains(a.how.Wait, status) {
		return nil
	}
	text, _ := io.ReadAll(io.LimitReader(response.Body, longestError))
	t := readTold(text)
	var v any
	if json.Unmarshal(text, &v) == nil && a.how.Error != "" {
		if own, ok := jsontext.At(v, a.how.Error); ok {
			t.message = textOf(own)
		}
	}
	e := a.failure(a.model, classify(status, t), status, t.message)
	e.RetryAfter = retryAfter(response.Header)
	if status == http.StatusNotFound && e.Kind == models.Refused {
		e.Kind, e.Detail = models.Garbled, a.detail("status 404 ("+t.message+"); check the path")
	}
	if slices.Contains(waits, status) && e.Kind != models.NoCredit && e.Kind != models.OverQuota {
		e.Kind = models.Waking
	}
	return e
}

// json reads an answer that is JSON.
func (a *answering) json(answer io.Reader) (any, error) {
	text, err := io.ReadAll(io.LimitReader(a.alive(answer), longestAnswer+1))
	if err != nil {
		return nil, err
	}
	if len(text) > longestAnswer {
		return nil, &garbled{fmt.Sprintf("the answer has more than %d MB", longestAnswer>>20)}
	}
	var v any
	if err := json.Unmarshal(bytes.TrimPrefix(text, []byte("\xEF\xBB\xBF")), &v); err != nil {
		return nil, &garbled{"the answer is not JSON but " + firstOf(pageOr(text),
			"something else") + ": " + shorten(text)}
	}
	return v, nil
}

// alive is a reader that says when something comes.
func (a *answering) alive(r io.Reader) io.Reader { return &lively{r, a.silence} }

type lively struct {
	io.Reader
	silence *silence
}

func (l *lively) Read(p []byte) (int, error) {
	n, err := l.Reader.Read(p)
	l.silence.heard.Store(true)
	return n, err
}

// whole is an answer that is the reply as it is: a text or a file.
func (a *answering) whole(answer io.Reader, kind string) error {
	if kind == "" || strings.HasPrefix(kind, "text/") {
		return a.text(answer)
	}
	body, err := io.ReadAll(io.LimitReader(a.alive(answer), longestAnswer+1))
	if err != nil {
		return err
	}
	if len(body) > longestAnswer {
		return &garbled{fmt.Sprintf("the answer has more than %d MB", longestAnswer>>20)}
	}
	kind, _, _ = strings.Cut(kind, ";")
	a.file(recipe.Media{Kind: strings.TrimSpace(kind), Body: body})
	return nil
}

func (a *answering) file(f recipe.Media) {
	if len(f.Body) == 0 {
		return
	}
	if f.Kind == "" || f.Kind == "application/octet-stream" {
		f.Kind = http.DetectContentType(f.Body)
	}
	a.made = true
	if a.to.File != nil {
		a.to.File(f)
	}
}

func (a *answering) text(answer io.Reader) error {
	buffer := make([]byte, 4<<10)
	reader := a.alive(answer)
	for {
		n, err := reader.Read(buffer)
		a.wishes.write(buffer[:n])
		if err == io.EOF || a.wishes.cut != "" {
			return nil
		}
		if err != nil {
			return err
		}
	}
}

func (a *answering) events(answer io.Reader) error {
	events := sse.NewReader(a.alive(answer))
	for a.wishes.cut == "" {
		event, err := events.Next()
		switch {
		case err == io.EOF:
			return nil
		case err != nil:
			return err
		case string(event.Data) == "[DONE]":
			return nil
		case string(event.Name) == "error":
			return readTold(event.Data)
		}
		if err := a.piece(event.Data); err != nil {
			return err
		}
	}
	return nil
}

func (a *answering) lines(answer io.Reader) error {
	lines := bufio.NewScanner(a.alive(answer))
	lines.Buffer(make([]byte, 4<<10), sse.LongestLine)
	for a.wishes.cut == "" && lines.Scan() {
		line := bytes.TrimSpace(lines.Bytes())
		if len(line) == 0 {
			continue
		}
		if err := a.piece(line); err != nil {
			return err
		}
	}
	if lines.Err() == bufio.ErrTooLong {
		return &garbled{"one line of the answer has more than 4 MB"}
	}
	return lines.Err()
}

// piece reads one piece of a stream.
func (a *answering) piece(data []byte) error {
	if a.how.Reply == "" && a.how.Thought == "" {
		a.wishes.write(data)
		return nil
	}
	var v any
	if err := json.Unmarshal(data, &v); err != nil {
		return &garbled{"a piece of the answer is not JSON: " + shorten(data)}
	}
	return a.take(context.Background(), v)
}

// take reads an answer, or a piece of one.
func (a *answering) take(ctx context.Context, v any) error {
	a.last = v
	if a.how.Error != "" {
		if said, ok := jsontext.At(v, a.how.Error); ok && said != nil && textOf(said) != "" {
			return &told{message: textOf(said)}
		}
	}
	if thought, ok := jsontext.At(v, a.how.Thought); ok && a.how.Thought != "" {
		if text := textOf(thought); text != "" {
			a.wishes.think([]byte(text))
		}
	}
	if finish, ok := jsontext.At(v, a.how.Finish); ok && a.how.Finish != "" && finish != nil {
		a.result.Finish = finishOf(textOf(finish))
	}
	for place, into := range map[string]*int{a.how.PromptTokens: &a.result.PromptTokens,
		a.how.ReplyTokens: &a.result.ReplyTokens} {
		if n, ok := jsontext.At(v, place); ok && place != "" {
			if count, ok := n.(float64); ok && count > 0 && count < 1e9 {
				*into = int(count)
			}
		}
	}
	a.hear(v)
	reply, ok := jsontext.At(v, a.how.Reply)
	if !ok || reply == nil {
		return nil // other pieces may have it; an answer without any is told at the end
	}
	if a.how.ReplyIs == "base64" || a.how.ReplyIs == "link" {
		return a.files(ctx, reply)
	}
	text := textOf(reply)
	if a.how.Grows {
		text, a.grown = strings.TrimPrefix(text, a.grown), text
	}
	a.wishes.write([]byte(text))
	return nil
}

// hear takes what an answer says of the times of what was spoken.
func (a *answering) hear(v any) {
	at := func(place string) any {
		if place == "" {
			return nil
		}
		x, _ := jsontext.At(v, place)
		return x
	}
	a.heard.Words = append(a.heard.Words, sound.WordsOf(at(a.how.Words))...)
	a.heard.Sentences = append(a.heard.Sentences, sound.SentencesOf(at(a.how.Sentences))...)
	if name, ok := at(a.how.Language).(string); ok {
		a.heard.Language = sound.LanguageCode(name)
	}
}

// files takes files that stand in an answer, or are linked from it.
func (a *answering) files(ctx context.Context, v any) error {
	if list, ok := v.([]any); ok {
		for _, one := range list {
			if err := a.files(ctx, one); err != nil {
				return err
			}
		}
		return nil
	}
	text, ok := v.(string)
	if !ok || text == "" {
		return nil
	}
	if a.how.ReplyIs == "base64" && !strings.HasPrefix(text, "data:") {
		body, err := base64.StdEncoding.DecodeString(strings.TrimSpace(text))
		if err != nil {
			return &garbled{"what stands at " + a.how.Reply + " is not base64"}
		}
		a.file(recipe.Media{Body: body})
		return nil
	}
	f, err := linked(ctx, a.address, text)
	if err == nil {
		a.file(f)
	}
	return err
}

// textOf is a value of JSON as a text.
func textOf(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		return v
	case []any:
		var texts []string
		for _, x := range v {
			texts = append(texts, textOf(x))
		}
		return strings.Join(texts, "")
	}
	text, err := json.Marshal(v)
	if err != nil {
		return ""
	}
	return string(text)
}

// Embed is not to be had from an endpoint.
func (e *endpoint) Embed(_ context.Context, model string, _ []string) ([][]float32, int, error) {
	return nil, 0,
		e.failure(model, models.Unsupported, 0, "vectors are asked of chat-completions servers and programs, "+
			"not of endpoints")
}

// Names are those that the connection has.
func (e *endpoint) Names(context.Context) ([]string, error) {
	var names []string
	for _, m := range e.connection.Models {
		names = append(names, m.Name)
	}
	return names, nil
}
