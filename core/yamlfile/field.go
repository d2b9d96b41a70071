package yamlfile

import (
	"reflect"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// field is what the tags of one struct field say.
type field struct {
	index       int
	kind        reflect.Type
	key         string
	about       string
	need        bool
	choices     []string
	pattern     *regexp.Regexp
	patternHelp string
	least, most *float64
	example     string
}

var durationType = reflect.TypeFor[time.Duration]()

func fieldsOf(t reflect.Type) []field {
	var fs []field
	for i := range t.NumField() {
		sf := t.Field(i)
		key, _, _ := strings.Cut(sf.Tag.Get("yaml"), ",") // options are the marshaller's
		if key == "" || key == "-" {
			continue
		}
		f := field{
			index: i, kind: sf.Type, key: key,
			about: sf.Tag.Get("about"), need: sf.Tag.Get("need") == "yes",
			patternHelp: sf.Tag.Get("patternhelp"), example: sf.Tag.Get("example"),
			least: number(sf.Tag.Get("least")), most: number(sf.Tag.Get("most")),
		}
		if f.kind.Kind() == reflect.Pointer {
			f.kind = f.kind.Elem()
		}
		if c := sf.Tag.Get("choices"); c != "" {
			f.choices = strings.Split(c, ",")
		}
		if p := sf.Tag.Get("pattern"); p != "" {
			f.pattern = regexp.MustCompile(p)
		}
		fs = append(fs, f)
	}
	return fs
}

func number(s string) *float64 {
	if s == "" {
		return nil
	}
	n, err := strconv.ParseFloat(s, 64)
	if err != nil {
		panic("yamlfile: bound in a struct tag is not a number: " + s)
	}
	return &n
}

func keys(fs []field) []string {
	ks := make([]string, len(fs))
	for i, f := range fs {
		ks[i] = f.key
	}
	return ks
}
