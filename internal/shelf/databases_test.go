package shelf_test

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"juvalogos/core/tables"
	"juvalogos/internal/api"
	"juvalogos/internal/store/storetest"
	"juvalogos/internal/testbed"
)

const register = `
create table members (code text primary key, "Full name" text, joined date, seen timestamptz, fee numeric(8,2),
	hives int,
	active boolean, picture bytea, tags text[]);
insert into members values
	('007', 'Ada Wren', '2024-05-03', '2026-01-02 03:04:05+02', 12.50, 2, true, 'abc', '{a,b}'),
	('008', 'Bram "Bee", Lane', '2023-11-30', null, 7, null, false, null, null),
	('1e3', E'Cleo\nHill', '2025-02-28', '2026-03-01 12:00:00+00', 0.05, 11, null, '', '{}');
create table secret (word text);
insert into secret values ('rosebud');
create function meddle() returns text language plpgsql as $$ begin insert into secret values ('changed'); return 'x'; end $$;
create view hostile as select meddle() as word;
`

// Tables of a database that the owner names lie on a shelf with the kinds they have there,
// are copied anew when they have changed, and nothing else of the database is reached.
func TestTablesOfADatabase(t *testing.T) {
	at, err := pgx.ParseConfig(storetest.Empty(t))
	if err != nil {
		t.Fatal(err)
	}
	run := func(statements string) {
		t.Helper()
		conn, err := pgx.ConnectConfig(t.Context(), at)
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close(context.WithoutCancel(t.Context()))
		if _, err := conn.Exec(t.Context(), statements); err != nil {
			t.Fatal(err)
		}
	}
	run(register)
	t.Setenv("REGISTER_PASSWORD", "swarm-of-secrets")
	file := filepath.Join(t.TempDir(), "databases.yaml")
	address := fmt.Sprintf("postgres://%s@/%s?host=%s&port=%d&sslmode=disable", url.PathEscape(at.User), at.Database,
		url.QueryEscape(at.Host), at.Port)
	write := func(more string) {
		t.Helper()
		text := "databases:\n  - {name: register, address: '" + address + "', password: 'env:REGISTER_PASSWORD', " +
			"tables: [members, " +
			"hostile, gone], every: 5m}\n" + more
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write("")
	b := testbed.New(t, testbed.Options{Databases: file})
	if _, err := b.Client.MakeShelf(t.Context(), "handbook", ""); err != nil {
		t.Fatal(err)
	}
	added, err := b.Client.AddAddress(t.Context(), "handbook", "database:register")
	if err != nil || len(added) != 3 || added[0].Problem != "" || added[1].Problem == "" || added[2].Problem == "" {
		t.Fatalf("%+v, %v", added, err)
	}
	if !strings.Contains(added[1].Problem, "read-only transaction") || !strings.Contains(added[2].Problem, "gone") {
		t.Errorf("of what cannot be copied it says: %s; %s", added[1].Problem, added[2].Problem)
	}
	document := read(t, b)["register/members.csv"]
	if document.State != "ready" || document.LookedAt == nil || document.Source != "database:register/members" {
		t.Fatalf("%+v", document)
	}
	list, err := b.Tables.OnShelf(t.Context(), "handbook")
	if err != nil || len(list) != 1 || len(list[0].Tables) != 1 {
		t.Fatalf("%+v, %v", list, err)
	}
	var kinds []string
	for _, c := range list[0].Tables[0].Columns {
		kinds = append(kinds, c.Title+": "+string(c.Kind))
	}
	if got := strings.Join(kinds,
		", "); got != "code: text, Full name: text, joined: date, seen: moment, fee: decimal, hives: "+
		"whole, active: yesno, picture: text, tags: text" {
		t.Errorf("the columns are %s", got)
	}
	query := func() string {
		t.Helper()
		all, err := b.Tables.Store.OnShelves(t.Context(), []string{"handbook"})
		if err != nil {
			t.Fatal(err)
		}
		r, err := b.Tables.At(all).Ask(t.Context(), `SELECT * FROM register_members ORDER BY code`, 0, 10)
		if err != nil {
			t.Fatal(err)
		}
		return fmt.Sprint(r.Rows)
	}
	if got := query(); got != "[[007 Ada Wren 2024-05-03 2026-01-02 01:04:05 12.5 2 true 3 bytes {a,b}] "+
		"[008 Bram \"Bee\", Lane 2023-11-30  7  false  ] "+
		"[1e3 Cleo\nHill 2025-02-28 2026-03-01 12:00 0.05 11  0 bytes {}]]" {
		t.Errorf("it holds %s", got)
	}

	// It is looked at again when it is time, and only then.
	look := func() api.Document {
		t.Helper()
		if err := b.Shelves.LookAgain(t.Context()); err != nil {
			t.Fatal(err)
		}
		return read(t, b)["register/members.csv"]
	}
	run("update members set fee = 99 where code = '007'")
	if d := look(); d.ID != document.ID {
		t.Error("it was copied before it was time")
	}
	b.Later(6 * time.Minute)
	fresh := look()
	if fresh.ID == document.ID || !fresh.LookedAt.After(*document.LookedAt) || !strings.Contains(query(), " 99 ") {
		t.Errorf("what has changed is not there: %+v: %s", fresh, query())
	}
	b.Later(6 * time.Minute)
	same := look()
	if same.ID != fresh.ID || !same.LookedAt.After(*fresh.LookedAt) {
		t.Errorf("what is the same was read again, or it is not said that it is current: %+v", same)
	}
	// What cannot be looked at stays, and says so; nothing tells the password.
	run("alter table members rename to others")
	b.Later(6 * time.Minute)
	stale := look()
	if stale.ID != fresh.ID || !strings.Contains(stale.LookProblem, "members") ||
		!stale.LookedAt.Equal(*same.LookedAt) {
		t.Errorf("it does not say that it is old: %+v", stale)
	}
	run("alter table others rename to members")
	b.Later(6 * time.Minute)
	if d := look(); d.LookProblem != "" {
		t.Errorf("it still says %q", d.LookProblem)
	}
	if _, err := b.Client.AddAddress(t.Context(), "handbook", "database:registry/members"); err == nil ||
		!strings.Contains(err.Error(), "register") {
		t.Errorf("a database of another name: %v", err)
	}
	some, err := b.Client.AddAddress(t.Context(), "handbook", "database:register/secret")
	if err != nil || len(some) != 1 || !strings.Contains(some[0].Problem, "no table") {
		t.Errorf("a table that is not named can be had: %+v, %v", some, err)
	}
	write("  - {name: far, address: 'postgres://x@127.0.0.1:1/x', password: 'env:REGISTER_PASSWORD', tables: [t]}\n")
	some, err = b.Client.AddAddress(t.Context(), "handbook", "database:far")
	if err != nil || len(some) != 1 || !strings.Contains(some[0].Problem, "cannot be reached") {
		t.Errorf("a database that is not there: %+v, %v", some, err)
	}
	if text := fmt.Sprint(b.Log.String(), added, some, stale); strings.Contains(text, "swarm-of") {
		t.Errorf("the password is told: %s", text)
	}
	conn, err := pgx.ConnectConfig(t.Context(), at)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.WithoutCancel(t.Context()))
	words := 0
	if err := conn.QueryRow(t.Context(), "select count(*) from secret").Scan(&words); err != nil || words != 1 {
		t.Errorf("the database was changed: %d words, %v", words, err)
	}
	if r := tables.Read("How many members are there?", nil,
		[]*tables.Table{&list[0].Tables[0]}); r.Sure < tables.LeastSure {
		t.Errorf("it cannot be asked plainly: %+v", r)
	}
}
