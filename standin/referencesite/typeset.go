package referencesite

import (
	"bytes"
	"fmt"
	"strings"
)

// flowers are what the papers on pollen are about, with the share of the pollen that
// came from it, in percent, and the first day of the year on which it came.
var flowers = []struct {
	name  string
	share float64
	day   int
}{
	{"hazel", 4.2, 31}, {"snowdrop", 1.1, 40}, {"goat willow", 17.5, 68}, {"blackthorn", 3.9, 88},
	{"dandelion", 12.6, 101}, {"maple", 6.4, 107}, {"pear", 2.8, 110}, {"apple", 7.7, 117},
	{"oilseed rape", 22.3, 120}, {"hawthorn", 5.1, 133}, {"horse chestnut", 3.3, 131}, {"field bean", 2.2, 150},
	{"white clover", 19.8, 158}, {"raspberry", 4.9, 152}, {"bramble", 11.4, 166}, {"lime", 8.6, 178},
	{"borage", 1.9, 171}, {"phacelia", 9.2, 185}, {"rosebay", 3.6, 188}, {"thistle", 2.7, 195},
	{"bell heather", 4.4, 192}, {"ling", 15.9, 221}, {"ivy", 13.7, 262}, {"balsam", 10.3, 214}, {"sunflower", 2.1, 203},
	{"chicory", 0.9, 199}, {"mignonette", 0.6, 169},
}

// pollen are the papers on it, one on each flower.
func pollen() (all []Paper) {
	people := []string{"Ilse Marrow", "Teodor Quill", "Anneke Holm", "Bram Adair"}
	for i, f := range flowers {
		all = append(all, Paper{Number: 4 + i, Title: "Pollen loads of " + f.name + " in the Alder Vale",
			Summary: fmt.Sprintf("In 2025 we sorted the pollen loads of twelve colonies by colour and under the "+
				"microscope. "+
				"%s gave %.1f percent of all loads; the first came in on day %d of the year.", sentenceCase(f.name),
				f.share,
				f.day),
			Published: fmt.Sprintf("2026-%02d-%02dT09:00:00Z", 1+i/10, 1+i%28),
			Authors:   []string{people[i%4], people[(i+1)%4]}})
	}
	return all
}

func sentenceCase(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// typeset is a paper as a PDF of one page.
func typeset(p Paper) []byte {
	var text strings.Builder
	text.WriteString("BT /F1 18 Tf 72 760 Td 22 TL ")
	line := func(s string) {
		fmt.Fprintf(&text, "(%s) Tj T* ", strings.NewReplacer(`\`, `\\`, "(", `\(`, ")", `\)`).Replace(s))
	}
	for _, l := range wrapped(p.Title, 48) {
		line(l)
	}
	text.WriteString("/F1 11 Tf 15 TL T* ")
	line(strings.Join(p.Authors, ", "))
	text.WriteString("T* ")
	for _, l := range wrapped(p.Summary+" The loads were weighed dry; a load weighed between 6 and 9 milligrams. "+
		"Colonies at "+
		"the edge of the moor brought less of it than those in the valley. (Simulated: all of this is made up.)", 84) {
		line(l)
	}
	text.WriteString("ET")
	objects := []string{
		"<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Kids[3 0 R]/Count 1>>",
		"<</Type/Page/Parent 2 0 R/MediaBox[0 0 595 842]/Contents 4 0 R/Resources<</Font<</F1 5 0 R>>>>>>",
		fmt.Sprintf("<</Length %d>>stream\n%s\nendstream", text.Len(), text.String()),
		"<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>",
		fmt.Sprintf("<</Title(%s)>>", p.Title),
	}
	var b bytes.Buffer
	b.WriteString("%PDF-1.4\n")
	places := make([]int, len(objects))
	for i, o := range objects {
		places[i] = b.Len()
		fmt.Fprintf(&b, "%d 0 obj%s endobj\n", i+1, o)
	}
	at := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(objects)+1)
	for _, p := range places {
		fmt.Fprintf(&b, "%010d 00000 n \n", p)
	}
	fmt.Fprintf(&b, "trailer<</Size %d/Root 1 0 R/Info 6 0 R>>\nstartxref\n%d\n%%%%EOF\n", len(objects)+1, at)
	return b.Bytes()
}

// wrapped breaks a text into lines of so many letters at most.
func wrapped(text string, most int) (lines []string) {
	line := ""
	for _, w := range strings.Fields(text) {
		if line != "" && len(line)+1+len(w) > most {
			lines = append(lines, line)
			line = ""
		}
		if line != "" {
			line += " "
		}
		line += w
	}
	return append(lines, line)
}
