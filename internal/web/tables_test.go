package web_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"juvalogos/core/tables"
	"juvalogos/internal/api"
	"juvalogos/internal/testbed"
)

const ownTable = `slug: own-table
title: Your table
purpose: Answers from your table.
model: thyme-mini
recipe: reckon
recipe_settings: {reader: alone}
attachments: true
`

const fair = "Fair;;\nDay;Who;Amount\n01.06.2026;Ada;€ 120,50\n02.06.2026;Bram;€ 64,00\n03.06.2026;Ada;about 30\n" +
	"04.06.2026;Cleo;€ 1.210,00\n05.06.2026;Dora;€ 5,00\nTotal;;€ 1.394,50\n"

// attachTo gives a file to a conversation, "" one that is to begin, and returns its id.
func attachTo(t *testing.T, b *testbed.Bed, c *http.Client, desk, conversation, name, text string) api.Attached {
	t.Helper()
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	part, _ := form.CreateFormFile("file", name)
	_, _ = io.WriteString(part, text)
	form.Close()
	path := b.Address + "/api/at/" + desk + "/attachments"
	if conversation != "" {
		path += "?conversation=" + conversation
	}
	r, err := c.Post(path, form.FormDataContentType(), &body)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	var a api.Attached
	if err := json.NewDecoder(r.Body).Decode(&a); err != nil || r.StatusCode != 202 {
		t.Fatalf("%d %v", r.StatusCode, err)
	}
	return a
}

// tablesOf waits until what a conversation has is read, and returns its tables.
func tablesOf(t *testing.T, b *testbed.Bed, c *http.Client, desk, conversation string) (list api.TableList) {
	t.Helper()
	testbed.Until(t, "the tables are read", func() bool {
		r, text := call(t, c, "GET", b.Address+"/api/at/"+desk+"/tables?conversation="+conversation, "")
		if r.StatusCode != 200 {
			t.Fatalf("%d %s", r.StatusCode, text)
		}
		list = api.TableList{}
		if err := json.Unmarshal([]byte(text), &list); err != nil {
			t.Fatal(err)
		}
		return len(list.Documents) > 0
	})
	return list
}

// asked asks in a conversation and returns the turn as it is on record.
func asked(t *testing.T, b *testbed.Bed, c *http.Client, desk, conversation, question string) (turn api.Turn) {
	t.Helper()
	r, text := call(t, c, "POST", b.Address+"/api/at/"+desk+"/questions",
		fmt.Sprintf(`{"question":%q,"conversation":%q}`, question, conversation))
	if r.StatusCode != 200 {
		t.Fatalf("%d %s", r.StatusCode, text)
	}
	_, rest, _ := strings.Cut(text, `"turn":"`)
	id, _, found := strings.Cut(rest, `"`)
	if !found {
		t.Fatal(text)
	}
	testbed.Until(t, "the turn is on record", func() bool {
		r, text := call(t, c, "GET", b.Address+"/api/turns/"+id, "")
		turn = api.Turn{}
		if err := json.Unmarshal([]byte(text), &turn); err != nil || r.StatusCode != 200 {
			t.Fatalf("%d %v %s", r.StatusCode, err, text)
		}
		if turn.Outcome.State == "failed" {
			t.Fatalf("%s\n%s", text, b.Log)
		}
		return turn.Outcome.State == "done"
	})
	return turn
}

func TestATableOfAVisitor(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	if _, err := b.Client.Publish(t.Context(), "d.yaml", []byte(ownTable), ""); err != nil {
		t.Fatal(err)
	}
	ada, other := visitor(t), visitor(t)
	a := attachTo(t, b, ada, "own-table", "", "fair.csv", fair)
	list := tablesOf(t, b, ada, "own-table", a.Conversation)
	table := list.Documents[0].Tables[0]
	kinds := fmt.Sprintf("%s %s %s", table.Columns[0].Kind, table.Columns[1].Kind, table.Columns[2].Kind)
	if !list.Documents[0].Own || table.Rows != 5 || kinds != "date text money" || table.Columns[2].Odd != 1 {
		t.Fatalf("%+v", table)
	}
	if len(list.Openers) == 0 || len(table.Wrong) != 3 {
		t.Errorf("openers %q; wrong %v", list.Openers, table.Wrong)
	}

	turn := asked(t, b, ada, "own-table", a.Conversation, "total amount by who")
	var result *tables.Result
	for _, p := range turn.Outcome.Parts {
		if r, is := p.Value.(tables.Result); is {
			result = &r
		}
	}
	if result == nil || fmt.Sprint(result.Rows) != "[[Ada 120.5] [Bram 64] [Cleo 1210] [Dora 5]]" {
		t.Fatalf("%+v", turn.Outcome.Parts)
	}
	saved(t, b, ada, turn.ID)
	if r, text := call(t, ada, "GET", b.Address+"/api/turns/"+turn.ID+"/behind/0?column=1", ""); r.StatusCode != 200 ||
		!strings.Contains(text, `"rows":[["3","2026-06-01","Ada","120.5"],["5","2026-06-03","Ada",""]]`) ||
		!strings.Contains(text, `"title":"Amount","kind":"money","unit":"€","marked":true`) {
		t.Errorf("%d %s", r.StatusCode, text)
	}

	// What is somebody's own is nobody else's.
	document := list.Documents[0].Document
	right := fmt.Sprintf("%s/api/at/own-table/tables/%d?conversation=%s", b.Address, document, a.Conversation)
	for _, path := range []string{"/api/turns/" + turn.ID + "/behind/0", "/api/turns/" + turn.ID + "/table",
		"/api/turns/" + turn.ID + "/table/csv"} {
		if r, text := call(t, other, "GET", b.Address+path, ""); r.StatusCode != 404 {
			t.Errorf("%s: %d %s", path, r.StatusCode, text)
		}
	}
	if r, _ := call(t, other, "PUT", right, `{"table":"fair","column":"amount","kind":"text"}`); r.StatusCode != 404 {
		t.Errorf("another may put a column right: %d", r.StatusCode)
	}
	if r, text := call(t, other, "GET", b.Address+"/api/at/own-table/tables?conversation="+a.Conversation,
		""); r.StatusCode != 200 ||
		strings.Contains(text, "Ada") {
		t.Errorf("another sees the table: %d %s", r.StatusCode, text)
	}

	// A kind is put right in place, and questions are answered by it.
	r, text := call(t, ada, "PUT", right, `{"table":"fair","column":"amount","kind":"text"}`)
	if r.StatusCode != 200 || !strings.Contains(text, `"given":true`) {
		t.Errorf("%d %s", r.StatusCode, text)
	}
	for _, body := range []string{`{"table":"fair","column":"amount","kind":"honey"}`,
		`{"table":"fair","column":"nobody","kind":"text"}`, `{"table":"fair"`} {
		if r, text := call(t, ada, "PUT", right, body); r.StatusCode != 422 {
			t.Errorf("%s: %d %s", body, r.StatusCode, text)
		}
	}
	turn = asked(t, b, ada, "own-table", a.Conversation, "how many different amounts are there?")
	if !strings.Contains(turn.Outcome.Parts[0].Value.(tables.Result).Rows[0][0], "5") {
		t.Errorf("%+v", turn.Outcome.Parts[0])
	}

	// What is a visitor's is not on the makers' shelves.
	if r, text := call(t, http.DefaultClient, "GET", b.Address+"/api/shelves/attached-"+a.Conversation+"/tables", "",
		"Authorization", "Bearer "+testbed.Token); r.StatusCode != 404 {
		t.Errorf("makers see a visitor's table: %d %s", r.StatusCode, text)
	}

	// It goes with the conversation.
	if r, _ := call(t, ada, "DELETE", b.Address+"/api/at/own-table/attachments/"+fmt.Sprint(document)+"?conversation="+
		a.Conversation, ""); r.StatusCode != 204 {
		t.Errorf("%d", r.StatusCode)
	}
	turn = asked(t, b, ada, "own-table", a.Conversation, "how many rows are there?")
	if turn.Outcome.Parts != nil || !strings.Contains(turn.Reply, "no table") {
		t.Errorf("%q", turn.Reply)
	}
}

// saved saves the table of a turn in every format.
func saved(t *testing.T, b *testbed.Bed, c *http.Client, turn string) {
	t.Helper()
	for format, want := range map[string]string{"csv": "Who,sum of Amount\nAda,120.5\n", "json": `"sum of Amount": 1210`,
		"md": "| Cleo | 1210 |"} {
		r, text := call(t, c, "GET", b.Address+"/api/turns/"+turn+"/table/"+format, "")
		if r.StatusCode != 200 || !strings.Contains(text, want) {
			t.Errorf("%s: %d %s", format, r.StatusCode, text)
		}
	}
	r, text := call(t, c, "GET", b.Address+"/api/turns/"+turn+"/table/xlsx", "")
	book, err := excelize.OpenReader(strings.NewReader(text))
	if err != nil || r.StatusCode != 200 {
		t.Fatalf("%d %v", r.StatusCode, err)
	}
	defer book.Close()
	if kind, err := book.GetCellType("Sheet1", "B2"); err != nil || kind == excelize.CellTypeSharedString {
		t.Errorf("a number is saved as %v, %v", kind, err)
	}
	if r, text := call(t, c, "GET", b.Address+"/api/turns/"+turn+"/table?from=1&most=1", ""); r.StatusCode != 200 ||
		!strings.Contains(text, `"rows":[["Bram","64"]]`) {
		t.Errorf("%d %s", r.StatusCode, text)
	}
	if r, _ := call(t, c, "GET", b.Address+"/api/turns/"+turn+"/table?from=-1", ""); r.StatusCode != 400 &&
		r.StatusCode != 422 {
		t.Errorf("%d", r.StatusCode)
	}
}
