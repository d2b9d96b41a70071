package difference

import (
	"math/rand/v2"
	"strings"
	"testing"
)

// Whatever the lists: the pieces lead from one to the other, and no common
// subsequence is longer than what they keep (found the slow way).
func TestTheShortestWay(t *testing.T) {
	chance := rand.New(rand.NewPCG(5, 6))
	list := func() []string {
		l := make([]string, chance.IntN(14))
		for i := range l {
			l[i] = string(rune('a' + chance.IntN(4)))
		}
		return l
	}
	for range 5000 {
		old, new := list(), list()
		var gotOld, gotNew []string
		kept := 0
		for _, p := range Find(old, new) {
			switch p.Kind {
			case Same:
				kept += p.Size
				gotOld = append(gotOld, old[p.Old:p.Old+p.Size]...)
				gotNew = append(gotNew, new[p.New:p.New+p.Size]...)
			case Gone:
				gotOld = append(gotOld, old[p.Old:p.Old+p.Size]...)
			case Added:
				gotNew = append(gotNew, new[p.New:p.New+p.Size]...)
			}
		}
		if strings.Join(gotOld, "") != strings.Join(old, "") || strings.Join(gotNew, "") != strings.Join(new, "") {
			t.Fatalf("%v to %v: the pieces give %v and %v", old, new, gotOld, gotNew)
		}
		if most := longestCommon(old, new); kept != most {
			t.Fatalf("%v to %v keeps %d of %d", old, new, kept, most)
		}
	}
}

func longestCommon(a, b []string) int {
	rows := make([][]int, len(a)+1)
	for i := range rows {
		rows[i] = make([]int, len(b)+1)
	}
	for i := range a {
		for j := range b {
			if a[i] == b[j] {
				rows[i+1][j+1] = rows[i][j] + 1
			} else {
				rows[i+1][j+1] = max(rows[i][j+1], rows[i+1][j])
			}
		}
	}
	return rows[len(a)][len(b)]
}

func TestTheUnifiedFormat(t *testing.T) {
	old := "1\n2\n3\n4\n5\n6\n7\n8\n9\n10\n11\n12\n13\n"
	got := Text(old, strings.Replace(strings.Replace(old, "2\n", "two\n", 1), "13\n", "", 1), "old", "new")
	want := "--- old\n+++ new\n@@ -1,5 +1,5 @@\n 1\n-2\n+two\n 3\n 4\n 5\n@@ -10,4 +10,3 @@\n 10\n 11\n 12\n-13\n"
	if got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
	if got := Text("a\nb\n", "a\nb\n", "x", "y"); got != "" {
		t.Errorf("of the same: %q", got)
	}
	if got, want := Text("", "a\n", "x", "y"), "--- x\n+++ y\n@@ -0,0 +1,1 @@\n+a\n"; got != want {
		t.Errorf("of nothing: %q", got)
	}
}
