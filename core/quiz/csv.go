package quiz

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
)

// MostBytes is how large a file may be that is read.
const MostBytes = 4 << 20

// ReadJSON reads a quiz as it is written in JSON. The error says what is wrong, every mistake
// of it.
func ReadJSON(body []byte) (Quiz, error) {
	var q Quiz
	d := json.NewDecoder(bytes.NewReader(body))
	d.DisallowUnknownFields()
	if err := d.Decode(&q); err != nil {
		return q, fmt.Errorf("this is no quiz: %s", strings.TrimPrefix(err.Error(), "json: "))
	}
	return q, q.Wrong()
}

// csvHead are the columns of a quiz in CSV; there are as many wrong ones as there are options
// but one.
var csvHead = []string{"question", "right", "quote", "document", "place"}

// WriteCSV writes a quiz as CSV: a row for each question, the right option before the wrong
// ones. The error is the writer's.
func (q *Quiz) WriteCSV(to io.Writer) error {
	most := 0
	for i := range q.Questions {
		most = max(most, len(q.Questions[i].Options)-1)
	}
	w := csv.NewWriter(to)
	head := slices.Clone(csvHead)
	for i := range most {
		head = append(head, fmt.Sprint("wrong ", i+1))
	}
	rows := [][]string{head}
	for _, one := range q.Questions {
		row := []string{one.Text, "", one.Quote, "", ""}
		if s := one.Source; s != nil {
			row[3], row[4] = s.Passage.Title, s.Place
		}
		for _, o := range one.Options {
			if o.Right {
				row[1] = o.Text
			} else {
				row = append(row, o.Text)
			}
		}
		for len(row) < len(head) {
			row = append(row, "")
		}
		rows = append(rows, safeRow(row))
	}
	if err := w.WriteAll(rows); err != nil {
		return err
	}
	return w.Error()
}

// safeRow has cells that a spreadsheet would take for formulas begin with an apostrophe.
func safeRow(row []string) []string {
	for i, c := range row {
		if c != "" && strings.ContainsRune("=+-@\t\r", rune(c[0])) {
			row[i] = "'" + c
		}
	}
	return row
}

// ReadCSV reads a quiz from CSV with a head: question, right, and wrong 1, wrong 2 and so on;
// what else there is of WriteCSV's columns is taken too, and other columns are an error. Where
// questions came from cannot be looked up any more.
func ReadCSV(title string, body []byte) (Quiz, error) {
	q := Quiz{Title: title, Questions: []Question{}}
	r := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(body, []byte("\xef\xbb\xbf"))))
	head, err := r.Read()
	if err != nil {
		return q, fmt.Errorf("this is no CSV with a head: %w", err)
	}
	at := map[string]int{}
	var wrong []int
	for i, name := range head {
		name = strings.ToLower(strings.TrimSpace(name))
		switch {
		case strings.HasPrefix(name, "wrong"):
			wrong = append(wrong, i)
		case slices.Contains(csvHead, name):
			at[name] = i
		default:
			return q, fmt.Errorf("the column %q is not known; there are question, right, wrong 1, wrong 2 "+
				"and so on, quote, "+
				"document and place", name)
		}
	}
	text, is1 := at["question"]
	right, is2 := at["right"]
	if !is1 || !is2 || wrong == nil {
		return q, errors.New("the head needs the columns question, right and wrong 1")
	}
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return q, q.Wrong()
		}
		if err != nil {
			return q, fmt.Errorf("this is no CSV: %w", err)
		}
		cell := func(i int) string { return strings.TrimPrefix(strings.TrimSpace(row[i]), "'") }
		one := Question{Text: cell(text), Options: []Option{{cell(right), true}}}
		for _, i := range wrong {
			if c := cell(i); c != "" {
				one.Options = append(one.Options, Option{Text: c})
			}
		}
		if i, is := at["quote"]; is {
			one.Quote = cell(i)
		}
		q.Questions = append(q.Questions, one)
	}
}
