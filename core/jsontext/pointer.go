package jsontext

import (
	"fmt"
	"strconv"
	"strings"
)

// CheckPointer fails if a text is no JSON Pointer (RFC 6901); the error says why.
func CheckPointer(pointer string) error {
	if pointer != "" && !strings.HasPrefix(pointer, "/") {
		return fmt.Errorf("%q is no JSON Pointer: it begins with /, like /results/0/text", pointer)
	}
	for i := 0; i < len(pointer); i++ {
		if pointer[i] == '~' && (i+1 == len(pointer) || pointer[i+1] != '0' && pointer[i+1] != '1') {
			return fmt.Errorf("%q is no JSON Pointer: write ~ as ~0 and / within a name as ~1", pointer)
		}
	}
	return nil
}

var unescape = strings.NewReplacer("~1", "/", "~0", "~")

// At is what stands at a JSON Pointer (RFC 6901) in v, which is as encoding/json
// makes it; false if there is nothing.
func At(v any, pointer string) (any, bool) {
	if pointer == "" {
		return v, true
	}
	if CheckPointer(pointer) != nil {
		return nil, false
	}
	for _, token := range strings.Split(pointer[1:], "/") {
		switch holder := v.(type) {
		case map[string]any:
			inner, ok := holder[unescape.Replace(token)]
			if !ok {
				return nil, false
			}
			v = inner
		case []any:
			i, err := strconv.Atoi(token)
			if err != nil || i < 0 || i >= len(holder) || token != strconv.Itoa(i) {
				return nil, false
			}
			v = holder[i]
		default:
			return nil, false
		}
	}
	return v, true
}
