// Command digests measures what is left of a long text when a model has put it in short: of
// facts planted in made-up texts, how many the digest still says, by the way of making it and
// the length of the text; how many of its sentences are said to rest on a place that does not
// say it; and what it costs. No model judges: a fact is a name with a number.
package main

import (
	"bytes"
	"context"
	"flag"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"time"

	"juvalogos/core/evidence"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/models"
	"juvalogos/internal/models/protocol"
	"juvalogos/internal/reply"
)

func main() {
	write := flag.String("write", "", "file into which the figures are written, between its marks")
	connections := flag.String("connections", "", "connection file of the model that is measured; left out: the "+
		"simulated one, whose figures say how the ways differ, and nothing of any real model")
	model := flag.String("model", "simulated/heather-2", "the model, as its connection file names it")
	words := flag.String("words", "2000 10000 40000", "how long the texts are, in words")
	flag.Parse()
	if err := run(*write, *connections, *model, strings.Fields(*words)); err != nil {
		fmt.Fprintln(os.Stderr, "digests:", err)
		os.Exit(1)
	}
}

func run(write, connections, model string, lengths []string) error {
	registry, end, err := open(connections)
	if err != nil {
		return err
	}
	defer end()
	var b strings.Builder
	b.WriteString("| words | way | facts | in the digest | in the notes on the sections | sentences | " +
		"said to rest where " +
		"it does not stand | model asked | cost of 10,000 words |\n|---|---|---|---|---|---|---|---|---|\n")
	for _, length := range lengths {
		n := 0
		if _, err := fmt.Sscan(length, &n); err != nil || n < 500 {
			return fmt.Errorf("%q is no length; write 500 or more words", length)
		}
		text := plant(n)
		for _, way := range []string{"sections", "in turn", "at once"} {
			line, err := measure(registry, model, text, way)
			if err != nil {
				line = fmt.Sprintf("| %d | %s | %d | it cannot be done: %s | | | | | |", text.words, way,
					len(text.facts),
					strings.ReplaceAll(err.Error(), "|", "/"))
			}
			fmt.Println(line)
			b.WriteString(line + "\n")
		}
	}
	if write == "" {
		return nil
	}
	return writeBetween(write, b.String())
}

// open opens the connections of a file, or one to the simulated model.
func open(file string) (*models.Registry, func(), error) {
	text, name, end := []byte(nil), file, func() {}
	if file == "" {
		const key, listen = "measured", "127.0.0.1:7318"
		if err := os.Setenv("STANDIN_KEY", key); err != nil {
			return nil, nil, err
		}
		program := exec.Command("bin/juvalogos-standin", "-listen", listen)
		if err := program.Start(); err != nil {
			return nil, nil, fmt.Errorf("start the simulated model (make build): %w", err)
		}
		end = func() { _ = program.Process.Kill(); _ = program.Wait() }
		if err := quick("http://" + listen); err != nil {
			end()
			return nil, nil, err
		}
		name = "simulated"
		text = []byte("connections:\n  - {name: simulated, address: http://" + listen + "/v1, " +
			"key: \"env:STANDIN_KEY\", " +
			"models: [{name: heather-2, context: 16384, price: {in: 0.6, out: 2.4}}]}\n")
	} else {
		var err error
		if text, err = os.ReadFile(file); err != nil {
			return nil, nil, err
		}
	}
	f, err := models.Read(name, text, protocol.All())
	if err != nil {
		end()
		return nil, nil, err
	}
	return models.Open(f, protocol.All()), end, nil
}

// quick waits for the simulated model, and has it write without pauses.
func quick(at string) error {
	var err error
	for range 100 {
		var r *http.Response
		r, err = http.Post(at+"/admin/control", "application/json", strings.NewReader(`{"first_ms": 0, "rate": 0}`))
		if err == nil {
			r.Body.Close()
			return nil
		}
		time.Sleep(50 * time.Millisecond)
	}
	return err
}

// fact is a name with a number, planted in a section.
type fact struct {
	name    string
	number  int
	section int // from 1
}

// planted is a made-up text with facts in it; it is a steps.Works.
type planted struct {
	sections []evidence.Passage
	facts    []fact
	words    int
}

func (p *planted) Divide(context.Context, string, int) (steps.Division, error) {
	return steps.Division{Sections: p.sections, Titles: []string{"The survey of the vale"}}, nil
}

// sectionWords is about how long a section is.
const sectionWords = 320

// plant makes a text of about so many words: sections on made-up places, each with one fact at
// a random place in it.
func plant(words int) *planted {
	r := rand.New(rand.NewPCG(7, uint64(words)))
	p := &planted{}
	pick := func(list []string) string { return list[r.IntN(len(list))] }
	for number := 1; p.words < words; number++ {
		name := pick(heads) + pick(tails) + " " + pick(ends)
		f := fact{name, 100 + r.IntN(9000), number}
		said := []string{}
		count := 0
		for count < sectionWords {
			s := fmt.Sprintf(pick(filler), pick(things), pick(things))
			said = append(said, s)
			count += len(strings.Fields(s))
		}
		at := r.IntN(len(said))
		said = append(said[:at], append([]string{fmt.Sprintf(pick(kinds), f.name, f.number)}, said[at:]...)...)
		text := strings.Join(said, " ")
		p.words += len(strings.Fields(text))
		p.facts = append(p.facts, f)
		p.sections = append(p.sections, evidence.Passage{Document: 1, Title: "The survey of the vale",
			Path: []string{"Part " + fmt.Sprint(number)}, Text: text})
	}
	return p
}

var (
	heads = []string{"Nor", "Wester", "Ald", "Brack", "Thorn", "Quill", "Harrow", "Osier", "Fenn", "Larch", "Mar",
		"Tam"}
	tails = []string{"ley", "ham", "wick", "by", "combe", "stead", "field", "ford", "mere", "holt"}
	ends  = []string{"Green", "Mill", "Cross", "End", "Bridge", "Barn", "Weir", "Gate", "Hollow", "Rise"}
	kinds = []string{"At %s %d hives were counted.", "The orchard of %s has %d trees.",
		"In %s the keepers filled %d jars."}
	things = []string{"the hedges", "the meadows", "the keepers", "the apiaries", "the lanes", "the orchards",
		"the swarms",
		"the frames", "the clover", "the limes", "the barns", "the ditches"}
	filler = []string{"Here %s lie beside %s, as they have for as long as anybody remembers.",
		"Whoever walks from %s to %s in the morning hears the bees before seeing them.",
		"In spring %s are green early, and %s follow when the nights are warmer.",
		"Of %s little is written, and of %s nothing that could be relied upon.",
		"The people say that %s were once larger than %s, and that may be so.",
		"After rain %s are heavy going, while %s dry within the day."}
)

// measure has a text put in short in one way, and counts.
func measure(registry *models.Registry, model string, p *planted, way string) (string, error) {
	source, _ := steps.Source("digest")
	r, err := steps.Check("digest", source)
	if err != nil {
		return "", err
	}
	record := &recipe.Recorder{}
	done, err := reply.Try(context.Background(), reply.Options{Models: registry, Log: slog.New(slog.DiscardHandler)},
		reply.Trial{Recipe: r, Inputs: recipe.Values{"question": "The survey", "manner": "on half a page",
			"sections": "with care"}, Settings: recipe.Values{"way": way, "brief_sections": ""}, Model: model,
			Works: p, Record: record})
	if err != nil {
		return "", err
	}
	var notes strings.Builder
	var margin evidence.Sources
	for _, span := range record.Spans() {
		if text, is := span.Out["text"].(string); is && (span.Step == "together" || span.Step == "turned") {
			notes.WriteString(text + "\n")
		}
	}
	for _, part := range done.Parts {
		if v, is := part.Value.(evidence.Sources); is {
			margin = v
		}
	}
	used := record.Usage()
	inNotes := "–"
	if notes.Len() > 0 {
		inNotes = fmt.Sprint(p.survivors(notes.String()))
	}
	return fmt.Sprintf("| %d | %s | %d | %d | %s | %d | %d | %d | %.4f |", p.words, way, len(p.facts),
		p.survivors(done.Reply), inNotes, len(margin.Sentences), p.wrong(done.Reply, margin), used.Calls,
		used.Cost/float64(p.words)*10_000), nil
}

var sentenceEnd = regexp.MustCompile(`[.!?](?:\s*\[\d+\])*(?:\s|$)|\n`)

// survivors is how many facts a text says: the name and the number, in one sentence.
func (p *planted) survivors(text string) (n int) {
	said := sentenceEnd.Split(text, -1)
	for _, f := range p.facts {
		for _, s := range said {
			if strings.Contains(s, f.name) && holds(s, f.number) {
				n++
				break
			}
		}
	}
	return n
}

func holds(sentence string, number int) bool {
	plain := strings.ReplaceAll(sentence, ",", "")
	return regexp.MustCompile(fmt.Sprintf(`\b%d\b`, number)).MatchString(plain)
}

// wrong is how many sentences of a digest are said to be supported by a section that does not
// say it: of another place, or with another number.
func (p *planted) wrong(text string, margin evidence.Sources) (n int) {
	for _, s := range margin.Sentences {
		if s.Support != evidence.Supported || s.To > len(text) {
			continue
		}
		said := text[s.From:s.To]
		for _, f := range p.facts {
			if !strings.Contains(said, f.name) {
				continue
			}
			right := holds(said, f.number)
			for _, note := range s.Notes {
				right = right && note.Passage == f.section
			}
			if !right {
				n++
				break
			}
		}
	}
	return n
}

// writeBetween writes the figures into a document, between the marks that it has for them.
func writeBetween(file, text string) error {
	const begin, end = "<!-- figures: begin -->", "<!-- figures: end -->"
	old, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	before, rest, ok1 := bytes.Cut(old, []byte(begin))
	_, after, ok2 := bytes.Cut(rest, []byte(end))
	if !ok1 || !ok2 {
		return fmt.Errorf("%s has not got the marks %s and %s", file, begin, end)
	}
	return os.WriteFile(file, fmt.Appendf(nil, "%s%s\n%s%s%s", before, begin, text, end, after), 0o644)
}
