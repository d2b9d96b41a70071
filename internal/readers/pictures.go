package readers

import (
	"context"
	"errors"
	"runtime/debug"
	"strings"
	"time"

	"juvalogos/core/phrase"
	"juvalogos/core/picture"
	"juvalogos/core/reading"
	"juvalogos/internal/confined"
)

// perPicture is how long a picture may take, beside what its size takes.
const perPicture = 12 * time.Second

// depicting is what a request for a picture says.
const depicting = "depict"

// Depicted is a picture that was read, with what was made of it.
type Depicted struct {
	Kind          string // the media type that it came in
	Width, Height int    // upright
	Note          phrase.Phrase
	Made          []picture.Made // in the order in which they were wanted
}

// depicted is that as the process says it: bytes of pictures beside what they are.
type depicted struct {
	Depicted
	Bodies [][]byte
}

// Picture reads a picture in a confined process and makes of it what is wanted. A
// picture that cannot be read, over which two processes were killed, or which took too
// long once, is a *picture.Problem; other errors are the context's cause or lie with the machine.
func (p *Pool) Picture(ctx context.Context, name string, body []byte, wanted ...picture.Wanted) (Depicted, error) {
	a, err := p.do(ctx, request{Do: depicting, Name: name, Wanted: wanted}, body, nil)
	var problem *reading.Problem
	if errors.As(err, &problem) {
		what := problem.What
		if what.Form == GivenUp.Form {
			what = phrase.Of("it could not be read: it takes too long or too much memory; make it smaller, or as " +
				"JPEG, and give it again")
		}
		return Depicted{}, &picture.Problem{File: name, What: what}
	}
	if err != nil {
		return Depicted{}, err
	}
	if a.Depicted == nil || len(a.Depicted.Bodies) != len(wanted) {
		return Depicted{}, errors.New("the confined process made something else of the picture")
	}
	for i := range a.Depicted.Made {
		a.Depicted.Made[i].Body = a.Depicted.Bodies[i]
	}
	return a.Depicted.Depicted, nil
}

// depict does it, in the confined process.
func depict(t *confined.Task, r request) (*depicted, error) {
	// Few large things without pointers: collecting them early costs little and saves much.
	defer debug.SetGCPercent(debug.SetGCPercent(75))
	t.GoOn(perPicture + time.Duration(len(t.Body)>>20)*perMB)
	p, err := picture.Read(r.Name, t.Body, picture.DefaultLimits)
	if err != nil {
		var problem *picture.Problem
		if errors.As(err, &problem) {
			err = &reading.Problem{File: problem.File, What: problem.What}
		}
		return nil, err
	}
	d := &depicted{Depicted: Depicted{Kind: p.Kind, Width: p.Width, Height: p.Height, Note: p.Note}}
	t.GoOn(time.Duration(len(r.Wanted)) * perPicture)
	if d.Made, err = p.MakeAll(r.Wanted...); err != nil {
		return nil, err
	}
	for _, made := range d.Made {
		d.Bodies = append(d.Bodies, made.Body)
	}
	return d, nil
}

// Words reads the text in a picture, line by line; "" if there is none. Errors are those
// of Read.
func (p *Pool) Words(ctx context.Context, name string, body []byte) (string, error) {
	a, err := p.do(ctx, request{Do: "words", Name: name}, body, nil)
	return a.Words, err
}

// words does it, in the confined process.
func words(ctx context.Context, t *confined.Task, r request) (string, error) {
	t.GoOn(perRecognition)
	pages, err := engine().Open(ctx, r.Name, t.Body, "picture")
	if err != nil {
		return "", err
	}
	defer pages.Close()
	page, err := pages.Recognise(ctx, 1)
	if err != nil {
		return "", err
	}
	var b strings.Builder
	for i, run := range page.Runs {
		switch {
		case i == 0:
		case run.Top != page.Runs[i-1].Top || run.Bottom != page.Runs[i-1].Bottom:
			b.WriteByte('\n')
		default:
			b.WriteByte(' ')
		}
		b.WriteString(run.Text)
	}
	return b.String(), nil
}
