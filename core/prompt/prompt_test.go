package prompt

import (
	"errors"
	"strings"
	"testing"
)

func TestComposeCountsWhatItLaysOut(t *testing.T) {
	past := []Exchange{{Piece{"q1", 5}, Piece{"r1", 7}}, {Piece{"q2", 2}, Piece{"r2", 3}}}
	p := Compose(Standing{Brief: Piece{"be kind", 10}}, past, Piece{"q3", 4})
	var got []string
	for _, m := range p.Messages {
		got = append(got, string(m.Role)+" "+m.Text)
	}
	want := "system be kind|user q1|assistant r1|user q2|assistant r2|user q3"
	if strings.Join(got, "|") != want {
		t.Errorf("laid out %v", got)
	}
	// 3 round the prompt, 4 round each of 6 messages, and the texts.
	if p.Tokens != 3+6*4+10+5+7+2+3+4 || p.Remembered != 2 {
		t.Errorf("counted %d, remembered %d", p.Tokens, p.Remembered)
	}
	if p := Compose(Standing{}, nil, Piece{"q", 1}); len(p.Messages) != 1 || p.Tokens != 8 {
		t.Errorf("without a brief: %+v", p)
	}
}

func TestASummaryStandsBehindTheBriefAndIsCounted(t *testing.T) {
	summary := "The user is called Ada and keeps bees at Larch Hollow."
	for _, brief := range []string{"", "Be kind."} {
		s := Standing{Brief: Measure(Estimate{}, brief), Summary: Measure(Estimate{}, summary)}
		p := Compose(s, nil, Piece{"q", 1})
		if len(p.Messages) != 2 || p.Messages[0].Role != System || !strings.HasPrefix(p.Messages[0].Text, brief) ||
			!strings.HasSuffix(p.Messages[0].Text, summary) {
			t.Errorf("laid out %+v", p.Messages)
		}
		if real := (Estimate{}).Count(p.Messages[0].Text) + PerMessage; s.Cost() < real {
			t.Errorf("counted %d for a message of %d tokens", s.Cost(), real)
		}
	}
}

func TestRoom(t *testing.T) {
	for _, c := range []struct{ context, reply, brief, question, want int }{
		{1000, 200, 100, 50, 1000 - 200 - 3 - 4 - 104 - 50},
		{1000, 200, 0, 50, 1000 - 200 - 3 - 4 - 50},
		{1000, 200, 0, 793, 0},
	} {
		brief := Piece{Tokens: c.brief}
		if c.brief > 0 {
			brief.Text = "b"
		}
		if got, err := Room(c.context, c.reply, Standing{Brief: brief}, Piece{"q", c.question}); err != nil ||
			got != c.want {
			t.Errorf("Room(%+v) = %d, %v", c, got, err)
		}
	}
	_, err := Room(1000, 200, Standing{}, Piece{"q", 794})
	var long *TooLong
	if !errors.As(err, &long) || long.Tokens != 794 || long.Room != 793 {
		t.Errorf("got %v", err)
	}
	if _, err := Room(100, 200, Standing{}, Piece{"q", 1}); !errors.As(err, &long) || long.Room != 0 {
		t.Errorf("no room at all: got %v", err)
	}
}

// Texts of many kinds: what an estimate has to be on the safe side of.
var texts = map[string]string{
	"English": "The colony swarms when it is strong, crowded and confident. That is a compliment to your " +
		"beekeeping, and a nuisance to your neighbours.",
	"long words": "Antidisestablishmentarianism counterrevolutionaries internationalization " +
		"pneumonoultramicroscopicsilicovolcanoconiosis",
	"German": "Die Bienenkönigin überwintert im Bienenstock; Honigschleudern und Rähmchenhölzer gehören ins " +
		"Imkereigerätelager.",
	"French":   "L'apiculteur s'étonne : où sont passées les abeilles qu'il élevait près du ruisseau ?",
	"Finnish":  "Mehiläistarhaajan käsikirja: kevättarkastus ja hunajankeruu kesäkuussa",
	"Russian":  "Пчеловод осматривает ульи ранней весной и считает клещей.",
	"Chinese":  "蜜蜂在春天分蜂，养蜂人每七天检查一次蜂箱。",
	"Japanese": "ミツバチは巣箱の中で冬を越します。",
	"Arabic":   "النحل ينتج العسل في الصيف",
	"emoji":    "🐝🍯👩‍🌾🇫🇮 buzz 🐝🐝",
	"code": "func syrup(stores, target float64) (sugar, water float64) {\n\tmissing := max(0, target-stores)\n" +
		"\treturn missing / 1.2, missing / 2.4\n}\n",
	"JSON":        `{"id":"chatcmpl-9","choices":[{"index":0,"delta":{"content":" hive"},"finish_reason":null}]}`,
	"numbers":     "3.14159265358979 2026-11-23T07:21:23.681616Z +44 20 7946 0958 0xDEADBEEF",
	"white space": "a     b\t\tc\n\n\n\nd      \n   e",
	"table":       "| Water | Meaning |\n|---|---|\n| up to 17.5 % | excellent |\n| 18 to 20 % | fine |",
	"one letter":  "x",
	"random":      "kX9qvZ7wJpL2mNcR8tYbQ4sD",
}

func TestEstimateIsOnTheSafeSide(t *testing.T) {
	for _, name := range Vocabularies() {
		c, err := NewCounter(name)
		if err != nil {
			t.Fatal(err)
		}
		for kind, text := range texts {
			real, estimate := c.Count(text), Estimate{}.Count(text)
			if estimate < real {
				t.Errorf("%s in %s: estimated %d, it has %d", kind, name, estimate, real)
			}
			if kind == "English" && estimate > 3*real {
				t.Errorf("%s in %s: estimated %d, it has %d: too safe to be useful", kind, name, estimate, real)
			}
		}
	}
	if n := (Estimate{}).Count(""); n != 0 {
		t.Errorf("nothing is estimated at %d", n)
	}
}

func TestNewCounter(t *testing.T) {
	if c, err := NewCounter(""); err != nil || c.Vocabulary() != Estimated {
		t.Errorf("got %v, %v", c, err)
	}
	if _, err := NewCounter("klingon"); err == nil || !strings.Contains(err.Error(), "o200k_base") {
		t.Errorf("got %v", err)
	}
	c, err := NewCounter("cl100k_base")
	if err != nil {
		t.Fatal(err)
	}
	if n := c.Count("hello world"); n != 2 {
		t.Errorf("hello world has %d tokens", n)
	}
}
