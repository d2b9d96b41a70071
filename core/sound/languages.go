package sound

import (
	"strings"
	"sync"

	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
)

// Language is a language that recognisers may be told of.
type Language struct {
	Code string `json:"code"` // ISO 639-1
	Name string `json:"name"` // in English
}

// codes are those that speech models commonly know.
const codes = "af ar az be bg bn bs ca cs cy da de el en es et fa fi fr gl gu he hi hr hu hy id is it ja ka kk kn " +
	"ko lt " +
	"lv mi mk ml mr ms mt nb ne nl pa pl pt ro ru sk sl sq sr sv sw ta te th tl tr uk ur uz vi yi zh"

// Languages lists languages by their names.
var Languages = sync.OnceValue(func() (all []Language) {
	names := display.English.Languages()
	for _, code := range strings.Fields(codes) {
		all = append(all, Language{code, names.Name(language.Make(code))})
	}
	return all
})

// LanguageCode is the code of a language that is named by its code, with or without a
// region, or by its English name; "" if it is none.
func LanguageCode(name string) string {
	name = strings.TrimSpace(name)
	for _, l := range Languages() {
		if strings.EqualFold(l.Name, name) {
			return l.Code
		}
	}
	if len(name) > 20 {
		return ""
	}
	tag, err := language.Parse(name)
	if base, confidence := tag.Base(); err == nil && confidence != language.No {
		if code := base.String(); len(code) == 2 {
			return code
		}
	}
	return ""
}

// LanguageName is a language's English name by its code; the code if it has none.
func LanguageName(code string) string {
	for _, l := range Languages() {
		if l.Code == code {
			return l.Name
		}
	}
	return code
}
