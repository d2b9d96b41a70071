package database_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"juvalogos/internal/database"
)

// Every mistake in a file is told, with what to do, and no password stands in it.
func TestMistakesInAFileOfDatabases(t *testing.T) {
	for text, want := range map[string]string{
		`databases: [{name: a, address: "postgres://reader@db/x", tables: [t]}]`:                 "",
		`databases: [{name: a, address: "postgres://reader@db/x", tables: [t, s.t], every: 1h}]`: "",
		`databases: []`: "databases",
		`databases: [{name: a, address: "postgres://r:hunter2@db/x", tables: [t]}]`:                                               "the password does not belong here",
		`databases: [{name: a, address: "postgres://r@db/x?password=hunter2", tables: [t]}]`:                                      "the password does not belong here",
		`databases: [{name: a, address: "mysql://r@db/x", tables: [t]}]`:                                                          "write it like postgres://",
		`databases: [{name: a, address: "postgres://r@db/x", password: hunter2, tables: [t]}]`:                                    "env:NAME or file:PATH",
		`databases: [{name: a, address: "postgres://r@db/x", tables: [a.b.c]}]`:                                                   "TABLE or SCHEMA.TABLE",
		`databases: [{name: a, address: "postgres://r@db/x", tables: [t, t]}]`:                                                    "named twice",
		`databases: [{name: a, address: "postgres://r@db/x", tables: [t], every: 5s}]`:                                            "too often",
		`databases: [{name: a, address: "postgres://r@db/x"}]`:                                                                    "tables",
		`databases: [{name: a, address: "postgres://r@db/x", tables: [t]}, {name: a, address: "postgres://r@db/y", tables: [t]}]`: "another has the same name",
		`database: []`: "databases",
	} {
		path := filepath.Join(t.TempDir(), "databases.yaml")
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		f, err := database.ReadFile(path)
		switch {
		case want == "" && (err != nil || f.Databases[0].Every < 15*time.Minute):
			t.Errorf("%s: %v, %+v", text, err, f)
		case want != "" && (err == nil || !strings.Contains(err.Error(), want)):
			t.Errorf("%s: %v, and not %q", text, err, want)
		case err != nil && strings.Contains(err.Error(), "hunter2"):
			t.Errorf("%s: the password is told: %v", text, err)
		}
	}
	if _, err := database.ReadFile("/nowhere/databases.yaml"); err == nil {
		t.Error("a file that is not there is read")
	}
	if f, err := database.ReadFile(""); err != nil || f.Databases != nil {
		t.Errorf("without a file: %+v, %v", f, err)
	}
}
