// Package yamlfile reads the YAML files that people write for Juvalogos and
// tells them, with line and column, everything that is wrong at once.
//
// A file is described by one Go struct. Its tags drive the reading, the
// checking and the published JSON Schema, so the three cannot disagree:
//
//	type File struct {
//		Slug  string   `yaml:"slug" need:"yes" pattern:"^[a-z0-9-]+$" about:"Last part of the address."`
//		Lists []string `yaml:"openers" most:"8" about:"Ready questions."`
//	}
//
// Tags: yaml (the key), about (one sentence for schema and help), need (the
// key must be there), choices (comma separated), pattern (a regular
// expression) with patternhelp (its meaning in words), least and most (bounds
// of a number, or of the length of a text or list), example.
package yamlfile
