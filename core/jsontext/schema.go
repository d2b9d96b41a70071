package jsontext

import (
	"errors"
	"fmt"
	"strings"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
)

// Schema is a JSON Schema (draft 2020-12).
type Schema struct{ compiled *jsonschema.Schema }

// Compile reads a schema, as encoding/json holds it. It refers to nothing
// outside itself. It fails if schema is none.
func Compile(schema any) (*Schema, error) {
	c := jsonschema.NewCompiler()
	c.UseLoader(nowhere{})
	const name = "mem:schema"
	if err := c.AddResource(name, schema); err != nil {
		return nil, fmt.Errorf("the schema cannot be used: %w", err)
	}
	compiled, err := c.Compile(name)
	if err != nil {
		return nil, fmt.Errorf("the schema cannot be used: %s", strings.ReplaceAll(err.Error(), name, "schema"))
	}
	return &Schema{compiled}, nil
}

// nowhere refuses to fetch schemas.
type nowhere struct{}

func (nowhere) Load(url string) (any, error) {
	return nil, fmt.Errorf("%s is outside of this schema, and nothing is fetched", url)
}

// Validate returns what is wrong with a value, one line each; nil if nothing
// is. v is as encoding/json holds it.
func (s *Schema) Validate(v any) []string {
	err := s.compiled.Validate(v)
	var failed *jsonschema.ValidationError
	if err == nil {
		return nil
	}
	if !errors.As(err, &failed) {
		return []string{err.Error()}
	}
	english := message.NewPrinter(language.English)
	var lines []string
	var walk func(e *jsonschema.ValidationError)
	walk = func(e *jsonschema.ValidationError) {
		if len(e.Causes) == 0 {
			place := strings.Join(e.InstanceLocation, ".")
			if place == "" {
				place = "the whole"
			}
			lines = append(lines, fmt.Sprintf("%s: %s", place, e.ErrorKind.LocalizedString(english)))
		}
		for _, c := range e.Causes {
			walk(c)
		}
	}
	walk(failed)
	return lines
}
