// Package database copies tables out of PostgreSQL databases that the owner names, so that
// shelves have them like any other table: read by the engine, asked under its rules, and
// never anything else of that database.
//
//	f, err := database.ReadFile("databases.yaml")
//	d, err := f.Named("register")
//	c, err := d.Copy(ctx, "members")
//	defer c.Close()
//	io.Copy(file, c)     // as CSV, with a head
//
// A copy is one SELECT in a transaction that only reads.
package database

import (
	"errors"
	"fmt"
	"net/url"
	"os"
	"slices"
	"strings"
	"time"

	"juvalogos/core/yamlfile"
)

// File is what the owner writes.
type File struct {
	Databases []Database `yaml:"databases" need:"yes" least:"1" about:"The PostgreSQL databases whose tables shelves may have."`
}

// Database is one of them.
type Database struct {
	Name     string        `yaml:"name" need:"yes" most:"60" pattern:"^[a-z0-9]+(-[a-z0-9]+)*$" patternhelp:"use small letters, digits and single hyphens" about:"A name of your choice, by which shelves say it: database:NAME."`
	Address  string        `yaml:"address" need:"yes" most:"500" about:"Where it is, with the account but without its password. Give it an account that may only read." example:"postgres://reader@127.0.0.1:5432/association"`
	Password string        `yaml:"password,omitempty" about:"Where the password is: env:NAME or file:PATH, never the password itself. Left out: none." example:"env:REGISTER_PASSWORD"`
	Tables   []string      `yaml:"tables" need:"yes" least:"1" most:"100" about:"The tables and views that shelves may have, by their names, with their schema where it is not the usual one." example:"[members, archive.courses]"`
	Every    time.Duration `yaml:"every,omitempty" about:"How often it is looked whether they have changed; 15m if left out, 1m at least."`
}

// Bounds of Every.
const (
	usualEvery = 15 * time.Minute
	leastEvery = time.Minute
)

// Schema returns the JSON Schema of such files.
func Schema() map[string]any { return yamlfile.Schema("A Juvalogos file of databases", File{}) }

// ReadFile reads and checks a file. The error is yamlfile.Problems, or that the file cannot
// be read. Without a name there are none.
func ReadFile(path string) (f File, err error) {
	if path == "" {
		return f, nil
	}
	src, err := os.ReadFile(path)
	if err != nil {
		return f, fmt.Errorf("the file of databases cannot be read: %w", err)
	}
	if err := yamlfile.Decode(path, src, &f); err != nil {
		return File{}, err
	}
	var problems yamlfile.Problems
	for i := range f.Databases {
		d := &f.Databases[i]
		for _, what := range d.wrong(f.Databases[:i]) {
			at := yamlfile.Locate(src, fmt.Sprintf("databases.%d", i))
			problems = append(problems, yamlfile.Problem{File: path, Line: at.Line, Column: at.Column,
				Message: fmt.Sprintf("database %q: %s", d.Name, what)})
		}
		if d.Every == 0 {
			d.Every = usualEvery
		}
	}
	if problems != nil {
		return File{}, problems
	}
	return f, nil
}

// wrong says what is wrong with a database.
func (d Database) wrong(before []Database) (all []string) {
	if slices.ContainsFunc(before, func(o Database) bool { return o.Name == d.Name }) {
		all = append(all, "another has the same name")
	}
	at, err := url.Parse(d.Address)
	switch {
	case err != nil || at.Scheme != "postgres" && at.Scheme != "postgresql" || at.Host == "" && !at.Query().Has("host"):
		all = append(all, "address: write it like postgres://reader@127.0.0.1:5432/association")
	case hasPassword(at):
		all = append(all, "address: the password does not belong here; write password: env:NAME or file:PATH")
	}
	if d.Password != "" && !strings.HasPrefix(d.Password, "env:") && !strings.HasPrefix(d.Password, "file:") {
		all = append(all, "password: write where it is, env:NAME or file:PATH, never the password itself")
	}
	if d.Every != 0 && d.Every < leastEvery {
		all = append(all, fmt.Sprintf("every: %s is too often; write %s or more", d.Every, leastEvery))
	}
	for i, t := range d.Tables {
		if parts := strings.Split(t, "."); len(parts) > 2 || slices.Contains(parts, "") {
			all = append(all, fmt.Sprintf("tables: %q is no name; write TABLE or SCHEMA.TABLE", t))
		}
		if slices.Contains(d.Tables[:i], t) {
			all = append(all, fmt.Sprintf("tables: %q is named twice", t))
		}
	}
	return all
}

func hasPassword(at *url.URL) bool {
	_, within := at.User.Password()
	return within || at.Query().Has("password")
}

// Named returns a database; the error says which there are.
func (f File) Named(name string) (Database, error) {
	var known []string
	for _, d := range f.Databases {
		if d.Name == name {
			return d, nil
		}
		known = append(known, d.Name)
	}
	if known == nil {
		return Database{}, errors.New("this service was told of no database; the owner names some in a file: " +
			"juvalogos start -tables FILE")
	}
	return Database{}, errors.New(yamlfile.Unknown("database", name, known))
}
