package quiz

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
	"testing"
)

var sample = Quiz{Title: "Feeding & <wintering>", Questions: []Question{
	{Text: `What is "never" fed?`, Options: []Option{{"Honey, of unknown origin", true}, {"=2+2", false}, {"Äpfel & Birnen", false}},
		Quote: "Never feed honey"},
	{Text: "How much?\nIn kg.", Options: []Option{{"5 <kg>", false}, {"15 kg", true}}},
}}

// What is written is read again, in each format; of CSV and QTI the order and the texts.
func TestFormatsGoThereAndBack(t *testing.T) {
	plain := func(q Quiz) string {
		var all []string
		for _, one := range q.Questions {
			right := one.Options[one.Right()].Text
			said := map[string]bool{}
			for _, o := range one.Options {
				said[o.Text] = o.Right
			}
			all = append(all, fmt.Sprint(strings.Join(strings.Fields(one.Text), " "), "|", right, "|", said))
		}
		return strings.Join(all, "\n")
	}
	text, err := json.Marshal(sample)
	if err != nil {
		t.Fatal(err)
	}
	if got, err := ReadJSON(text); err != nil || !reflect.DeepEqual(got, sample) {
		t.Errorf("JSON: %v, %+v", err, got)
	}
	var b bytes.Buffer
	if err := sample.WriteCSV(&b); err != nil || !strings.Contains(b.String(), "'=2+2") {
		t.Errorf("%v: %s", err, b.String())
	}
	if got, err := ReadCSV("x", b.Bytes()); err != nil || plain(got) != plain(sample) {
		t.Errorf("CSV: %v\n%s\n%s", err, plain(got), plain(sample))
	}
	b.Reset()
	if err := sample.WriteQTI(&b); err != nil {
		t.Fatal(err)
	}
	got, left, err := ReadQTI("x", b.Bytes())
	if err != nil || left != nil || got.Title != sample.Title || plain(got) != plain(sample) {
		t.Errorf("QTI: %v, %v\n%s\n%s", err, left, plain(got), plain(sample))
	}
}

// What another program writes is read as far as it can be, and the rest is named.
func TestQTIOfOthers(t *testing.T) {
	const item = `<?xml version="1.0"?><qti-assessment-item xmlns="http://www.imsglobal.org/xsd/imsqtiasi_v3p0" identifier="i" title="t"
 adaptive="false" time-dependent="false"><qti-response-declaration identifier="R" cardinality="single" base-type="identifier">
 <qti-correct-response><qti-value> B </qti-value></qti-correct-response></qti-response-declaration>
 <qti-item-body><p>Look at the <em>hive</em>.</p><qti-choice-interaction response-identifier="R" %s><qti-prompt>Who sits
 <b>there</b>?</qti-prompt><qti-simple-choice identifier="A">A drone</qti-simple-choice><qti-simple-choice identifier="B"><p>The
 queen</p></qti-simple-choice></qti-choice-interaction></qti-item-body></qti-assessment-item>`
	q, _, err := ReadQTI("Bees", fmt.Appendf(nil, item, `max-choices="1"`))
	if err != nil || q.Questions[0].Text != "Look at the hive . Who sits there ?" ||
		q.Questions[0].Options[1] != (Option{"The queen", true}) {
		t.Errorf("%v, %+v", err, q)
	}
	if _, _, err := ReadQTI("Bees", fmt.Appendf(nil, item, `max-choices="2"`)); err == nil {
		t.Error("several may be chosen, and it is taken")
	}
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, body := range map[string]string{"a.xml": fmt.Sprintf(item, `max-choices="1"`), "b.xml": "<other/>",
		"c.xml": fmt.Sprintf(item, `max-choices="0"`)} {
		w, _ := z.Create(name)
		_, _ = w.Write([]byte(body))
	}
	z.Close()
	q, left, err := ReadQTI("Bees", b.Bytes())
	if err != nil || len(q.Questions) != 1 || len(left) != 2 {
		t.Errorf("%v, %+v, left out: %q", err, q, left)
	}
}

// A package that unpacks to much more than it is, in one item or in many, is refused.
func TestPackedBombs(t *testing.T) {
	for name, c := range map[string]struct{ files, size int }{"one": {1, 40 << 20}, "many": {60, 900 << 10},
		"very many": {2000, 10}} {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for i := range c.files {
			w, err := z.Create(fmt.Sprint(i, ".xml"))
			if err == nil {
				_, err = w.Write(bytes.Repeat([]byte(" "), c.size))
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		z.Close()
		if _, _, err := ReadQTI("x", b.Bytes()); err == nil || !strings.Contains(err.Error(), "most") &&
			!strings.Contains(err.Error(), "unpacks") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// Bad files are told, and what is wrong with them.
func TestBadFiles(t *testing.T) {
	for _, body := range []string{"", "{", `{"title": "x", "questions": []}`, `{"nope": 1}`,
		`{"title": "x", "questions": [{"question": "a", "options": [{"text": "b"}, {"text": "c"}]}]}`} {
		if _, err := ReadJSON([]byte(body)); err == nil {
			t.Errorf("%s is read", body)
		}
	}
	for _, body := range []string{"", "a,b\n1,2\n", "question,right\nx,y\n", "question,right,wrong 1\nx,y,\n",
		"question,right,wrong 1\nx,y,y\n"} {
		if _, err := ReadCSV("x", []byte(body)); err == nil {
			t.Errorf("%s is read", body)
		}
	}
}

func FuzzReaders(f *testing.F) {
	var b bytes.Buffer
	_ = sample.WriteQTI(&b)
	text, _ := json.Marshal(sample)
	for _, seed := range [][]byte{b.Bytes(), text, []byte("question,right,wrong 1\na,b,c\n")} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, body []byte) {
		for _, read := range []func([]byte) (Quiz, error){ReadJSON,
			func(b []byte) (Quiz, error) { return ReadCSV("x", b) },
			func(b []byte) (Quiz, error) { q, _, err := ReadQTI("x", b); return q, err }} {
			if q, err := read(body); err == nil {
				if q.Wrong() != nil {
					t.Errorf("%+v", q)
				}
				Check(q.Questions)
			}
		}
	})
}
