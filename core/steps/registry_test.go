package steps

import (
	"reflect"
	"slices"
	"testing"

	"juvalogos/core/recipe"
)

// A kind whose settings have a model says which; that is how what a desk needs
// and costs is known. The compiler holds a kind to its methods; this test finds
// one that has none.
func TestKindsWithAModelSayWhich(t *testing.T) {
	with := 0
	for name, kind := range Kinds() {
		if kind.Set == nil {
			continue
		}
		set := kind.Set()
		field := reflect.ValueOf(set).Elem().FieldByName("Model")
		n, says := set.(namesModel)
		if field.IsValid() != says {
			t.Errorf("%s: a model among its settings %v, says which %v", name, field.IsValid(), says)
			continue
		}
		if !says {
			continue
		}
		with++
		if field.SetString("shed/heather-2"); n.modelNamed() != "shed/heather-2" {
			t.Errorf("%s says %q", name, n.modelNamed())
		}
	}
	if with < 4 {
		t.Errorf("%d kinds with a model", with)
	}
}

// Every kind says what it is, and what each of its ends carries.
func TestKindsAreDescribed(t *testing.T) {
	types := recipe.Types()
	known := func(of recipe.Type) bool {
		if of == recipe.Anything {
			return true
		}
		for e, list := of.Element(); list; e, list = of.Element() {
			of = e
		}
		return slices.Contains(types, of) || of == recipe.Anything
	}
	if len(Kinds()) != len(all()) {
		t.Errorf("%d kinds, %d names: two have the same name", len(all()), len(Kinds()))
	}
	for name, kind := range Kinds() {
		if kind.Name != name || kind.About == "" {
			t.Errorf("%s is called %q: %q", name, kind.Name, kind.About)
		}
		for _, p := range slices.Concat(kind.In, kind.Out) {
			if p.Name == "" || p.About == "" || !known(p.Type) {
				t.Errorf("%s: %+v", name, p)
			}
		}
	}
}
