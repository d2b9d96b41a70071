package desk

import (
	"encoding/json"
	"fmt"

	"juvalogos/core/deskfile"
	"juvalogos/core/yamlfile"
	"juvalogos/internal/fault"
)

// Pose is what stands otherwise than a desk file says while a run puts questions to the desk.
// The zero value is the desk as it is. Whoever sets one must have made sure that a maker asks.
type Pose struct {
	Model    string             `json:"model,omitempty"`    // "": the desk's
	Sampling *deskfile.Sampling `json:"sampling,omitempty"` // what of it is set; nil: the desk's
	// Recipe is one that comes along, in the place of the desk's and without its brief and what
	// the file sets of its own; "": the desk's.
	Recipe string `json:"recipe,omitempty"`
}

// Chose is how a question was asked otherwise than the desk stands: as its record is kept.
type Chose struct {
	deskfile.Choice
	Pose Pose `json:"pose,omitzero"`
}

// JSON returns nil for what is as the desk is set.
func (c Chose) JSON() json.RawMessage {
	if c == (Chose{}) {
		return nil
	}
	text, err := json.Marshal(c)
	if err != nil {
		return nil // cannot happen: texts and numbers always marshal
	}
	return text
}

// Posed returns the desk in a pose. It fails with a *fault.Problem whose sentence is a maker's.
func (s *Service) Posed(d *Desk, p Pose) (*Desk, error) {
	if p == (Pose{}) {
		return d, nil
	}
	posed := &Desk{Revision: d.Revision, Settings: d.Settings, Recipe: d.Recipe, RecipeSettings: d.RecipeSettings}
	if p.Model != "" {
		posed.Settings.Model = p.Model
	}
	posed.Settings.Sampling = posed.Settings.Sampling.With(p.Sampling)
	if p.Recipe != "" {
		posed.Settings.Recipe, posed.Settings.Brief, posed.Settings.OwnRecipe = p.Recipe, "", ""
		posed.Settings.RecipeSettings, posed.Recipe = yamlfile.Later{}, nil
	}
	posed, err := s.Equip(posed)
	if err == nil && posed.Settings.Model == "" {
		err = fmt.Errorf("the desk %s names no model; choose one", d.Slug)
	}
	if err != nil {
		return nil, fault.Say(fault.Invalid, "This cannot be run: %v.", err)
	}
	return posed, nil
}
