package steps

import (
	"context"
	"fmt"
	"strings"

	"juvalogos/core/recipe"
)

// joinSet are the settings, as they stand under set in a recipe.
type joinSet struct {
	Between string `yaml:"between" json:"between" most:"200" about:"What stands between the texts; an empty line if left out."`
	Last    bool   `yaml:"last" json:"last,omitempty" about:"Of a list only its last text."`
	Before  string `yaml:"before" json:"before,omitempty" most:"200" about:"What stands before each text, like \"- \"."`
}

// join puts texts together.
func join() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "join", About: "Puts texts together, in the order of the file. Those that are empty are left out.",
			Variadic: &recipe.Port{Type: recipe.Anything, Need: true, About: "texts, or lists of texts"},
			Out:      []recipe.Port{{Name: "text", Type: recipe.Text, About: "the texts, one after the other"}},
			Set:      func() any { return &joinSet{Between: "\n\n"} },
			Shape: func(_ any, in []recipe.Port) ([]recipe.Port, error) {
				for _, p := range in {
					if !recipe.Text.Takes(p.Type) && !recipe.ListOf(recipe.Text).Takes(p.Type) {
						return nil, fmt.Errorf("%s is a %s, and only texts and lists of texts can be joined", p.Name,
							p.Type)
					}
				}
				return join().Out, nil
			},
		},
		do: func(_ *RunContext, _ context.Context, c *recipe.Call) (recipe.Values, error) {
			set := c.Set.(*joinSet)
			var parts []string
			for _, name := range c.Wide {
				list, isList := c.In[name].([]any)
				if !isList {
					list = []any{c.In[name]}
				}
				if set.Last {
					list = lastText(list)
				}
				for _, v := range list {
					if text, _ := v.(string); strings.TrimSpace(text) != "" {
						parts = append(parts, set.Before+text)
					}
				}
			}
			return recipe.Values{"text": strings.Join(parts, set.Between)}, nil
		},
	}
}

// lastText is the last text of a list, alone; nothing if it has none.
func lastText(list []any) []any {
	for i := len(list) - 1; i >= 0; i-- {
		if text, _ := list[i].(string); strings.TrimSpace(text) != "" {
			return list[i : i+1]
		}
	}
	return nil
}
