package protocol

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"juvalogos/core/recipe"
	"juvalogos/core/sound"
	"juvalogos/internal/models"
	"juvalogos/internal/programs"
)

// program is a models.Client for a local program.
type program struct {
	connection models.Connection
	pool       *programs.Pool
}

var _ = register(models.ProgramWay, newProgram)

func newProgram(c models.Connection, _ models.Secret) (models.Client, error) {
	p := c.Program
	if p == nil || len(p.Run) == 0 {
		return nil, errors.New("the connection does not say which program is to be run")
	}
	makes := len(c.Models) > 0
	for _, m := range c.Models {
		makes = makes && !m.Able("chat") && (m.Able("pictures") || m.Able("speech"))
	}
	return &program{c, programs.New(programs.Program{
		Run: p.Run, Plain: p.Speaks == "plain", Each: p.Each, Makes: makes, Copies: p.Copies, Warm: p.Warm,
		Idle: p.Idle, Wake: p.Wake, Memory: int64(p.Memory) << 20, Files: p.Files, Environment: p.Environment,
	})}, nil
}

// Close ends the program once those who ask have their replies; it is an io.Closer's.
func (p *program) Close() error { return p.pool.Close() }

// Settled waits until nothing of the program runs any more.
func (p *program) Settled() { p.pool.Settled() }

// Warm starts the program if it is to be kept running.
func (p *program) Warm() { p.pool.Start() }

// State is how the program is doing.
func (p *program) State() models.ProgramState {
	s := p.pool.State()
	return models.ProgramState{State: s.State, Running: s.Running, Asked: s.Asked, Starts: s.Starts, Woke: s.Woke,
		Memory: s.Memory, Peak: s.Peak, CPU: s.CPU, Complaint: s.Complaint, Ended: s.Last}
}

// Generate asks the program once.
func (p *program) Generate(ctx context.Context, r models.Request, to models.Sink) (result models.Result, err error) {
	patience := patienceFor(p.connection, r)
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	errSilent := p.failure(r.Model, models.Silent, fmt.Sprintf("silent for %s", patience))
	silence := listen(patience, func() { cancel(errSilent) })
	defer silence.stop()
	var spoken sound.Heard
	var written strings.Builder // of what is heard, before it is known what it is
	if listener := to; r.Hear != nil {
		to.Text = func(piece []byte) { written.Write(piece) }
		defer func() {
			if heard, _, failed := readHeard([]byte(written.String()), "", ""); failed == nil && !heardAny(spoken) {
				spoken = heard
			}
			if err == nil {
				hand(listener, spoken)
			}
		}()
	}
	w, err := newWishes(r, to, cancel)
	if err != nil {
		return models.Result{}, err
	}
	made := false
	began := time.Now()
	heard := programs.Heard{
		Text: w.write, Thought: w.think, Alive: func() { silence.heard.Store(true) },
		Progress: func(done float64, says string) {
			if to.Progress != nil {
				to.Progress(models.Progress{Done: done, Says: says})
			}
		},
		File: func(f programs.File) {
			made = true
			if to.File != nil {
				to.File(recipe.Media{Name: f.Name, Kind: f.Kind, Body: f.Body})
			}
		},
		Waking: func(about time.Duration) {
			silence.heard.Store(true)
			if to.Waking != nil {
				to.Waking(about)
			}
		},
	}
	heard.Sound = func(text []byte) {
		if h, err := sound.ReadHeard(text); err == nil {
			spoken = h
		}
	}
	ask := askOf(r)
	done, err := p.pool.Ask(ctx, ask, heard)
	if to.Exchanged != nil {
		to.Exchanged(models.Exchange{Method: "run", Address: fmt.Sprint(p.connection.Program.Run),
			Took:    time.Since(began),
			Request: ask.Shown(), Answer: p.pool.State().Complaint})
	}
	result = models.Result{Finish: done.Finish, PromptTokens: done.PromptTokens, ReplyTokens: done.ReplyTokens}
	if w.cut != "" && (err == nil || context.Cause(ctx) == errCut) {
		result.Finish, err = w.cut, nil
	}
	w.close()
	switch {
	case err != nil:
		return result, p.failed(ctx, r.Model, err)
	case r.Hear != nil: // it may be that nobody speaks
	case !w.said && !made && w.thought:
		return result, p.failure(r.Model, models.SaidNothing, "the program thought aloud and then said nothing")
	case !w.said && !made:
		return result, p.failure(r.Model, models.SaidNothing, "the program ended its reply without a word")
	}
	return result, nil
}

func heardAny(h sound.Heard) bool {
	return h.Text != "" || len(h.Words) > 0 || len(h.Sentences) > 0 || h.Language != ""
}

// askOf is a request in the words of programs.
func askOf(r models.Request) programs.Ask {
	a := programs.Ask{Model: r.Model, Settings: programs.Settings{MaxTokens: r.Sampling.MaxTokens,
		Temperature: r.Sampling.Temperature, TopP: r.Sampling.TopP, Stop: r.Sampling.Stop, Seed: r.Sampling.Seed,
		Effort: r.Sampling.Effort, Schema: r.Schema}}
	for _, m := range r.Messages {
		a.Messages = append(a.Messages, programs.Message{Role: string(m.Role), Text: m.Text})
	}
	if m := r.Make; m != nil {
		a.Messages = []programs.Message{{Role: "user", Text: m.Words}}
		a.Settings.Number, a.Settings.Width, a.Settings.Height, a.Settings.Seed = m.Number, m.Width, m.Height, m.Seed
		for name, f := range map[string]*recipe.Media{"picture": m.Picture, "mask": m.Mask} {
			if f != nil {
				a.Files = append(a.Files, programs.File{Name: name, Kind: f.Kind, Body: f.Body})
			}
		}
		slices.SortFunc(a.Files, func(a, b programs.File) int { return strings.Compare(b.Name, a.Name) })
	}
	if h := r.Hear; h != nil {
		a.Messages = []programs.Message{{Role: "user", Text: h.Prompt}}
		a.Settings.Language, a.Settings.Translate = h.Language, h.Translate
	}
	if s := r.Say; s != nil {
		a.Messages = []programs.Message{{Role: "user", Text: s.Text}}
		a.Settings.Voice, a.Settings.Speed = s.Voice, s.Speed
	}
	for _, f := range r.Files {
		a.Files = append(a.Files, programs.File{Name: f.Name, Kind: f.Kind, Body: f.Body})
	}
	return a
}

func (p *program) failure(model string, kind models.ErrorKind, detail string) *models.Error {
	return &models.Error{Kind: kind, Entry: p.connection.Name + "/" + model, Detail: detail, Final: true}
}

// said are the kinds of errors that programs may name.
var said = map[string]models.ErrorKind{"too-long": models.TooLong, "declined": models.Declined, "busy": models.Busy,
	"waking": models.Waking, "no-memory": models.NoMemory, "unsupported": models.Unsupported}

// failed says what went wrong with a program.
func (p *program) failed(ctx context.Context, model string, err error) error {
	var why *programs.Failed
	if !errors.As(err, &why) {
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		return err
	}
	e := p.failure(model, models.ServerFailed, "the program failed: "+why.Detail)
	switch why.Why {
	case programs.NotStarted, programs.Late, programs.Closed:
		e.Kind = models.NotRunning
		e.Detail = "the program is not to be had: " + why.Detail
	case programs.Died:
		e.Kind, e.Final = models.CutOff, false
		e.Detail = "the program ended in the middle: " + why.Detail
	case programs.TooBig:
		e.Kind = models.NoMemory
		e.Detail = "the program was ended: " + why.Detail
	case programs.Lied:
		e.Kind = models.Garbled
		e.Detail = "the program: " + why.Detail
	case programs.Said:
		e.Detail = why.Detail
		if kind, ok := said[why.Kind]; ok {
			e.Kind, e.Final = kind, false
		}
	}
	return e
}

// Embed asks the program for the vectors of texts.
func (p *program) Embed(ctx context.Context, model string, texts []string) ([][]float32, int, error) {
	ctx, cancel := context.WithTimeoutCause(ctx, p.connection.Patience, p.failure(model, models.Silent,
		fmt.Sprintf("silent for %s", p.connection.Patience)))
	defer cancel()
	done, err := p.pool.Ask(ctx, programs.Ask{Model: model, Texts: texts}, programs.Heard{})
	if err != nil {
		return nil, 0, p.failed(ctx, model, err)
	}
	if len(done.Vectors) != len(texts) {
		return nil, 0, p.failure(model, models.Garbled, fmt.Sprintf("%d vectors for %d texts", len(done.Vectors),
			len(texts)))
	}
	for _, v := range done.Vectors {
		if len(v) == 0 || len(v) != len(done.Vectors[0]) || !unit(v) {
			return nil, 0, p.failure(model, models.Garbled, "the vectors are not usable")
		}
	}
	return done.Vectors, done.PromptTokens, nil
}

// Names are those that the connection has: a program does not list its models.
func (p *program) Names(context.Context) ([]string, error) {
	var names []string
	for _, m := range p.connection.Models {
		names = append(names, m.Name)
	}
	return names, nil
}
