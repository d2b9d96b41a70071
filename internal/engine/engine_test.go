package engine_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"juvalogos/core/tables"
	"juvalogos/internal/engine"
)

func TestMain(m *testing.M) {
	engine.Child()
	os.Exit(m.Run())
}

// folder is one that processes of other users may get to by what they are handed.
func folder(t *testing.T) string {
	t.Helper()
	return filepath.Join(t.TempDir(), "t")
}

func take(t *testing.T, e *engine.Engine, name, text string, given ...engine.Given) (engine.Source, error) {
	t.Helper()
	f := folder(t)
	all, err := e.Take(context.Background(), engine.File{Name: name, Given: given,
		Open: func() io.Reader { return strings.NewReader(text) }}, f)
	return engine.Source{Folder: f, Tables: all}, err
}

const hives = "Hive;Day;Weight (kg);Swarmed\n" +
	"A;01.05.2026;31,5;no\nA;02.05.2026;32,0;no\nB;01.05.2026;28,25;no\nB;02.05.2026;27;yes\nC;02.05.2026;n/a;no\n" +
	"Total;;118,75;\n"

func TestATableIsTakenAndAsked(t *testing.T) {
	e := engine.New()
	defer e.Close()
	source, err := take(t, e, "hives.csv", hives)
	if err != nil {
		t.Fatal(err)
	}
	got := source.Tables[0]
	var kinds []string
	for _, c := range got.Columns {
		kinds = append(kinds, fmt.Sprint(c.Name, " ", c.Kind, " ", c.Missing, " ", c.Least, "–", c.Most))
	}
	want := "hive text 0 A–C, day date 0 2026-05-01–2026-05-02, weight_kg decimal 1 27–32, swarmed yesno 0 false–true"
	if text := strings.Join(kinds, ", "); text != want || got.Rows != 5 {
		t.Errorf("%d rows: %s", got.Rows, text)
	}
	if len(got.Wrong) != 1 || !strings.Contains(got.Wrong[0].String(), "row 7 adds up") {
		t.Errorf("wrong: %v", got.Wrong)
	}
	s := e.Session([]engine.Source{source})
	defer s.Close()
	r, err := s.Ask(t.Context(), `SELECT hive, avg(weight_kg) AS mean FROM hives WHERE swarmed = false GROUP BY hive
		ORDER BY mean DESC NULLS LAST`, 0, 10)
	if err != nil {
		t.Fatal(err)
	}
	if fmt.Sprint(r.Rows) != "[[A 31.75] [B 28.25] [C ]]" || r.Read != 4 || r.Of != 5 || r.Total != 3 {
		t.Errorf("%+v", r)
	}
	for _, p := range r.Says {
		t.Log(p)
	}
}

func TestHostileQueriesAreRefused(t *testing.T) {
	e := engine.New()
	defer e.Close()
	source, err := take(t, e, "hives.csv", hives)
	if err != nil {
		t.Fatal(err)
	}
	e.Longest = 3 * time.Second
	s := e.Session([]engine.Source{source})
	defer s.Close()
	for _, q := range []string{
		"DROP TABLE hives", "DROP VIEW hives", "CREATE TABLE x AS SELECT 1", "INSERT INTO hives VALUES (1)",
		"UPDATE hives SET hive = 'x'", "DELETE FROM hives", "ATTACH 'x.db'", "PRAGMA version", "COPY hives TO '/tmp/x'",
		"SET threads=1", "INSTALL httpfs", "LOAD httpfs", "CALL duckdb_settings()", "EXPORT DATABASE '/tmp/x'",
		"VACUUM",
		"SELECT * FROM read_csv('/etc/passwd')", "SELECT * FROM '/etc/passwd'",
		"SELECT * FROM read_text('/etc/passwd')",
		"SELECT * FROM glob('/*')", "SELECT * FROM duckdb_settings()", "SELECT * FROM information_schema.tables",
		"SELECT * FROM duckdb_tables", "SELECT * FROM sqlite_master", "SELECT getenv('PATH')",
		"SELECT current_setting('threads')",
		"SELECT 1; SELECT 2", "SELECT 1; DROP VIEW hives", "SELECT * FROM f0.hives", "SELECT * FROM f0.main.hives",
		"SELECT * FROM query('SELECT 1')", "SELECT * FROM query_table('hives')", "SELECT * FROM other_visitors",
		"WITH RECURSIVE t AS (SELECT 1 AS a UNION ALL SELECT a+1 FROM t) SELECT * FROM t",
		"WITH hives2 AS (SELECT * FROM read_csv('/etc/passwd')) SELECT * FROM hives2",
		"SELECT (SELECT count(*) FROM read_csv('/etc/passwd')) FROM hives",
		"SELECT * FROM hives WHERE hive IN (SELECT content FROM read_text('/etc/passwd'))",
		"SELECT CASE WHEN true THEN getenv('HOME') END FROM hives",
		"SELECT sum(weight_kg) OVER (ORDER BY getenv('HOME')) FROM hives",
		"SELECT hive FROM hives ORDER BY getenv('HOME')",
		"SELECT hive FROM hives LIMIT (SELECT count(*) FROM glob('/*'))",
		"SELECT repeat('x', 1000000000)", "SELECT lpad('x', 1000000000, 'y')",
		"SELECT list_transform([1], lambda x: x)",
		"SELECT COLUMNS('.*') FROM hives", "SELECT $1", "SELECT #1 FROM hives", "DESCRIBE hives", "SUMMARIZE hives",
		"SHOW TABLES", "PIVOT hives ON hive USING sum(weight_kg)", "SELECT * FROM (DESCRIBE hives)",
		"SELECT * FROM hives TABLESAMPLE 10%", "SELECT random() FROM hives", "SELECT rowid FROM hives",
		"SELECT * FROM hives AT (VERSION => 1)", "SELECT hives.rowid FROM hives", "SELECT nextval('s')",
		"SELECT regexp_matches(hive, '((a{900}){900}){900}') FROM hives",
		"SELECT txid_current()", "SELECT version()", "SELECT 'a'::JSON", "SELECT write_log('x')", "", "not a query",
		"SELECT " + strings.Repeat("-", 3000) + "1",
	} {
		_, err := s.Ask(t.Context(), q, 0, 10)
		var refused *tables.Refused
		var problem *engine.Problem
		if !errors.As(err, &refused) && !errors.As(err, &problem) {
			t.Errorf("%.60s: %v", q, err)
		}
	}
	// What takes too much is cut off, and the next query is answered.
	for name, q := range map[string]string{
		"a cross product": "SELECT count(*) FROM range(1000000) a, range(1000000) b, hives",
		"long texts": "WITH a AS (SELECT concat(hive, hive, hive, hive, hive, hive, hive, hive) x FROM hives), b " +
			"AS (SELECT " +
			"replace(x, 'A', '" + strings.Repeat("A", 9000) + "') x FROM a), c AS (SELECT replace(x, 'A', '" +
			strings.Repeat("A", 5000) + "') x FROM b) SELECT length(replace(x, 'A', 'AAAAAAAAAA')) FROM c",
		"a huge sort": "SELECT a.range + b.range AS n FROM range(100000) a, range(10000) b ORDER BY n DESC",
	} {
		_, err := s.Ask(t.Context(), q, 0, 10)
		if err == nil {
			t.Errorf("%s was answered", name)
		}
		t.Logf("%s: %v", name, err)
		if r, err := s.Ask(t.Context(), "SELECT count(*) FROM hives", 0, 10); err != nil || r.Rows[0][0] != "5" {
			t.Errorf("after %s: %v %v", name, r, err)
		}
	}
	// A regular expression that blows up elsewhere does not here.
	r, err := s.Ask(t.Context(), "SELECT count(*) FROM range(20000) WHERE regexp_matches('"+strings.Repeat("a", 60)+
		"!', '^(a+)+$')", 0, 1)
	if err != nil || r.Rows[0][0] != "0" {
		t.Errorf("a regular expression: %v %v", r, err)
	}
	if _, err := os.Stat(filepath.Join(source.Folder, "t.duckdb")); err != nil {
		t.Error(err)
	}
}

func TestKindsOfFiles(t *testing.T) {
	e := engine.New()
	defer e.Close()
	for _, c := range []struct{ name, text, want string }{
		{"a.csv", "\xef\xbb\xbfid,name\n1,Ada\n2,Bo\n", "a[id whole, name text]2"},
		{"a.tsv", "x\ty\n1.5\t€ 2.50\n2.5\t€ 3.00\n", "a[x decimal ., y money .]2"},
		{"b.csv", "Zeit|Anteil\n2026-01-02 10:00|5 %\n2026-01-02 11:30|7,5 %\n",
			"b[zeit moment %Y-%m-%d %H:%M, anteil percent ,]2"},
		{"latin.csv", "Ort;H\xf6he\nK\xf6ln;37\nM\xfcnchen;519\n", "latin[ort text, hohe whole]2"},
		{"utf16.csv", "\xff\xfea\x00,\x00b\x00\n\x001\x00,\x002\x00\n\x00", "utf16[a whole, b whole]1"},
		{"mac.csv", "a,b\r1,x\r2,y\r", "mac[a whole, b text]2"},
		{"q.csv", "a,b\n1,\"x, \"\"y\"\"\nz\"\n2,w\n", "q[a whole, b text]2"},
		{"j.json", `[{"n": 1, "at": {"x": 1.5}}, {"n": 2, "at": {"x": 2.5}, "t": ["a", "b"]}]`,
			"j[n whole, at_x decimal ., t text]2"},
		{"j.jsonl", "{\"n\": 1, \"ok\": true}\n{\"n\": 2, \"ok\": false}\n", "j[n whole, ok yesno true/false]2"},
		{"deep.json", `{"meta": 1, "hives": [{"a": 1}], "members": [{"b": "x"}]}`, "hives[a whole]1 members[b text]1"},
		{"us.csv", "d,v\n12/31/2026,1\n1/2/2026,2\n", "us[d date %m/%d/%Y, v whole]2"},
		{"plz.csv", "plz,n\n01067,3\n50667,4\n", "plz[plz text, n whole]2"},
		{"th.csv", "v;w\n1.234,50;a\n2.000,25;b\n", "th[v decimal ,, w text]2"},
		{"page", "<html><table><tr><th>A<th>B<tr><td>1<td>x<tr><td>2<td>y<tr><td>3<td>z</table>" +
			"<table><tr><td>a<td>b<tr><td>c<td>d</table>", "table_1[a whole, b text]3"},
		{"neg.csv", "v;w\n−2,5;1\n-1,5;2\n+3;3\n", "neg[v decimal ,, w whole]3"},
		{"one.csv", "p\n5%\n10 %\n12,5%\n", "one[p percent ,]3"},
		{"same.csv", "a,a\n1,2\n", "same[a whole, a_2 whole]1"},
		{"codes.csv", "c,n\nA1,1\nA2,2\nB7,3\n", "codes[c text, n whole]3"},
		{"ids.csv", "id,n\n12345678901234567890,1\n99999999999999999999,2\n", "ids[id text, n whole]2"},
		{"sums.csv", "item,eur\nA,1.00\nB,2.00\nTotal,3.00\nChecked by Ada,\n", "sums[item text, eur decimal .]2"},
		{"wide.csv", strings.TrimSuffix(strings.Repeat("c,", 900), ",") + "\n" +
			strings.TrimSuffix(strings.Repeat("1,", 900), ","), "wide[c whole, c_2 whole"},
		{"empty.csv", "", "it is empty"},
		{"odd.csv", "a,b\n1,\"x\n2,y\n" + strings.Repeat("zzzzzzzz,1\n", 1<<20),
			"row 2: a cell begins with a quotation"},
	} {
		source, err := take(t, e, c.name, c.text)
		var got []string
		for _, table := range source.Tables {
			var columns []string
			for _, col := range table.Columns {
				columns = append(columns, strings.TrimSpace(fmt.Sprint(col.Name, " ", col.Kind, " ", col.Format)))
			}
			got = append(got, fmt.Sprint(table.Name, "[", strings.Join(columns, ", "), "]", table.Rows))
		}
		text := strings.Join(got, " ")
		if err != nil {
			text = err.Error()
		}
		if text != c.want && !strings.HasPrefix(text, c.want) {
			t.Errorf("%s: %s, want %s", c.name, text, c.want)
		}
	}
}
