package jsontext

import (
	"encoding/json"
	"testing"
)

// The examples of RFC 6901, section 5, and what is none.
func TestPointers(t *testing.T) {
	var v any
	if err := json.Unmarshal([]byte(`{"foo": ["bar", "baz"], "": 0, "a/b": 1, "c%d": 2, "e^f": 3, "g|h": 4, "i\\j": 5,
		"k\"l": 6, " ": 7, "m~n": 8}`), &v); err != nil {
		t.Fatal(err)
	}
	for pointer, want := range map[string]any{"/foo/0": "bar", "/": 0.0, "/a~1b": 1.0, "/c%d": 2.0, "/e^f": 3.0,
		"/g|h": 4.0, "/i\\j": 5.0, "/k\"l": 6.0, "/ ": 7.0, "/m~0n": 8.0} {
		if got, ok := At(v, pointer); !ok || got != want {
			t.Errorf("%s: %v, %v", pointer, got, ok)
		}
	}
	if whole, ok := At(v, ""); !ok || len(whole.(map[string]any)) != 10 {
		t.Errorf("the whole: %v", whole)
	}
	for _, pointer := range []string{"foo", "/foo/2", "/foo/-", "/foo/00", "/foo/x", "/nothing", "/foo/0/x", "/m~n",
		"/m~"} {
		if got, ok := At(v, pointer); ok {
			t.Errorf("%s: %v", pointer, got)
		}
	}
	if CheckPointer("foo") == nil || CheckPointer("/m~") == nil || CheckPointer("/m~0n/0") != nil {
		t.Error("checked wrongly")
	}
}
