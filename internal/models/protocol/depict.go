package protocol

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/textproto"
	"net/url"
	"strconv"
	"strings"
	"time"

	"juvalogos/core/recipe"
	"juvalogos/internal/models"
	"juvalogos/internal/reach"
	"juvalogos/internal/sse"
)

// Pictures: what the protocol has beside chat, /images/generations for words,
// /images/variations for a picture alone, and /images/edits for a picture with words.

// depict asks for pictures and hands them over as they come.
func (c *Client) depict(ctx context.Context, r models.Request, to models.Sink) (models.Result, error) {
	k, err := pictureCall(r)
	if err != nil {
		return models.Result{}, c.failure(r.Model, models.Unsupported, 0, err.Error())
	}
	k.address, k.told = c.connection.Address+k.address, to.Exchanged
	response, err := c.do(ctx, k)
	if err != nil {
		return models.Result{}, c.unsent(ctx, r.Model, err)
	}
	defer response.Body.Close()
	if pace, said := paceOf(response.Header); said && to.Pace != nil {
		to.Pace(pace)
	}
	if response.StatusCode < 200 || response.StatusCode > 299 {
		return models.Result{}, c.refusal(r.Model, response)
	}
	d := &depicting{Client: c, model: r.Model, to: to, address: response.Request.URL}
	if strings.HasPrefix(response.Header.Get("Content-Type"), "text/event-stream") {
		err = d.events(ctx, response.Body)
	} else {
		err = d.whole(ctx, response.Body)
	}
	if err == nil && d.made == 0 {
		err = c.failure(r.Model, models.SaidNothing, 0, "the answer has no picture")
	}
	return d.result, c.broken(ctx, r.Model, err)
}

// pictureCall is what is sent, to an address below the connection's.
func pictureCall(r models.Request) (k call, err error) {
	m := r.Make
	k = call{method: http.MethodPost, address: "/images/generations", kind: "application/json"}
	fields := map[string]any{"model": r.Model, "n": m.Number, "response_format": "b64_json"}
	if m.Width > 0 && m.Height > 0 {
		fields["size"] = fmt.Sprintf("%dx%d", m.Width, m.Height)
	}
	if m.Seed != nil {
		fields["seed"] = *m.Seed
	}
	if m.Words != "" {
		fields["prompt"] = m.Words
	}
	if r.Previews > 0 {
		fields["stream"], fields["partial_images"] = true, r.Previews
	}
	text, err := json.Marshal(fields)
	if err == nil && !r.Manners.Plain() {
		text, err = mannerly(text, r.Manners)
	}
	if err != nil || m.Picture == nil {
		k.body = text
		return k, err
	}
	k.address = "/images/variations"
	if m.Words != "" {
		k.address = "/images/edits"
	}
	form, err := formCall(text, nil, map[string]*recipe.Media{"image": m.Picture, "mask": m.Mask})
	form.address = k.address
	return form, err
}

// formCall are fields, some with several values, and files, as a form that is posted.
func formCall(fields []byte, lists map[string][]string, files map[string]*recipe.Media) (k call, err error) {
	var all map[string]any
	if err := json.Unmarshal(fields, &all); err != nil {
		return k, err
	}
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	for name, value := range all {
		text, isText := value.(string)
		if !isText {
			raw, err := json.Marshal(value)
			if err != nil {
				return k, err
			}
			text = string(raw)
		}
		if err := w.WriteField(name, text); err != nil {
			return k, err
		}
	}
	for name, values := range lists {
		for _, value := range values {
			if err := w.WriteField(name, value); err != nil {
				return k, err
			}
		}
	}
	for name, f := range files {
		if f == nil {
			continue
		}
		part, err := w.CreatePart(textproto.MIMEHeader{
			"Content-Disposition": {fmt.Sprintf(`form-data; name=%q; filename=%q`, name, name+endingFor[f.Kind])},
			"Content-Type":        {f.Kind},
		})
		if err == nil {
			_, err = part.Write(f.Body)
		}
		if err != nil {
			return k, err
		}
	}
	err = w.Close()
	return call{method: http.MethodPost, body: form.Bytes(), kind: w.FormDataContentType()}, err
}

// endingFor are the endings of files' names by their kinds.
var endingFor = map[string]string{"image/jpeg": ".jpg", "image/png": ".png", "audio/wav": ".wav", "audio/mpeg": ".mp3",
	"audio/flac": ".flac", "audio/ogg": ".ogg"}

// depicting is one answer with pictures that is being read.
type depicting struct {
	*Client
	model   string
	to      models.Sink
	address *url.URL
	result  models.Result
	made    int
	said    string
}

// picture is one of an answer's, or of a stream's.
type picture struct {
	Type    string `json:"type"`
	Base64  string `json:"b64_json"`
	URL     string `json:"url"`
	Revised string `json:"revised_prompt"`
	Usage   struct {
		InputTokens  int `json:"input_tokens"`
		OutputTokens int `json:"output_tokens"`
	} `json:"usage"`
	Error json.RawMessage `json:"error"`
}

func (d *depicting) whole(ctx context.Context, answer io.Reader) error {
	text, err := io.ReadAll(io.LimitReader(answer, longestAnswer+1))
	if err != nil {
		return err
	}
	if len(text) > longestAnswer {
		return &garbled{fmt.Sprintf("the answer has more than %d MB", longestAnswer>>20)}
	}
	var all struct {
		Data []picture `json:"data"`
		picture
	}
	if err := json.Unmarshal(text, &all); err != nil {
		return &garbled{"the answer is not JSON but " + firstOf(pageOr(text), "something else") + ": " + shorten(text)}
	}
	if len(all.Error) > 0 && string(all.Error) != "null" {
		return readTold(text)
	}
	d.result.PromptTokens, d.result.ReplyTokens = all.Usage.InputTokens, all.Usage.OutputTokens
	for _, p := range all.Data {
		if err := d.take(ctx, p); err != nil {
			return err
		}
	}
	return nil
}

func (d *depicting) events(ctx context.Context, answer io.Reader) error {
	events := sse.NewReader(answer)
	for {
		event, err := events.Next()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		if string(event.Data) == "[DONE]" {
			return nil
		}
		if string(event.Name) == "error" {
			return readTold(event.Data)
		}
		var p picture
		if err := json.Unmarshal(event.Data, &p); err != nil {
			return &garbled{"a piece of the answer is not JSON: " + shorten(event.Data)}
		}
		if strings.Contains(p.Type, "partial") {
			if body, err := base64.StdEncoding.DecodeString(p.Base64); err == nil && d.to.Preview != nil {
				d.to.Preview(recipe.Media{Kind: http.DetectContentType(body), Body: body})
			}
			continue
		}
		d.result.PromptTokens += p.Usage.InputTokens
		d.result.ReplyTokens += p.Usage.OutputTokens
		if err := d.take(ctx, p); err != nil {
			return err
		}
	}
}

// take hands over a picture that stands in an answer, or is linked from it.
func (d *depicting) take(ctx context.Context, p picture) error {
	f := recipe.Media{}
	switch {
	case p.Base64 != "":
		body, err := base64.StdEncoding.DecodeString(strings.TrimSpace(p.Base64))
		if err != nil {
			return &garbled{"a picture of the answer is not base64"}
		}
		f.Body = body
	case p.URL != "":
		var err error
		if f, err = linked(ctx, d.address, p.URL); err != nil {
			return err
		}
	default:
		return nil
	}
	if len(f.Body) == 0 {
		return nil
	}
	if f.Kind == "" || f.Kind == "application/octet-stream" {
		f.Kind = http.DetectContentType(f.Body)
	}
	d.made++
	if d.to.File != nil {
		d.to.File(f)
	}
	if p.Revised != "" && p.Revised != d.said && d.to.Text != nil {
		if d.said != "" {
			d.to.Text([]byte("\n\n"))
		}
		d.said = p.Revised
		d.to.Text([]byte(p.Revised))
	}
	return nil
}

// linked fetches a file that an answer links to: of the server itself, or one that
// anybody may fetch.
func linked(ctx context.Context, from *url.URL, address string) (recipe.Media, error) {
	if data, ok := strings.CutPrefix(address, "data:"); ok {
		head, text, _ := strings.Cut(data, ",")
		kind, _, _ := strings.Cut(head, ";")
		body, err := base64.StdEncoding.DecodeString(strings.TrimSpace(text))
		if err != nil {
			return recipe.Media{}, &garbled{"a picture of the answer is not base64"}
		}
		return recipe.Media{Kind: kind, Body: body}, nil
	}
	link, err := from.Parse(address)
	if err != nil {
		return recipe.Media{}, &garbled{"the answer's link to a file cannot be read: " + strconv.Quote(address)}
	}
	links := reach.New(reach.Public{}, longestAnswer, linkLimit)
	if link.Host == from.Host {
		links = reach.New(reach.Named{from.Host}, longestAnswer, linkLimit)
	}
	got, err := links.Do(ctx, reach.Request{Address: link.String()})
	if err != nil {
		return recipe.Media{}, &garbled{"the file that is linked cannot be fetched: " + err.Error()}
	}
	if got.Status != http.StatusOK {
		return recipe.Media{}, &garbled{fmt.Sprintf("the file that is linked cannot be fetched: status %d", got.Status)}
	}
	return recipe.Media{Kind: got.Type, Body: got.Body}, nil
}

// patienceFor is how long a server may be silent: one that makes pictures, or writes down
// what is spoken, says nothing until it is done.
func patienceFor(c models.Connection, r models.Request) time.Duration {
	switch {
	case r.Whole() && c.Longest > 0:
		return c.Longest
	case r.Whole():
		return models.DefaultLongest
	case c.Patience > 0:
		return c.Patience
	}
	return models.DefaultPatience
}
