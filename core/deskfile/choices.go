package deskfile

import (
	"fmt"
	"slices"
	"strings"
)

// Choices are what a desk's visitors may change about their replies.
type Choices struct {
	Models    []ModelChoice `yaml:"models" json:"models,omitempty" most:"8" about:"Models that a visitor may choose instead of the desk's own."`
	Manner    bool          `yaml:"manner" json:"manner,omitempty" about:"Whether a visitor may have replies more careful or more inventive (a lower or higher temperature)."`
	Length    bool          `yaml:"length" json:"length,omitempty" about:"Whether a visitor may ask for shorter or longer replies."`
	Languages []string      `yaml:"languages" json:"languages,omitempty" most:"24" about:"Languages that a visitor may choose for replies, each in its own name." example:"Deutsch"`
}

// ModelChoice is a model under a name that visitors understand.
type ModelChoice struct {
	Model string `yaml:"model" json:"model" need:"yes" most:"200" about:"The model's name in the connection file."`
	Title string `yaml:"title" json:"title" need:"yes" most:"60" about:"What visitors read, like Thorough."`
}

// Choice is what one visitor has chosen; empty fields mean as the desk is set.
type Choice struct {
	Model    string `json:"model,omitempty"` // as in ModelChoice
	Manner   Manner `json:"manner,omitempty"`
	Length   Length `json:"length,omitempty"`
	Language string `json:"language,omitempty"`
}

// Manner is how freely a model chooses its words.
type Manner string

// The manners.
const (
	Careful   Manner = "careful"
	Inventive Manner = "inventive"
)

// Length is how long a reply is to be.
type Length string

// The lengths.
const (
	Short Length = "short"
	Long  Length = "long"
)

// NotOffered is the error of a choice that the desk does not leave to visitors.
type NotOffered struct{ What, Value string }

func (e *NotOffered) Error() string {
	return fmt.Sprintf("the desk does not offer the %s %q", e.What, e.Value)
}

// With returns the desk as a visitor has chosen it: another model, another
// temperature, further instructions at the end of the brief. The error is
// *NotOffered.
func (f File) With(c Choice) (File, error) {
	var more []string
	if c.Model != "" && c.Model != f.Model {
		if !slices.ContainsFunc(f.Choices.Models, func(m ModelChoice) bool { return m.Model == c.Model }) {
			return f, &NotOffered{"model", c.Model}
		}
		f.Model = c.Model
	}
	if c.Manner != "" {
		t, ok := f.temperature(c.Manner)
		if !ok || !f.Choices.Manner {
			return f, &NotOffered{"manner", string(c.Manner)}
		}
		f.Sampling.Temperature = &t
	}
	if c.Length != "" {
		instruction, ok := lengths[c.Length]
		if !ok || !f.Choices.Length {
			return f, &NotOffered{"length", string(c.Length)}
		}
		more = append(more, instruction)
	}
	if c.Language != "" {
		if !slices.Contains(f.Choices.Languages, c.Language) {
			return f, &NotOffered{"language", c.Language}
		}
		more = append(more, fmt.Sprintf("Write your reply in this language: %s.", c.Language))
	}
	if more != nil {
		f.Brief = strings.TrimSpace(strings.TrimSpace(f.Brief) + "\n\n" + strings.Join(more, "\n"))
	}
	return f, nil
}

var lengths = map[Length]string{
	Short: "Keep the reply short: two or three sentences.",
	Long:  "Give a thorough reply that goes into the details.",
}

// With returns the settings with others in their place, as far as those are set; nil: none.
func (s Sampling) With(n *Sampling) Sampling {
	if n == nil {
		return s
	}
	if n.Temperature != nil {
		s.Temperature = n.Temperature
	}
	if n.TopP != nil {
		s.TopP = n.TopP
	}
	if n.MaxTokens > 0 {
		s.MaxTokens = n.MaxTokens
	}
	if n.Seed != nil {
		s.Seed = n.Seed
	}
	if n.Stop != nil {
		s.Stop = n.Stop
	}
	if n.Effort != "" {
		s.Effort = n.Effort
	}
	return s
}

// usualTemperature stands for what a model server takes if it is told nothing.
const usualTemperature = 0.7

// temperature is well below the desk's own, or well above, within 0 and 1.5:
// beyond that most models lose their grammar.
func (f File) temperature(m Manner) (float64, bool) {
	own := usualTemperature
	if t := f.Sampling.Temperature; t != nil {
		own = *t
	}
	switch m {
	case Careful:
		return own * 0.3, true
	case Inventive:
		return max(own, min(own+0.5, 1.5)), true
	}
	return 0, false
}
