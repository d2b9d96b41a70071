package yamlfile

import (
	"fmt"
	"reflect"
	"slices"
	"time"
)

// Setting is one field of a flat struct of texts and lengths of time, as a
// command line shows and sets it.
type Setting struct {
	Key, About string
	// Value is the field's value when it was described; "" if it is zero.
	Value string
	// Set parses and sets the field. Errors say what would be right.
	Set func(string) error
}

// Describe lists the fields of the struct that v points to. Fields are texts,
// truths or time.Durations.
func Describe(v any) []Setting {
	s := reflect.ValueOf(v).Elem()
	var all []Setting
	for _, f := range fieldsOf(s.Type()) {
		target := s.Field(f.index)
		d := Setting{Key: f.key, About: f.about}
		if !target.IsZero() {
			d.Value = fmt.Sprint(target.Interface())
		}
		d.Set = func(text string) error {
			if target.Type() == durationType {
				span, err := time.ParseDuration(text)
				if err != nil || span < 0 {
					return fmt.Errorf("%q is not a length of time; write it like 30s, 5m or 1h", text)
				}
				target.SetInt(int64(span))
				return nil
			}
			if target.Kind() == reflect.Bool {
				if text != "true" && text != "false" {
					return fmt.Errorf("%q is neither true nor false", text)
				}
				target.SetBool(text == "true")
				return nil
			}
			if len(f.choices) > 0 && !slices.Contains(f.choices, text) {
				return fmt.Errorf("%s", unknown("value", text, f.choices))
			}
			target.SetString(text)
			return nil
		}
		all = append(all, d)
	}
	return all
}
