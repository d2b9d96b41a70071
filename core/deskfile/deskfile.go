// Package deskfile reads desk files: the YAML text in which a maker says what a
// desk is, which model answers at it and how.
//
// A desk file is complete in itself. Read checks it against the tags of File,
// tells everything that is wrong at once with line and column, and fills in
// what is left out, so that nobody behind it asks whether a value is there:
//
//	f, err := deskfile.Read("hive-helper.yaml", text)
//	var problems yamlfile.Problems
//	if errors.As(err, &problems) { … }
//
// Whether the models exist, and whether the recipe takes the settings that are
// given, is not for this package to know: package desk checks that when a desk
// is published.
package deskfile

import (
	"cmp"
	"regexp"
	"slices"

	"juvalogos/core/yamlfile"
)

// File is a desk file as its maker wrote it. Zero values mean what the about
// tags say; Memory and Sampling are completed by Read.
type File struct {
	Slug           string         `yaml:"slug" json:"slug" need:"yes" most:"60" pattern:"^[a-z0-9]+(-[a-z0-9]+)*$" patternhelp:"use small letters, digits and single hyphens, like hive-helper" about:"The last part of the desk's address: small letters, digits, hyphens." example:"hive-helper"`
	Title          string         `yaml:"title" json:"title" need:"yes" most:"80" about:"The name that visitors read at the top of the page."`
	Purpose        string         `yaml:"purpose" json:"purpose" need:"yes" most:"400" about:"One or two sentences that tell a visitor what this desk answers."`
	Recipe         string         `yaml:"recipe" json:"recipe" most:"80" about:"How a reply is made: a recipe that comes with Juvalogos (converse, the default; continue; contrast), or a file of your own that ends with .recipe.yaml." example:"contrast"`
	RecipeSettings yamlfile.Later `yaml:"recipe_settings" json:"-" about:"What the recipe leaves to the desk; juvalogos recipe show NAME lists it."`
	OwnRecipe      string         `yaml:"own_recipe" json:"own_recipe,omitempty" most:"100000" about:"The text of the desk's own recipe. Where recipe names a file beside the desk file, publishing puts it here."`
	Model          string         `yaml:"model" json:"model" most:"200" about:"The model that answers: its name in the connection file, or connection/name where two connections have the same. May be left out where the recipe asks none, like reckon with reader: alone."`
	Brief          string         `yaml:"brief" json:"brief" most:"20000" about:"Standing instructions that the model gets with every question. Visitors do not see them."`
	Openers        []string       `yaml:"openers" json:"openers" most:"8" about:"Ready questions a visitor can click to begin; up to 8."`
	OpenerPictures []string       `yaml:"opener_pictures" json:"opener_pictures,omitempty" most:"8" about:"Pictures that the openers are asked with, in the order of the openers: names of files beside the desk file, \"\" for none. Publishing puts them here, under own_pictures." example:"frame.jpg"`
	OwnPictures    yamlfile.Texts `yaml:"own_pictures" json:"-" about:"These pictures, in base64, by their names."`
	GoodFor        []string       `yaml:"good_for" json:"good_for,omitempty" most:"8" about:"What this desk does well, in a few words each. Visitors read it under “What this desk can do”."`
	NotFor         []string       `yaml:"not_for" json:"not_for,omitempty" most:"8" about:"What visitors should not use this desk for, in a few words each."`
	Knowledge      Knowledge      `yaml:"knowledge" json:"knowledge" about:"What the desk knows, and since when it knows nothing more."`
	Shelves        []string       `yaml:"shelves" json:"shelves,omitempty" most:"8" about:"The shelves that this desk answers from, by their names. The recipe is consult then, unless another is named." example:"handbook"`
	Attachments    bool           `yaml:"attachments" json:"attachments,omitempty" about:"Whether visitors may attach documents of their own to a conversation: they are read and answered from, nobody else sees them, and they go with the conversation. The recipe is consult then, unless another is named."`
	Bring          Bring          `yaml:"bring" json:"bring" about:"What visitors may have brought into a conversation, to ask about: addresses, articles, papers, one of the desk's documents. Which hosts are reached at all the owner says (start -visit). The recipe is consult then, unless another is named."`
	Pictures       Pictures       `yaml:"pictures" json:"pictures" about:"Whether visitors may ask about pictures, and how long these are remembered. The model has to see, unless the recipe only reads their text."`
	Sound          Sound          `yaml:"sound" json:"sound" about:"Whether visitors may give recordings, which are written down and can be asked about, and how."`
	Aloud          Aloud          `yaml:"aloud" json:"aloud" about:"Whether replies can be read aloud, and by which model."`
	Readable       string         `yaml:"readable" json:"readable,omitempty" choices:"documents,passages" about:"What visitors may read of the shelves: documents, whole, with what a reply rests on lit up (this, if left out), or passages, those that a reply of theirs rests on and nothing around them."`
	Thinking       string         `yaml:"thinking" json:"thinking,omitempty" choices:"fold,hide" about:"Whether visitors can read what a model thinks aloud before it answers: fold (beside the reply, folded; this, if left out) or hide."`
	Unattended     string         `yaml:"unattended" json:"unattended,omitempty" choices:"answer,drop" about:"What becomes of a question that still waits in line when nobody waits for its reply any more: answer (it is answered all the same; this, if left out) or drop."`
	Standing       []Standing     `yaml:"standing" json:"standing,omitempty" most:"6" about:"Replies that the desk keeps current: each is made anew when what it is made of has changed. Visitors read them, with what is new at the top."`
	Choices        Choices        `yaml:"choices" json:"choices" about:"What visitors may change. Left out: nothing."`
	Sampling       Sampling       `yaml:"sampling" json:"sampling" about:"How the model chooses its words. What is left out is left to the model server."`
	Memory         Memory         `yaml:"memory" json:"memory" about:"How much of the conversation goes into the next prompt."`
}

// Standing is a reply that a desk keeps current.
type Standing struct {
	Title   string         `yaml:"title" json:"title" need:"yes" most:"80" about:"What visitors read: the name of what is kept." example:"The handbook in short"`
	Ask     string         `yaml:"ask" json:"ask" need:"yes" most:"2000" about:"The question that is asked, as a visitor would ask it." example:"The whole handbook"`
	Inputs  yamlfile.Texts `yaml:"inputs" json:"inputs,omitempty" about:"What is filled in beside the question, by name."`
	Address string         `yaml:"address" json:"address,omitempty" most:"2000" about:"Something published that is brought first and asked about; visitors of the desk have to be allowed to bring addresses. Left out: the desk's shelves." example:"https://example.org/notices"`
	Hours   int            `yaml:"hours" json:"hours,omitempty" least:"1" most:"8760" about:"After how many hours, at the earliest, it is looked whether something has changed; 1 if left out, and never sooner than bring.fresh_hours where it has an address."`
}

// DefaultStandingHours is how often standing replies are looked at.
const DefaultStandingHours = 1

// Sampling holds the settings sent with each question. Nil means: not sent.
type Sampling struct {
	Temperature *float64 `yaml:"temperature" json:"temperature,omitempty" least:"0" most:"2" about:"0 is the most careful, 2 the most inventive."`
	TopP        *float64 `yaml:"top_p" json:"top_p,omitempty" least:"0" most:"1" about:"Choose among the likeliest tokens that together have this probability."`
	MaxTokens   int      `yaml:"max_tokens" json:"max_tokens" least:"1" most:"1000000" about:"The longest reply in tokens; 1024 if left out."`
	Stop        []string `yaml:"stop" json:"stop,omitempty" most:"4" about:"Texts at which the model stops; up to 4."`
	Seed        *int     `yaml:"seed" json:"seed,omitempty" about:"Makes replies repeatable on servers that support it."`
	Effort      string   `yaml:"effort" json:"effort,omitempty" choices:"low,medium,high" about:"How much the model thinks before it answers, where its server lets one say: low, medium or high."`
}

// Pictures is what visitors may do with pictures of their own.
type Pictures struct {
	Take      bool     `yaml:"take" json:"take,omitempty" about:"Whether visitors may ask about pictures of their own."`
	Most      int      `yaml:"most" json:"most,omitempty" least:"1" most:"16" about:"How many pictures questions are about at once: a further one puts away the oldest. 4 if left out."`
	Turns     int      `yaml:"turns" json:"turns,omitempty" least:"1" most:"1000" about:"For how many questions a picture is remembered, unless it is put away before; 20 if left out."`
	Hours     int      `yaml:"hours" json:"hours,omitempty" least:"1" most:"8760" about:"For how many hours it is; 72 if left out."`
	Described string   `yaml:"described" json:"described,omitempty" choices:"visitor,model" about:"Who says in words what a picture shows, for those who cannot see it: visitor (whoever gave it; this, if left out) or model (the desk's model too, where the visitor has not)."`
	Onward    []string `yaml:"onward" json:"onward,omitempty" most:"6" about:"Desks, by their slugs, at which visitors can go on with a picture that was made here." example:"more-labels"`
	Elsewhere string   `yaml:"elsewhere" json:"elsewhere,omitempty" most:"60" about:"The desk, by its slug, that looks at pictures where this one does not: visitors who bring one are shown the way."`
}

// Sound is what visitors may do with spoken words.
type Sound struct {
	Take        bool     `yaml:"take" json:"take,omitempty" about:"Whether visitors may give recordings: they are written down, and the text is a document of the conversation. The recipe is consult then, unless another is named."`
	Dictate     bool     `yaml:"dictate" json:"dictate,omitempty" about:"Whether visitors may speak their questions, where they may give no recordings; with take they may in any case. What was spoken is not kept."`
	Model       string   `yaml:"model" json:"model,omitempty" most:"200" about:"The model that writes down what is spoken; the desk's own if left out."`
	Task        string   `yaml:"task" json:"task,omitempty" choices:"write,english" about:"What becomes of a recording: write (it is written down as it is spoken; this, if left out) or english (it is translated into English)."`
	Language    string   `yaml:"language" json:"language,omitempty" most:"2" pattern:"^[a-z]{2}$" patternhelp:"write the language's two letters (ISO 639-1), like en" about:"The language that is spoken, in two letters (ISO 639-1). Left out: the model finds out." example:"en"`
	Names       string   `yaml:"names" json:"names,omitempty" most:"1000" about:"Names and spellings that the model is to go by; visitors may be allowed to add to them." example:"Alder Vale, Hollow Lane, oxalic"`
	Temperature *float64 `yaml:"temperature" json:"temperature,omitempty" least:"0" most:"1" about:"How freely the model guesses at what is not clear; the server's own if left out."`
	Words       *bool    `yaml:"words" json:"words,omitempty" about:"Whether the time of every word is asked for, where the server gives it: each is lit as it is spoken. True if left out."`
	Change      []string `yaml:"change" json:"change,omitempty" most:"4" choices:"task,language,names,temperature" about:"What of these visitors may change, beside names, to which they may always add if the model heeds them."`
	Addresses   bool     `yaml:"addresses" json:"addresses,omitempty" about:"Whether visitors may give recordings by their addresses. Which hosts are reached at all the owner says (start -visit)."`
	Samples     []Sample `yaml:"samples" json:"samples,omitempty" most:"6" about:"Recordings to begin with, by their addresses: visitors see what the desk does without one of their own."`
	Most        int      `yaml:"most" json:"most,omitempty" least:"1" most:"50" about:"How many recordings a conversation may have; 10 if left out."`
	Minutes     int      `yaml:"minutes" json:"minutes,omitempty" least:"1" most:"600" about:"How long a recording may be, in minutes; 180 if left out."`
	Keep        string   `yaml:"keep" json:"keep,omitempty" choices:"until-text,days,conversation" about:"How long a recording is kept: until-text (until its text is there), days (for so many days) or conversation (as long as the conversation; this, if left out). Visitors are told."`
	Days        int      `yaml:"days" json:"days,omitempty" least:"1" most:"3650" about:"For how many days, with keep: days; 7 if left out."`
}

// Sample is a recording to begin with.
type Sample struct {
	Title   string `yaml:"title" json:"title" need:"yes" most:"80" about:"What visitors click."`
	Address string `yaml:"address" json:"address" need:"yes" most:"500" about:"Where it is." example:"https://talks.example.org/wintering.mp3"`
}

// What becomes of recordings, and for how long they are kept.
const (
	IntoEnglish    = "english"
	KeepUntilText  = "until-text"
	KeepDays       = "days"
	DefaultSounds  = 10
	DefaultMinutes = 180
	DefaultDays    = 7
)

// Hears reports whether questions can be spoken: at every desk that hears.
func (s Sound) Hears() bool { return s.Take || s.Dictate }

// May reports whether visitors may change something.
func (s Sound) May(change string) bool { return slices.Contains(s.Change, change) }

// Aloud is how replies are read aloud.
type Aloud struct {
	Model string  `yaml:"model" json:"model,omitempty" most:"200" about:"The model that speaks. Left out: nothing is read aloud." example:"hall-voice"`
	Voice string  `yaml:"voice" json:"voice,omitempty" most:"60" about:"Its voice; its usual one if left out."`
	Speed float64 `yaml:"speed" json:"speed,omitempty" least:"0.5" most:"2" about:"How fast it speaks, where the model can be told; 1 is as usual. Visitors can change how fast it is played in any case."`
}

// ByModel is who describes pictures where it is not the visitor alone.
const ByModel = "model"

// Bring is what visitors may have brought into a conversation.
type Bring struct {
	Addresses  bool          `yaml:"addresses" json:"addresses,omitempty" about:"Whether visitors may bring addresses: pages, PDF and office files, sitemaps, recorded talks by their captions."`
	Sources    []BringSource `yaml:"sources" json:"sources,omitempty" most:"6" about:"Where visitors may look for topics and papers."`
	Documents  bool          `yaml:"documents" json:"documents,omitempty" about:"Whether visitors may choose one document of the desk's shelves and talk about that alone. They see the titles of all then."`
	Most       int           `yaml:"most" json:"most,omitempty" least:"1" most:"100" about:"The most pages of a sitemap, or papers of a search; 30 if left out."`
	FreshHours int           `yaml:"fresh_hours" json:"fresh_hours,omitempty" least:"1" most:"8760" about:"After how many hours something that was brought is looked at again when it is wanted again; 24 if left out."`
	Opens      bool          `yaml:"opens" json:"opens,omitempty" about:"Whether the page opens with “What shall we read?”. It does in any case where the desk has no shelves."`
	Embedding  string        `yaml:"embedding" json:"embedding,omitempty" most:"200" about:"A model whose embeddings help to find passages in what was brought; the built-in ones alone if left out. One with a price is used when the visitor has seen the price."`
}

// BringSource is a place where visitors may look for something to read.
type BringSource struct {
	Kind    string `yaml:"kind" json:"kind" need:"yes" choices:"encyclopedia,papers" about:"encyclopedia (it speaks the MediaWiki action API) or papers (a repository with OpenSearch that answers with Atom)."`
	Title   string `yaml:"title" json:"title" need:"yes" most:"60" about:"What visitors read, like The encyclopedia."`
	Address string `yaml:"address" json:"address" need:"yes" most:"500" about:"The address of its interface (api.php, the OpenSearch description), or of one of its pages." example:"https://encyclopedia.example.org/w/api.php"`
}

// Kinds of places to look.
const (
	Encyclopedia = "encyclopedia"
	Papers       = "papers"
)

// Any reports whether visitors may bring anything.
func (b Bring) Any() bool { return b.Addresses || len(b.Sources) > 0 || b.Documents }

// Knowledge tells visitors how far what the desk says can be relied on.
type Knowledge struct {
	Until   string   `yaml:"until" json:"until,omitempty" most:"60" about:"The model knows nothing of what happened after this." example:"June 2026"`
	Sources []string `yaml:"sources" json:"sources,omitempty" most:"8" about:"What else it knows, with its date." example:"the members' handbook, as of October 2026"`
}

// Memory bounds what is remembered.
type Memory struct {
	Turns   *int `yaml:"turns" json:"turns" least:"0" most:"1000" about:"The most earlier turns that are remembered; 40 if left out, 0 for none."`
	Tokens  *int `yaml:"tokens" json:"tokens" least:"0" most:"10000000" about:"The most tokens that earlier turns may take; 4000 if left out. The model's context length is kept in any case."`
	Summary *int `yaml:"summary" json:"summary" least:"0" most:"100000" about:"The most tokens of the summary that the model makes of turns that no longer fit; 400 if left out, 0 for none."`
}

// What visitors may read, and what becomes of questions that nobody waits for,
// where it is not as usual.
const (
	ReadPassages = "passages"
	Drop         = "drop"
	Hide         = "hide"
)

// Defaults of what a desk file leaves out.
const (
	DefaultRecipe       = "converse"
	RecipeWithShelves   = "consult"
	DefaultMaxTokens    = 1024
	DefaultMemoryTurns  = 40
	DefaultMemoryTokens = 4000
	DefaultSummary      = 400
	DefaultBroughtWorks = 30
	DefaultFreshHours   = 24
	DefaultPictures     = 4
	DefaultPictureTurns = 20
	DefaultPictureHours = 72
)

// Read reads and checks a desk file and completes what it leaves out. name is
// the file's name as it appears in problems. The error is yamlfile.Problems.
func Read(name string, src []byte) (File, error) {
	var f File
	if err := yamlfile.Decode(name, src, &f); err != nil {
		return File{}, err
	}
	if f.Recipe == "" {
		f.Recipe = DefaultRecipe
		if len(f.Shelves) > 0 || f.Attachments || f.Bring.Any() || f.Sound.Take {
			f.Recipe = RecipeWithShelves
		}
	}
	if f.Bring.Most == 0 {
		f.Bring.Most = DefaultBroughtWorks
	}
	if f.Bring.FreshHours == 0 {
		f.Bring.FreshHours = DefaultFreshHours
	}
	for i := range f.Standing {
		f.Standing[i].Hours = cmp.Or(f.Standing[i].Hours, DefaultStandingHours)
	}
	f.Pictures.Most = cmp.Or(f.Pictures.Most, DefaultPictures)
	f.Pictures.Turns = cmp.Or(f.Pictures.Turns, DefaultPictureTurns)
	f.Pictures.Hours = cmp.Or(f.Pictures.Hours, DefaultPictureHours)
	f.Sound.Most = cmp.Or(f.Sound.Most, DefaultSounds)
	f.Sound.Minutes = cmp.Or(f.Sound.Minutes, DefaultMinutes)
	f.Sound.Days = cmp.Or(f.Sound.Days, DefaultDays)
	if f.Sampling.MaxTokens == 0 {
		f.Sampling.MaxTokens = DefaultMaxTokens
	}
	if f.Memory.Turns == nil {
		f.Memory.Turns = new(DefaultMemoryTurns)
	}
	if f.Memory.Tokens == nil {
		f.Memory.Tokens = new(DefaultMemoryTokens)
	}
	if f.Memory.Summary == nil {
		f.Memory.Summary = new(DefaultSummary)
	}
	return f, nil
}

// Schema returns the JSON Schema of desk files.
func Schema() map[string]any { return yamlfile.Schema("A Juvalogos desk file", File{}) }

var slugPattern = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// ValidSlug reports whether slug can be a desk's address.
func ValidSlug(slug string) bool {
	return len(slug) <= 60 && slugPattern.MatchString(slug)
}
