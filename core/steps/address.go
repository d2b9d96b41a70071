package steps

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"text/template"

	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/templates"
	"juvalogos/core/yamlfile"
)

type addressSet struct {
	Address string         `yaml:"address" json:"address" need:"yes" most:"2000" about:"The address, a text/template over the inputs; query writes a text so that it can stand in an address." example:"https://weather.example.org/day?place={{query .place}}"`
	Method  string         `yaml:"method" json:"method" choices:"GET,POST,PUT" about:"How it is called: GET (the default), or POST or PUT with the inputs as a JSON object."`
	Headers yamlfile.Pairs `yaml:"headers" json:"-" about:"Headers to send. env:NAME stands for what the environment variable NAME holds, so that a key stays out of the recipe."`
	Gives   string         `yaml:"gives" json:"gives" choices:"text,data" about:"What it answers: text (the default), or data, which is JSON."`

	template templates.Sheet
}

// address calls an HTTP address that the owner has allowed.
func address() step {
	functions := template.FuncMap{"query": url.QueryEscape, "path": url.PathEscape}
	return step{
		StepKind: recipe.StepKind{
			Name: "address", About: "Calls an HTTP address. The service only calls hosts that it was started with " +
				"(-reach).",
			Variadic: &recipe.Port{Type: recipe.Anything, About: "what stands in the address or is sent"},
			Set:      func() any { return &addressSet{Method: "GET", Gives: "text"} },
			Check: func(set any) (err error) {
				s := set.(*addressSet)
				if !strings.HasPrefix(s.Address, "http://") && !strings.HasPrefix(s.Address, "https://") {
					return fmt.Errorf("address: it begins with http:// or https://")
				}
				s.template, err = templates.Parse("address", s.Address, functions)
				return err
			},
			Shape: func(set any, in []recipe.Port) ([]recipe.Port, error) {
				s := set.(*addressSet)
				names := make([]string, len(in))
				for i, p := range in {
					names[i] = p.Name
				}
				for _, missing := range templates.Unwired(s.template, names) {
					if !slices.Contains(names, missing) {
						return nil, fmt.Errorf("the address uses {{.%s}}, which is not wired; write it under from",
							missing)
					}
				}
				return append(given(s.Gives),
					recipe.Port{Name: "status", Type: recipe.Number, About: "the HTTP status"}), nil
			},
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			set := c.Set.(*addressSet)
			if t.Web == nil {
				return nil, errors.New("no addresses may be called here; start with -reach HOST to allow one")
			}
			where, err := templates.Fill(ctx, set.template, forTemplate(c.In), prompt.Estimate{})
			if err != nil {
				return nil, err
			}
			var body []byte
			if set.Method != "GET" {
				if body, err = inputOf(c); err != nil {
					return nil, err
				}
			}
			headers := map[string]string{}
			for _, h := range set.Headers {
				headers[h.Key] = h.Value
			}
			status, answer, err := t.Web.Call(ctx, set.Method, where, headers, body)
			if err != nil {
				return nil, err
			}
			if status >= 400 {
				return nil, fmt.Errorf("%s answered with status %d: %.200s", hostOf(where), status, answer)
			}
			out, err := outputOf(set.Gives, answer)
			if err == nil {
				out["status"] = float64(status)
			}
			return out, err
		},
	}
}

// hostOf names an address without what may be secret in it.
func hostOf(where string) string {
	u, err := url.Parse(where)
	if err != nil {
		return "the address"
	}
	return u.Host
}
