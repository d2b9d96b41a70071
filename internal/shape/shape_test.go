package shape

import (
	"encoding/json"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/words"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/inside"
	"juvalogos/internal/limits"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/shelf"
)

// filled is a value of which nothing is zero, as deep as it goes.
func filled[T any]() T {
	var v T
	fill(reflect.ValueOf(&v).Elem(), 0)
	return v
}

func fill(v reflect.Value, depth int) {
	switch x := v.Addr().Interface().(type) {
	case *time.Time:
		*x = time.Date(2026, 3, 4, 5, 6, 7, 0, time.UTC)
		return
	case *uuid.UUID:
		*x = uuid.MustParse("01a1f9f2-5d0e-7c3a-9d64-0c5d7f1b2e3a")
		return
	case *json.RawMessage:
		*x = json.RawMessage(`{}`)
		return
	}
	switch v.Kind() {
	case reflect.String:
		v.SetString("x")
	case reflect.Bool:
		v.SetBool(true)
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		v.SetInt(int64(7 * time.Second)) // of a duration more than nothing
	case reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64, reflect.Uint:
		v.SetUint(7)
	case reflect.Float64, reflect.Float32:
		v.SetFloat(0.5)
	case reflect.Interface:
		if v.NumMethod() == 0 {
			v.Set(reflect.ValueOf("x"))
		}
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		fill(v.Elem(), depth)
	case reflect.Slice:
		if depth > 6 {
			return
		}
		v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		fill(v.Index(0), depth+1)
	case reflect.Array:
		for i := range v.Len() {
			fill(v.Index(i), depth+1)
		}
	case reflect.Map:
		key, value := reflect.New(v.Type().Key()).Elem(), reflect.New(v.Type().Elem()).Elem()
		fill(key, depth+1)
		fill(value, depth+1)
		v.Set(reflect.MakeMap(v.Type()))
		v.SetMapIndex(key, value)
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				fill(v.Field(i), depth+1)
			}
		}
	}
}

// zeros are the fields, as the API names them, that stayed zero.
func zeros(v reflect.Value, path string) (names []string) {
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if v.IsNil() {
			return []string{path}
		}
		return zeros(v.Elem(), path)
	case reflect.Struct:
		if _, is := v.Interface().(time.Time); is {
			break
		}
		for i := range v.NumField() {
			f := v.Type().Field(i)
			name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			inner := path + "." + name
			if f.Anonymous {
				inner = path
			}
			if f.IsExported() && name != "-" {
				names = append(names, zeros(v.Field(i), inner)...)
			}
		}
		return names
	case reflect.Slice:
		if v.Len() > 0 && v.Type().Elem().Kind() != reflect.Uint8 {
			return zeros(v.Index(0), path)
		}
	}
	if v.IsZero() || v.Kind() == reflect.Slice && v.Len() == 0 {
		return []string{path}
	}
	return nil
}

// Nothing of what is on record is lost on its way into an answer: every field
// of a full source arrives, but for those that are named here with a reason.
func TestShapesLoseNothing(t *testing.T) {
	attempt := filled[record.Attempt]()
	lanes, _ := json.Marshal([]reply.Lane{filled[reply.Lane]()})
	attempt.Lanes, attempt.Parts = lanes, json.RawMessage(`[{"title": "x", "type": "text", "value": "y"}]`)
	attempt.Preferred = nil // else nothing would be blind
	ended := attempt.StartedAt.Add(time.Minute)
	attempt.EndedAt = &ended
	turn := filled[record.Turn]()
	turn.Attempt = attempt
	turn.Pictures[0].Made, _ = json.Marshal(filled[record.Made]())
	trace := filled[record.Trace]()
	trace.Edits, _ = json.Marshal(filled[api.Edits]())
	inside := filled[inside.Inside]()
	inside.Trace, inside.Reruns, inside.Spans[0].In, inside.Spans[0].Out = trace, []record.Trace{trace},
		recipe.Values{"a": "x"}, recipe.Values{"b": "y"}
	inside.Spans[0].Calls[0].Messages[0].Role = "user"
	inside.Spans[0].Calls[0].Messages[0].Pictures = []prompt.Picture{filled[prompt.Picture]()}
	long := strings.Repeat("x", longestShown+1)
	inside.Spans[0].Calls[0].Answer = long
	found := filled[shelf.Match]()
	file := filled[deskfile.File]()
	kind := filled[recipe.StepKind]()
	end := reply.EndOf(attempt)
	end.Problem, end.ProblemID, end.RetryAfter = fault.Unexpected, "x", time.Second
	preferred := 1
	end.Preferred, end.Lanes[0].Blind = &preferred, true
	outcome := Outcome(end, attempt.StartedAt, true)
	outcome.Blind = true // either this or a preference
	for name, c := range map[string]struct {
		shape any
		// but stays zero, because: it is filled in by whoever answers with it.
		but []string
	}{
		"Face": {Face(file), []string{".tables", ".foretold", ".inputs", ".passages_only", ".show", ".depicts",
			".pictures.openers",
			".pictures.by_model", ".pictures.elsewhere.slug", ".pictures.elsewhere.title", ".sound.aloud",
			".sound.aloud_most", ".sound.asks", ".sound.by_address", ".sound.change", ".sound.days",
			".sound.dictate", ".sound.english", ".sound.guided", ".sound.keep", ".sound.language",
			".sound.languages", ".sound.minutes", ".sound.most", ".sound.most_bytes", ".sound.names",
			".sound.price", ".sound.samples", ".sound.take", ".sound.task", ".sound.temperature"}},
		"Input": {Input(recipe.Input{Name: "x", Type: recipe.Choice, Title: "x", Choices: []string{"x"},
			Need: true, Default: filled[recipe.Input]().Default}), []string{".default"}},
		"Conversation": {Conversation(filled[record.Conversation]()), []string{".shared", ".turns", ".summaries",
			".standing.looked_at", ".standing.made_at", ".standing.news.came", ".standing.news.changed",
			".standing.news.more", ".standing.news.sections", ".standing.news.went", ".standing.page",
			".standing.problem", ".standing.title", ".standing.turn"}},
		"excerpt": {excerpt(filled[words.Piece]()), nil},
		// The sentence of a code has no values in it.
		"Turn": {Turn(turn, true), []string{".outcome.reply", ".outcome.preferred",
			".outcome.problem.retry_after", ".outcome.problem.phrase.with", ".pictures.tokens", ".pictures.cost",
			".pictures.made.cost", ".pictures.made.model"}},
		"Attempt": {Attempt(attempt, true), []string{".outcome.reply", ".outcome.preferred",
			".outcome.problem.retry_after", ".outcome.problem.phrase.with"}},
		"Outcome":     {outcome, []string{".reply", ".problem.phrase.with"}},
		"Summary":     {Summary(filled[record.Summary]()), nil},
		"Desk":        {Desk(filled[record.DeskSummary](), file, "x"), []string{".revisions", ".file"}},
		"Revision":    {Revision(filled[record.Revision]()), []string{".file", ".shelves"}},
		"ShelfChange": {ShelfChange(filled[record.ShelfChange]()), nil},
		"FolderFile":  {FolderFile(filled[desk.FolderFile]()), nil},
		"Token":       {Token(filled[record.Token]()), []string{".secret"}},
		"Browser":     {Browser(filled[record.Session](), filled[record.Session]().ID), nil},
		// A typed key never comes back; whether there is one is told.
		// How it is doing is ConnectionNow's.
		"Connection":   {Connection(filled[models.Connection](), true), []string{".key", ".keyed", ".pace", ".state"}},
		"Model":        {Model(filled[models.Entry]()), nil},
		"Probe":        {Probe(filled[models.Probe]()), nil},
		"Kind":         {Kind(kind), nil},
		"Forecast":     {Forecast(filled[desk.Forecast]()), nil},
		"Shelf":        {Shelf(filled[record.Shelf]()), []string{".read_at"}},
		"ShelfReader":  {ShelfReader(deskfile.File{Slug: "x", Title: "X", Readable: deskfile.ReadPassages}), nil},
		"Refusal":      {Refusal(filled[limits.Refusal]()), nil},
		"Document":     {Document(filled[record.Document]()), nil},
		"Attachment":   {Attachment(filled[record.Document]()), nil},
		"Added":        {Added(filled[shelf.Added]()), nil},
		"Passage":      {Passage(filled[record.StoredPassage]()), nil},
		"Hit":          {Hit(found), nil},
		"Settings":     {Settings("x", filled[shelf.Settings]()), nil},
		"Embedding":    {Embedding(filled[shelf.Embedding]()), nil},
		"Trace":        {Trace(trace), nil},
		"Inside":       {Inside(inside, false), nil},
		"UsageRow":     {UsageRow(filled[record.UsageRow]()), nil},
		"Verdict":      {Verdict(filled[record.Judged]()), nil},
		"Cause":        {Cause(filled[record.CauseCount]()), nil},
		"Standing":     {Standing(filled[record.Standing](), true), []string{".page"}},
		"Run":          {Run(filled[record.Run]()), nil},
		"Preference":   {Preference(filled[record.Preference]()), nil},
		"SettingsFrom": {SettingsFrom(filled[api.ShelfSettings]()), nil},
		"EditsFrom":    {EditsFrom(filled[api.Edits]()), nil},
		// The protocol's client and the key are the registry's to fill.
		"ConnectionFrom": {ConnectionFrom(filled[api.Connection]()), nil},
	} {
		missing := slices.DeleteFunc(zeros(reflect.ValueOf(c.shape), ""),
			func(path string) bool { return slices.Contains(c.but, path) })
		if len(missing) > 0 {
			t.Errorf("%s: these stay zero: %s", name, strings.Join(missing, ", "))
		}
		for _, path := range c.but {
			if !slices.Contains(zeros(reflect.ValueOf(c.shape), ""), path) {
				t.Errorf("%s: %s is filled after all", name, path)
			}
		}
	}
}

// What would tell whose a text is, and what it cost, is for makers.
func TestVisitorsAreToldLess(t *testing.T) {
	end := reply.End{State: record.Done, Cost: 2,
		Lanes: []reply.Lane{{Title: "Heather", Model: "shed/heather", Text: "x", Cost: 1, Show: "columns",
			Blind: true}}}
	got := Outcome(end, time.Time{}, false)
	if want := (api.Lane{Title: "A", Text: "x"}); got.Usage.Cost != 0 || got.Lanes[0] != want || !got.Blind {
		t.Errorf("%+v", got)
	}
	preferred := 0
	end.Preferred = &preferred
	if got := Outcome(end, time.Time{}, false); got.Blind || got.Lanes[0].Title != "Heather" || got.Lanes[0].Cost != 0 {
		t.Errorf("once they have chosen: %+v", got)
	}
}
