package steps

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"juvalogos/core/recipe"
)

type depictSet struct {
	Model  string `yaml:"model" json:"model,omitempty" most:"200" about:"A model that makes pictures; the desk's own if left out."`
	Number int    `yaml:"number" json:"number,omitempty" least:"1" most:"8" about:"How many pictures; 1 if left out."`
	Side   int    `yaml:"side" json:"side,omitempty" least:"64" most:"4096" about:"The dots of the longer side; as the model has it if left out."`
	Seed   *int   `yaml:"seed" json:"seed,omitempty" about:"Makes pictures repeatable on models that take one; several count on from it."`
}

var _ asksModel = (*depictSet)(nil)

func (set *depictSet) modelNamed() string { return set.Model }

func (set *depictSet) foresee(f *foresight, s *recipe.Step, voices []recipe.Voice) {
	f.add(set.Model, len(voices)*f.number(s, "most", set.Number), 0)
}

// Formats of pictures, for those who wish for one.
const (
	Square  = "square"
	Lying   = "lying"
	Upright = "upright"
)

// MostPictures is how many pictures one step makes.
const MostPictures = 8

// SizeOf is the size of a picture of a format whose longer side is so long; 0 and 0 if
// that is not known.
func SizeOf(format string, side int) (width, height int) {
	switch format {
	case Lying:
		return side, side * 2 / 3
	case Upright:
		return side * 2 / 3, side
	}
	return side, side
}

// madePorts are what both kinds of steps give.
var madePorts = []recipe.Port{
	{Name: "pictures", Type: recipe.ListOf(recipe.Picture), About: "the pictures"},
	{Name: "picture", Type: recipe.Picture, About: "the first of them"},
	{Name: "says", Type: recipe.Text, About: "what the model says of them, if anything"},
}

// numberPorts are what both kinds of steps take.
var numberPorts = []recipe.Port{
	{Name: "number", Type: recipe.Number, About: "how many, instead of the setting"},
	{Name: "most", Type: recipe.Number, About: "how many at most"},
	{Name: "seed", Type: recipe.Number, About: "the seed, instead of the setting"},
	{Name: "side", Type: recipe.Number, About: "the dots of the longer side, instead of the setting"},
}

// depict makes pictures from words.
func depict() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "depict", About: "Has a model make pictures from words.",
			In: append([]recipe.Port{
				{Name: "words", Type: recipe.Text, Need: true, About: "what they show"},
				{Name: "style", Type: recipe.Text, About: "words that are added to every wish"},
				{Name: "format", Type: recipe.Text, About: "square, lying or upright"},
			}, numberPorts...),
			Out: madePorts, Set: func() any { return &depictSet{Number: 1} }, Uncacheable: true,
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			words := strings.TrimSpace(text(c.In, "words"))
			if words == "" {
				return nil, errors.New("there are no words to make a picture of")
			}
			if style := strings.TrimSpace(text(c.In, "style")); style != "" {
				words += "\n\n" + style
			}
			return t.draw(ctx, c, recipe.Making{Words: words})
		},
	}
}

// vary makes pictures from a picture.
func vary() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "vary",
			About: "Has a model make variations of a picture; with words it changes what they say, and with " +
				"a mask only what that leaves open.",
			In: append([]recipe.Port{
				{Name: "picture", Type: recipe.Picture, Need: true, About: "the picture"},
				{Name: "words", Type: recipe.Text, About: "what is to be changed; variations if empty"},
				{Name: "mask", Type: recipe.Picture, About: "light where it is to be changed, dark where it stays"},
			}, numberPorts...),
			Out: madePorts, Set: func() any { return &depictSet{Number: 1} }, Uncacheable: true,
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			of, _ := c.In["picture"].(recipe.Media)
			m := recipe.Making{Words: strings.TrimSpace(text(c.In, "words")), Picture: &of}
			if mask, ok := c.In["mask"].(recipe.Media); ok {
				if m.Words == "" {
					return nil, errors.New("part of the picture is to be changed, and nothing says into what")
				}
				m.Mask = &mask
			}
			return t.draw(ctx, c, m)
		},
	}
}

// ErrNoDrawing is the error of a model that is to make a picture and does not.
type ErrNoDrawing struct{ Model string }

func (e ErrNoDrawing) Error() string {
	return "the model " + e.Model + " makes no pictures; name one that can: [pictures]"
}

// wished fills in what the step and its inputs say of the pictures.
func (set *depictSet) wished(t *RunContext, c *recipe.Call, m *recipe.Making, seeds bool) {
	number := func(name string, otherwise int) int {
		if n, ok := c.In[name].(float64); ok && n >= 1 && !math.IsInf(n, 0) {
			return int(n)
		}
		return otherwise
	}
	m.Number = min(number("number", set.Number), number("most", MostPictures), MostPictures)
	m.Width, m.Height = SizeOf(text(c.In, "format"), number("side", set.Side))
	m.Seed = set.Seed
	if n, ok := c.In["seed"].(float64); ok && n >= 0 && n < 1<<31 {
		m.Seed = new(int(n))
	}
	switch {
	case !seeds:
		m.Seed = nil
	case m.Seed == nil && t.Chance != nil:
		m.Seed = new(t.Chance())
	}
}

// draw has a model make pictures, and asks again for those that did not come, as often
// as there are pictures at most: many servers make one at a time.
func (t *RunContext) draw(ctx context.Context, c *recipe.Call, m recipe.Making) (recipe.Values, error) {
	set := c.Set.(*depictSet)
	model, err := t.find(set.Model, recipe.Voice{})
	if err != nil {
		return nil, err
	}
	draws, seeds := model.Draws()
	if !draws {
		return nil, ErrNoDrawing{model.Name()}
	}
	if t.Pictures == nil {
		return nil, errNoPictures
	}
	set.wished(t, c, &m, seeds)
	d := &drawing{turn: t, call: c, model: model, making: m}
	for asked := 0; asked < m.Number && len(d.pictures) < m.Number; asked++ {
		before := len(d.pictures)
		if err := d.ask(ctx); err != nil {
			if before == 0 || ctx.Err() != nil {
				return nil, err
			}
			c.Note(fmt.Sprintf("%d of %d pictures came: %v", len(d.pictures), m.Number, err))
			break
		}
		if len(d.pictures) == before {
			break // it has nothing more to give
		}
	}
	if len(d.pictures) == 0 {
		return nil, ErrEmpty{model.Name()}
	}
	return recipe.Values{"pictures": d.pictures, "picture": d.pictures[0], "says": d.says}, nil
}

// drawing is the pictures of one step on their way.
type drawing struct {
	turn     *RunContext
	call     *recipe.Call
	model    Model
	making   recipe.Making
	pictures []any
	says     string
}

func (d *drawing) ask(ctx context.Context) error {
	if err := d.call.Begin(); err != nil {
		return err
	}
	m := d.making
	m.Number -= len(d.pictures)
	if m.Seed != nil {
		m.Seed = new(*m.Seed + len(d.pictures))
	}
	var files []recipe.Media
	call, err := d.model.Ask(ctx, Ask{Make: &m, File: func(f recipe.Media) {
		if len(files) < m.Number {
			files = append(files, f)
		} else {
			d.call.Note("the model made more pictures than it was asked for; they are left out")
		}
	}, Sampling: d.turn.Sampling}, func([]byte) {})
	d.call.Asked(call)
	if err != nil {
		return err
	}
	if said := strings.TrimSpace(Sound(call.Answer)); said != "" && !slices.Contains([]string{m.Words, d.says}, said) {
		d.says = said
	}
	for i, f := range files {
		own := m
		if own.Number = 1; m.Seed != nil {
			own.Seed = new(*m.Seed + i)
		}
		kept, err := d.turn.Pictures.Keep(ctx, Made{Picture: f, Making: own, Model: d.model.Name(),
			Seconds: call.Took.Seconds() / float64(max(1, len(files))), Cost: call.Cost / float64(max(1, len(files))),
			Lane: len(d.pictures) + 1})
		if err != nil {
			return err
		}
		d.pictures = append(d.pictures, kept)
	}
	return nil
}
