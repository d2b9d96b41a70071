package jsontext_test

import (
	"fmt"
	"strings"

	"juvalogos/core/jsontext"
)

// A model's reply, with what had to be mended.
func ExampleFind() {
	found, err := jsontext.Find("Here you are:\n{'hive': \"Alder\", kilograms: 18,}")
	fmt.Println(jsontext.String(found.Value), strings.Join(found.Mended, "; "), err)
	// Output:
	// {"hive":"Alder","kilograms":18} other quotation marks; a name without quotation marks; a comma too many <nil>
}

// A schema says what is wrong with a value, one line each.
func ExampleSchema_Validate() {
	schema, err := jsontext.Compile(map[string]any{"type": "object", "required": []any{"hive"}})
	if err != nil {
		panic(err)
	}
	fmt.Println(schema.Validate(map[string]any{"kilograms": 18.0}))
	// Output:
	// [the whole: missing property 'hive']
}
