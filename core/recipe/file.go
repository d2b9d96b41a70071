package recipe

import (
	"time"

	"juvalogos/core/yamlfile"
)

// File is a recipe file as somebody wrote it.
type File struct {
	Name     string     `yaml:"recipe" json:"recipe" need:"yes" most:"60" pattern:"^[a-z0-9]+(-[a-z0-9]+)*$" patternhelp:"use small letters, digits and single hyphens" about:"The recipe's name."`
	About    string     `yaml:"about" json:"about" most:"400" about:"What it does, in a sentence or two, for makers."`
	Inputs   []Input    `yaml:"inputs" json:"inputs" most:"16" about:"What the visitor gives. A text named question is what they ask; left out, there is only that. What a question is asked with is there by itself: pictures, a list of pictures, and picture, the newest of them."`
	Settings []Input    `yaml:"settings" json:"settings" most:"16" about:"What the desk file may set under recipe_settings."`
	Steps    []StepFile `yaml:"steps" json:"-" need:"yes" least:"1" most:"64" about:"The steps, in any order: what they need of each other decides."`
	Reply    string     `yaml:"reply" json:"reply" need:"yes" about:"Which text is the reply, as STEP.OUTPUT. A list of texts is shown to choose from." example:"answer.text"`
	Show     string     `yaml:"show" json:"show,omitempty" choices:"columns,cards" about:"How a reply of several texts is shown: columns beside each other (the default), or cards of which the visitor takes one."`
	Blind    string     `yaml:"blind" json:"-" about:"A truth: whether the titles of several texts are hidden until the visitor has chosen." example:"settings.blind"`
	Parts    []PartFile `yaml:"parts" json:"-" most:"8" about:"What else the turn gets beside its reply."`
	Limits   Limits     `yaml:"limits" json:"limits" about:"What a run may use at most."`
}

// Input is something that a recipe takes.
type Input struct {
	Name    string         `yaml:"name" json:"name" need:"yes" most:"40" pattern:"^[a-z][a-z0-9_]*$" patternhelp:"use small letters, digits and underscores" about:"Its name in the recipe."`
	Type    Type           `yaml:"type" json:"type" need:"yes" about:"Its type: text, choice, number, truth, address, picture, audio, document, table, voice, data, or a list of one of them." example:"list of text"`
	Title   string         `yaml:"title" json:"title,omitempty" most:"80" about:"What people read above it."`
	Choices []string       `yaml:"choices" json:"choices,omitempty" most:"24" about:"For a choice: what there is to choose from."`
	Need    bool           `yaml:"need" json:"need,omitempty" about:"Whether it must be given."`
	When    string         `yaml:"when" json:"when,omitempty" most:"40" about:"Of an input: a setting without which it is not asked for." example:"cheaply_by"`
	Default yamlfile.Later `yaml:"default" json:"-" about:"Its value where none is given."`

	fallback any
}

// StepFile is a step as somebody wrote it.
type StepFile struct {
	Name     string           `yaml:"name" need:"yes" most:"40" pattern:"^[a-z][a-z0-9_]*$" patternhelp:"use small letters, digits and underscores" about:"The step's name, by which others refer to what it gives."`
	Do       string           `yaml:"do" need:"yes" about:"The kind of step; juvalogos recipe kinds lists them."`
	Says     string           `yaml:"says" most:"80" about:"What a visitor reads while it runs." example:"Reading the handbook"`
	From     yamlfile.Pairs   `yaml:"from" about:"Its inputs: INPUT: WHERE, where WHERE is something that is taken, settings.NAME, STEP.OUTPUT, or within each: item and number."`
	Set      yamlfile.Later   `yaml:"set" about:"The settings of its kind."`
	If       string           `yaml:"if" about:"Run it only if this holds: WHERE (is not empty), not WHERE, WHERE is VALUE, WHERE is not VALUE."`
	Each     string           `yaml:"each" about:"A list: the step runs once for every entry, which is item there, and gives lists."`
	AtOnce   int              `yaml:"at_once" least:"1" most:"64" about:"With each: how many run at once; 4 if left out."`
	Shows    string           `yaml:"shows" about:"With each: which text of each entry the visitor may read as it comes, while there is no reply yet." example:"text"`
	Carries  string           `yaml:"carries" about:"With each: which text of an entry the next one gets, as carried; the entries run one after the other then." example:"text"`
	Limit    time.Duration    `yaml:"limit" about:"The longest it may take."`
	Tries    int              `yaml:"tries" least:"1" most:"10" about:"How often it is tried; once if left out."`
	Fallback []yamlfile.Later `yaml:"fallback" most:"4" about:"Settings to try instead, in this order, when it fails." `
	MayFail  bool             `yaml:"may_fail" about:"Whether the run goes on without it when it fails."`
	Keep     time.Duration    `yaml:"keep" about:"How long its outputs are kept and used again for the same inputs."`
	Steps    []StepFile       `yaml:"steps" most:"32" about:"For a group: its steps."`
	Gives    yamlfile.Pairs   `yaml:"gives" about:"For a group: what it gives, as NAME: STEP.OUTPUT."`
}

// PartFile is a further part of a turn.
type PartFile struct {
	Title string `yaml:"title" need:"yes" most:"80" about:"What visitors read above it."`
	From  string `yaml:"from" need:"yes" about:"What it is, as STEP.OUTPUT: a text, data, a list of texts, or pictures."`
}

// Limits bound a run. Zero means the default.
type Limits struct {
	Calls  int           `yaml:"calls" json:"calls" least:"1" most:"1000" about:"The most times that models are asked in a turn; 20 if left out."`
	Tokens int           `yaml:"tokens" json:"tokens" least:"1" most:"100000000" about:"The most tokens, read and written, in a turn; 200000 if left out."`
	Time   time.Duration `yaml:"time" json:"time" about:"The longest a turn may take; 10m if left out."`
}

// What a recipe leaves out.
const (
	DefaultCalls  = 20
	DefaultTokens = 200_000
	DefaultTime   = 10 * time.Minute
	DefaultAtOnce = 4
)

// Read reads a recipe file without looking at its wires. name is the file's
// name in problems; the error is yamlfile.Problems.
func Read(name string, src []byte) (File, error) {
	var f File
	if err := yamlfile.Decode(name, src, &f); err != nil {
		return File{}, err
	}
	if len(f.Inputs) == 0 {
		f.Inputs = []Input{{Name: "question", Type: Text, Need: true}}
	}
	if f.Limits.Calls == 0 {
		f.Limits.Calls = DefaultCalls
	}
	if f.Limits.Tokens == 0 {
		f.Limits.Tokens = DefaultTokens
	}
	if f.Limits.Time == 0 {
		f.Limits.Time = DefaultTime
	}
	if f.Show == "" {
		f.Show = "columns"
	}
	return f, nil
}

// Schema returns the JSON Schema of recipe files that use these kinds.
func Schema(kinds StepKinds) map[string]any {
	s := yamlfile.Schema("A Juvalogos recipe file", File{})
	steps, _ := s["properties"].(map[string]any)["steps"].(map[string]any)
	if defs, ok := s["$defs"].(map[string]any); ok {
		if step, ok := defs["StepFile"].(map[string]any); ok {
			steps["items"] = map[string]any{"$ref": "#/$defs/StepFile"}
			properties := step["properties"].(map[string]any)
			var names []string
			var cases []any
			for _, k := range kinds.All() {
				names = append(names, k.Name)
				if k.Set == nil {
					continue
				}
				set := yamlfile.SchemaOf(k.Set())
				cases = append(cases, map[string]any{
					"if":   map[string]any{"properties": map[string]any{"do": map[string]any{"const": k.Name}}},
					"then": map[string]any{"properties": map[string]any{"set": set}},
				})
			}
			properties["do"].(map[string]any)["enum"] = append(names, GroupKind)
			step["allOf"] = cases
		}
	}
	return s
}
