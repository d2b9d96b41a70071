package main

import (
	"cmp"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/core/yamlfile"
	"juvalogos/internal/desk"
	"juvalogos/internal/models"
	"juvalogos/internal/models/protocol"
	"juvalogos/internal/outside"
	"juvalogos/internal/reply"
	"juvalogos/internal/vault"
)

func recipeRun(args []string) error {
	f := newFlags("recipe run [flags] NAME|FILE [INPUT=VALUE ...]",
		"Runs a recipe here, without a service or a published desk, and prints each step as it\n"+
			"finishes. INPUT=@FILE takes the value from a file. A single value is the question. FILE may be\n"+
			"a desk file: its recipe, settings, model and brief are used then.",
		"juvalogos recipe run -connections connections.yaml -model heather-2 converse \"How do I light a smoker?\"\n"+
			"juvalogos recipe run -table hives.csv reckon \"Which hive was heaviest?\"\n"+
			"juvalogos recipe run -connections connections.yaml -table hives.csv ledger.yaml \"Weight by month?\"")
	connections := f.String("connections", "", "connection file with the models")
	model := f.String("model", "", "the model of steps that name none")
	brief := f.String("brief", "", "standing instructions")
	settings := f.String("settings", "", "file with what a desk file has under recipe_settings")
	programs := f.String("programs", "", "folder of programs that the recipe may run")
	reach := f.String("reach", "", "hosts that the recipe may call, with commas between")
	var sheets []string
	f.Func("table", "a `FILE` of tables that the recipe may ask; may be given several times",
		func(file string) error { sheets = append(sheets, file); return nil })
	dearest := f.Float64("most", 0, "do not run what could cost more than this; 0: run it")
	asJSON := f.Bool("json", false, "print the reply, the parts and the steps as JSON")
	if err := parse(f, args); err != nil {
		return err
	}
	if f.NArg() < 1 {
		return usageError("name a recipe or a file, and what it takes")
	}
	t, options, err := trialOf(f.Arg(0), f.Args()[1:], *settings, *connections, *programs, *reach)
	if err != nil {
		return err
	}
	t.Model, t.Brief = cmp.Or(*model, t.Model), cmp.Or(*brief, t.Brief)
	if *model == "" && *connections == "" {
		t.Model = "" // there is none to be asked
	}
	forecast, err := t.Forecast(options.Models)
	if err != nil {
		return err
	}
	if !*asJSON {
		fmt.Fprintln(os.Stderr, forecastLine(forecast))
	}
	if *dearest > 0 && forecast.Cost > *dearest {
		return fmt.Errorf("it was not run: it could cost %.2g, and -most allows %.2g; lower max_tokens or limits in "+
			"the recipe, or raise -most", forecast.Cost, *dearest)
	}
	var mu sync.Mutex
	t.Record = &recipe.Recorder{Changed: func(s *recipe.Span) {
		mu.Lock()
		defer mu.Unlock()
		if s.State != recipe.Running && !*asJSON {
			fmt.Fprintln(os.Stderr, spanLine(s))
		}
	}}
	ctx, cancel := interruptible()
	defer cancel()
	if len(sheets) > 0 {
		opened, err := openTables(ctx, sheets)
		if err != nil {
			return err
		}
		defer opened.Close()
		t.Tables = opened
	} else if steps.AsksTables(t.Recipe) {
		return errTableNeeded
	}
	result, err := reply.Try(ctx, options, t)
	if *asJSON {
		out := map[string]any{"reply": result.Reply, "lanes": result.Lanes, "parts": result.Parts,
			"steps": t.Record.Spans()}
		if err != nil {
			out["error"] = err.Error()
		}
		return errors.Join(printJSON(out), err)
	}
	if err != nil {
		return err
	}
	showResult(result, t.Record.Usage())
	return nil
}

// showResult prints what a run made.
func showResult(result recipe.Result, used recipe.Usage) {
	fmt.Fprintf(os.Stderr, "%d calls, %d + %d tokens, cost %.6g\n\n", used.Calls, used.PromptTokens, used.ReplyTokens,
		used.Cost)
	if len(result.Lanes) == 0 {
		show("%s\n", result.Reply)
	}
	for i, l := range result.Lanes {
		show("[%d]\n%s\n\n", i+1, l.Text)
	}
	fmt.Print(partsText(result.Parts))
	for _, p := range result.Parts {
		switch p.Type {
		case recipe.ResultOf, recipe.ChartOf, recipe.FiguresOf, recipe.OutlineOf,
			recipe.QuizOf:
		default:
			show("\n%s:\n%v\n", p.Title, p.Value)
		}
	}
}

// forecastLine tells what a run takes at most.
func forecastLine(f desk.Forecast) string {
	if f.Calls == 0 {
		return "No model is asked."
	}
	line := fmt.Sprintf("At most %d calls, about %d + %d tokens, cost %.2g.", f.Calls, f.PromptTokens, f.ReplyTokens,
		f.Cost)
	if f.Open {
		line += " How many there will be is known while it runs; these are the recipe's limits."
	}
	return line
}

func trialOf(name string, given []string, settings, connections, programs, reach string) (t reply.Trial,
	o reply.Options, err error) {
	if f, src, is := deskFileOf(name); is {
		if t.Recipe, t.Settings, err = ofDeskFile(name, f, src); err != nil {
			return t, o, err
		}
		t.Model, t.Brief = f.Model, f.Brief
	} else if t.Recipe, err = checkedRecipe(name); err != nil {
		return t, o, err
	}
	if t.Inputs, err = takesOf(t.Recipe, given); err != nil {
		return t, o, err
	}
	if settings != "" || t.Settings == nil {
		if t.Settings, err = settingsOf(t.Recipe, settings); err != nil {
			return t, o, err
		}
	}
	if connections == "" { // recipes need not ask any model
		o.Models = models.Open(models.File{}, protocol.All())
	} else if o.Models, err = openConnections(connections); err != nil {
		return t, o, err
	}
	if programs != "" {
		allowed, err := outside.NewPrograms(programs)
		if err != nil {
			return t, o, err
		}
		o.Programs = allowed
	}
	if reach != "" {
		o.Web = outside.NewWeb(strings.Split(reach, ","), vault.References{All: true})
	}
	o.Log = slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn}))
	return t, o, nil
}

// deskFileOf reads a file that is a desk file.
func deskFileOf(name string) (f deskfile.File, src []byte, is bool) {
	if _, builtIn := steps.Source(name); builtIn {
		return f, nil, false
	}
	src, err := os.ReadFile(name)
	if err != nil || !deskLine.Match(src) {
		return f, nil, false
	}
	f, err = deskfile.Read(name, src)
	return f, src, err == nil
}

var deskLine = regexp.MustCompile(`(?m)^slug:`)

// ofDeskFile is the recipe of a desk file, with its settings.
func ofDeskFile(name string, f deskfile.File, src []byte) (r *recipe.Recipe, settings recipe.Values, err error) {
	switch {
	case f.OwnRecipe != "":
		r, err = steps.Check(f.Recipe, []byte(f.OwnRecipe))
	case strings.HasSuffix(f.Recipe, ".recipe.yaml"):
		r, err = checkedRecipe(filepath.Join(filepath.Dir(name), f.Recipe))
	default:
		r, err = checkedRecipe(f.Recipe)
	}
	if err != nil {
		return nil, nil, err
	}
	settings, err = r.Settle(name, "recipe_settings", f.RecipeSettings)
	return r, settings, err
}

// takesOf reads INPUT=VALUE, INPUT=@FILE, or the question alone.
func takesOf(r *recipe.Recipe, given []string) (recipe.Values, error) {
	values := recipe.Values{}
	for _, g := range given {
		name, text, ok := strings.Cut(g, "=")
		i := slices.IndexFunc(r.Inputs, func(in recipe.Input) bool { return in.Name == name })
		if (!ok || i < 0) && len(given) == 1 {
			if j := slices.IndexFunc(r.Inputs, func(in recipe.Input) bool { return in.Name == "question" }); j >= 0 {
				name, text, ok, i = "question", g, true, j
			}
		}
		if !ok || i < 0 {
			var names []string
			for _, in := range r.Inputs {
				names = append(names, in.Name)
			}
			return nil, usageError(fmt.Sprintf("%q is not INPUT=VALUE; this recipe takes: %s", g,
				strings.Join(names, ", ")))
		}
		v, err := readTake(r.Inputs[i], text)
		if err != nil {
			return nil, err
		}
		values[name] = v
	}
	return r.Complete(values)
}

func readTake(in recipe.Input, text string) (any, error) {
	file, isFile := strings.CutPrefix(text, "@")
	if !isFile {
		return in.Parse(text)
	}
	body, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", in.Name, err)
	}
	if slices.Contains([]recipe.Type{recipe.Picture, recipe.Audio, recipe.Document, recipe.Table}, in.Type) {
		return recipe.Media{Name: file, Body: body}, nil
	}
	return in.Parse(strings.TrimRight(string(body), "\n"))
}

func settingsOf(r *recipe.Recipe, file string) (recipe.Values, error) {
	var all struct {
		Settings yamlfile.Later `yaml:"recipe_settings"`
	}
	if file != "" {
		text, err := os.ReadFile(file)
		if err != nil {
			return nil, err
		}
		indented := "recipe_settings:\n"
		for line := range strings.Lines(string(text)) {
			indented += "  " + line
		}
		if err := yamlfile.Decode(file, []byte(indented), &all); err != nil {
			return nil, err
		}
	}
	return r.Settle(file, "recipe_settings", all.Settings)
}

// spanLine tells of a step in one line.
func spanLine(s *recipe.Span) string {
	name := s.Step
	if s.Number > 0 {
		name += fmt.Sprintf(" %d", s.Number)
	}
	mark := map[recipe.State]string{recipe.Done: "✓", recipe.Failed: "✗", recipe.Skipped: "–", recipe.Reused: "↺",
		recipe.Stopped: "■"}[s.State]
	line := fmt.Sprintf("%s %-24s %-10s %8s", mark, name, s.Do, s.Took.Round(time.Millisecond/10))
	for _, c := range s.Calls {
		line += fmt.Sprintf("  %s %d+%d tokens", c.Model, c.PromptTokens, c.ReplyTokens)
	}
	if s.Error != "" {
		line += "\n    " + s.Error
	}
	for _, n := range s.Notes {
		line += "\n    " + n
	}
	return line
}
