package vault

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
)

// Read fetches what a reference, env:NAME or file:PATH, points to; "" is nothing. The error
// says what to do and holds no secret.
func Read(reference string) (string, error) {
	kind, place, _ := strings.Cut(reference, ":")
	switch kind {
	case "":
		return "", nil
	case "env":
		if text := strings.TrimSpace(os.Getenv(place)); text != "" {
			return text, nil
		}
		return "", fmt.Errorf("the environment variable %s is not set; set it to the key and start again", place)
	}
	text, err := os.ReadFile(place)
	if err != nil {
		return "", fmt.Errorf("the key file cannot be read: %w", err)
	}
	if len(strings.TrimSpace(string(text))) == 0 {
		return "", fmt.Errorf("the key file %s is empty; write the key into it", place)
	}
	return strings.TrimSpace(string(text)), nil
}

// References are the keys of the machine that may be named from outside, by what
// comes over the API: a reference to any other would let whoever may add a
// connection, or a recipe, have any file or variable of the service sent to an
// address of their choosing. Without any, none may be named. The connection file
// lies with whoever runs the service and may name what it likes.
type References struct {
	// Variables are beginnings of names of environment variables.
	Variables []string
	// Folders hold files with keys.
	Folders []string
	// All allows everything: the command line runs a recipe for whoever owns its
	// machine.
	All bool
}

// Allow fails, with a sentence for whoever named it, if a reference, env:NAME or
// file:PATH, may not be named; "" names nothing.
func (r References) Allow(reference string) error {
	name, isVariable := strings.CutPrefix(reference, "env:")
	path, isFile := strings.CutPrefix(reference, "file:")
	switch {
	case reference == "" || r.All:
		return nil
	case isVariable:
		for _, prefix := range r.Variables {
			if prefix != "" && strings.HasPrefix(name, prefix) {
				return nil
			}
		}
		return fmt.Errorf("%s may not be named here; whoever runs the service names the variables that may, with "+
			"-key-variables", reference)
	case isFile && r.within(path):
		return nil
	case isFile:
		return fmt.Errorf("%s may not be named here; whoever runs the service names the folders that may, with "+
			"-key-folders", reference)
	}
	return fmt.Errorf("%q is no reference to a key; write env:NAME or file:PATH", reference)
}

// within reports whether a file is in one of the folders, wherever links lead.
func (r References) within(path string) bool {
	real, err := filepath.EvalSymlinks(path)
	if err != nil || !filepath.IsAbs(real) {
		return false
	}
	for _, folder := range r.Folders {
		if folder == "" {
			continue
		}
		at, err := filepath.EvalSymlinks(folder)
		if err != nil {
			continue
		}
		if in, err := filepath.Rel(at, real); err == nil && filepath.IsLocal(in) && in != "." {
			return true
		}
	}
	return false
}
