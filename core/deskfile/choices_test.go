package deskfile

import (
	"errors"
	"strings"
	"testing"
)

const choosy = least + `brief: Be kind.
sampling: {temperature: 0.6}
choices:
  models: [{model: other, title: Quick}]
  manner: true
  length: true
  languages: [Deutsch]
`

func TestWhatVisitorsChoose(t *testing.T) {
	f, err := Read("d", []byte(choosy))
	if err != nil {
		t.Fatal(err)
	}
	temperature := func(m Manner) float64 {
		t.Helper()
		g, err := f.With(Choice{Manner: m})
		if err != nil || g.Brief != f.Brief {
			t.Errorf("%s: %+v, %v", m, g, err)
		}
		return *g.Sampling.Temperature
	}
	if careful, inventive := temperature(Careful), temperature(Inventive); careful >= 0.6 || careful < 0 ||
		inventive <= 0.6 || inventive > 1.5 || temperature("") != 0.6 {
		t.Errorf("careful %v, inventive %v", careful, inventive)
	}
	g, err := f.With(Choice{Model: "other", Length: Short, Language: "Deutsch"})
	if err != nil || g.Model != "other" || !strings.HasPrefix(g.Brief, "Be kind.\n\n") ||
		!strings.Contains(g.Brief, "short") || !strings.Contains(g.Brief, "Deutsch") {
		t.Errorf("%+v, %v", g, err)
	}
	if f.Brief != "Be kind." || *f.Sampling.Temperature != 0.6 {
		t.Errorf("the desk itself has changed: %+v", f)
	}
}

func TestNothingIsChosenThatIsNotOffered(t *testing.T) {
	strict, err := Read("d", []byte(least))
	if err != nil {
		t.Fatal(err)
	}
	offering, err := Read("d", []byte(choosy))
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []Choice{{Model: "x"}, {Manner: "wild"}, {Length: "endless"}, {Language: "Klingon"}} {
		var not *NotOffered
		if _, err := offering.With(c); !errors.As(err, &not) {
			t.Errorf("%+v: %v", c, err)
		}
	}
	for _, c := range []Choice{{Model: "other"}, {Manner: Careful}, {Length: Long}, {Language: "Deutsch"}} {
		var not *NotOffered
		if _, err := strict.With(c); !errors.As(err, &not) {
			t.Errorf("%+v: %v", c, err)
		}
	}
}
