package citing

import (
	"slices"
	"strings"
	"testing"

	"juvalogos/core/evidence"
)

// Rows of a reply's table are held against the rows of documents: a cell of another
// row does not make it true.
func TestRows(t *testing.T) {
	passage := "Counting mites\n\nMonth: May; Mites a day: more than 3; What to do: take out drone brood\n" +
		"Month: July; Mites a day: more than 8; What to do: treat as soon as the honey is off\n" +
		"Month: August; Mites a day: more than 10; What to do: treat at once\n"
	prices := "A jar of heather honey costs 9 crowns. A jar of lime honey costs 7 crowns."
	reply := "Here is the table:\n\n| Month | Mites a day | What to do |\n|---|---|---|\n" +
		"| May | more than 3 | take out drone brood [1] |\n" +
		"| July | more than 10 | treat at once [1] |\n" +
		"| August | more than 10 | treat at once |\n" +
		"| October | more than 8 | treat at once |\n\n" +
		"| Honey | Price |\n| --- | ---: |\n| Heather | 9 crowns |\n| Lime | 9 crowns |\n"
	got := Check(reply, "", given(passage, prices))
	want := map[string]evidence.Support{
		"| May ": evidence.Supported, "| July ": evidence.Contradicted, "| August ": evidence.Supported,
		"| October ": evidence.Unsupported, "| Heather ": evidence.Supported, "| Lime ": evidence.Contradicted,
		"| Month ": evidence.Neutral, "|---": evidence.Neutral, "| Honey ": evidence.Neutral,
	}
	seen := 0
	for _, s := range got.Sentences {
		text := got.Text[s.From:s.To]
		for begins, support := range want {
			if strings.HasPrefix(text, begins) {
				if seen++; s.Support != support {
					t.Errorf("%q is %s, not %s: %+v", text, s.Support, support, s.Notes)
				}
			}
		}
	}
	if seen != len(want) {
		t.Errorf("%d rows of %d", seen, len(want))
	}
	lines := strings.Split(got.Text, "\n")
	if !slices.Contains(lines, "| August | more than 10 | treat at once [1] |") {
		t.Errorf("references stand in the last cell: %s", got.Text)
	}
}

// Lines with bars that are no table, and tables that are broken, are read as they were.
func TestNoRows(t *testing.T) {
	for _, reply := range []string{"| not a table |", "|---|", "a | b", "| a | b |\n| c | d |", "|\n|-|\n|", ""} {
		got := Check(reply, "", given("Nothing of this."))
		if got.Text != reply {
			t.Errorf("%q became %q", reply, got.Text)
		}
	}
}
