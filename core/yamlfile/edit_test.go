package yamlfile

import "testing"

func TestLocate(t *testing.T) {
	src := []byte("# a comment\ntitle: x\nmodels:\n  - {name: a, can: [chat]}\n  - name: b\n    can:\n      - chat\n")
	for path, want := range map[string]Position{
		"title": {2, 8}, "models.0.name": {4, 12}, "models.1.name": {5, 11}, "models.1.can.0": {7, 9},
		"nothing": {1, 1}, "models.7.name": {4, 3},
	} {
		if got := Locate(src, path); got.Line != want.Line || path != "models.7.name" && got != want {
			t.Errorf("%s is at %+v, want %+v", path, got, want)
		}
	}
	Locate([]byte(":\x00: ["), "a") // must not panic
}

func TestSetKeepsEverythingElse(t *testing.T) {
	for _, c := range []struct{ src, want string }{
		{"# top\nslug: old # why\ntitle: x\n", "# top\nslug: new # why\ntitle: x\n"},
		{"title: x", "title: x\nslug: new\n"},
		{"slug: \"old\"\n\n# end", "slug: new\n\n# end"},
	} {
		got, err := Set([]byte(c.src), "slug", "new")
		if err != nil || string(got) != c.want {
			t.Errorf("%q became %q, %v", c.src, got, err)
		}
	}
	if got, err := Set([]byte("slug: old\na: ["), "slug", "new"); err != nil || string(got) != "slug: new\na: [" {
		t.Errorf("a file that is not YAML yet became %q, %v", got, err)
	}
	if got, err := Set([]byte("slug: >-\n  over\n  lines\n"), "slug", "new"); err == nil {
		t.Errorf("a value over several lines became %q", got)
	}
}
