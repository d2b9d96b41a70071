package retrieval

import "testing"

// Words that share a stem by chance are not taken for each other; those that have to
// do with each other are.
func TestApart(t *testing.T) {
	for _, c := range []struct {
		a, b string
		same bool
	}{
		{"organism", "organization", false}, {"populism", "population", false}, {"importer", "important", false},
		{"imports", "importers", true}, {"organize", "organizations", true}, {"quit", "quite", false},
		{"hive", "hives", true}, {"feeding", "feed", true}, {"severed", "several", false},
		{"inspection", "inspect", true}, {"mainly", "main", true}, {"general", "generally", true},
	} {
		if a, b := stemOf("en", c.a), stemOf("en", c.b); (a == b) != c.same {
			t.Errorf("%s is %s, %s is %s", c.a, a, c.b, b)
		}
	}
	if stemOf("de", "organism") == stemOf("en", "organism") {
		t.Error("other languages have other stems")
	}
	if n := len(apart()); n > 2000 {
		t.Errorf("%d words are told apart", n)
	}
}
