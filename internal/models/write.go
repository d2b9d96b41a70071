package models

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strings"

	"juvalogos/core/yamlfile"
)

// errElsewhere is the error of a file that is written in a way that cannot be added to.
var errElsewhere = errors.New("the file is written in a way that cannot be added to; write the lines yourself")

// WriteManners adds to a connection file how a model wants to be asked, and leaves the
// rest as it is. It fails if the file has no such model, says of it how it wants to be
// asked already, or cannot be added to.
func WriteManners(src []byte, connection, model string, m Manners, protocols map[string]Protocol) ([]byte, error) {
	windows := bytes.Contains(src, []byte("\r\n"))
	src = bytes.ReplaceAll(src, []byte("\r\n"), []byte("\n"))
	before, err := Read("", src, protocols)
	if err != nil {
		return nil, err
	}
	path, at := "", (*Model)(nil)
	for i, c := range before.Connections {
		for j := range c.Models {
			if c.Name == connection && c.Models[j].Name == model {
				path, at = fmt.Sprintf("connections.%d.models.%d.name", i, j), &c.Models[j]
			}
		}
	}
	switch {
	case at == nil:
		return nil, fmt.Errorf("the file has no model %s/%s", connection, model)
	case at.Manners != nil:
		return nil, errors.New("the file says already how the model wants to be asked; write the lines yourself")
	}
	text, err := json.Marshal(m)
	if err != nil {
		return nil, err
	}
	place := yamlfile.Locate(src, path)
	lines := strings.SplitAfter(string(src), "\n")
	if place.Line < 1 || place.Line > len(lines) {
		return nil, errElsewhere
	}
	line := lines[place.Line-1]
	if name := strings.Index(line, "name:"); name >= 0 && !strings.Contains(line[:name], "{") {
		lines[place.Line-1] = strings.TrimRight(line, "\n") + "\n" + strings.Repeat(" ", name) + "manners: " +
			string(text) + "\n"
	} else if end := endOfValue(line, place.Column-1); end > 0 {
		lines[place.Line-1] = line[:end] + ", manners: " + string(text) + line[end:]
	} else {
		return nil, errElsewhere
	}
	written := []byte(strings.Join(lines, ""))
	at.Manners = &m
	if after, err := Read("", written, protocols); err != nil || !reflect.DeepEqual(plainOf(before), plainOf(after)) {
		return nil, errElsewhere
	}
	if windows {
		written = bytes.ReplaceAll(written, []byte("\n"), []byte("\r\n"))
	}
	return written, nil
}

// plainOf is a file as JSON has it: with it two can be compared.
func plainOf(f File) string {
	text, err := json.Marshal(f)
	if err != nil {
		return err.Error()
	}
	return string(text)
}

// endOfValue is where the value ends that begins in a line; 0 if that cannot be told.
func endOfValue(line string, from int) int {
	if from < 0 || from >= len(line) {
		return 0
	}
	rest := line[from:]
	if quote := rest[0]; quote == '"' || quote == '\'' {
		if i := strings.IndexByte(rest[1:], quote); i >= 0 {
			return from + i + 2
		}
		return 0
	}
	i := strings.IndexAny(rest, ",}\r\n")
	if i < 0 {
		return 0
	}
	return from + len(strings.TrimRight(rest[:i], " "))
}

// ReplaceFile puts a new text in the place of a file, whole or not at all. Its errors are those
// of package os.
func ReplaceFile(path string, text []byte) error {
	info, err := os.Stat(path)
	if err != nil {
		return err
	}
	temporary, err := os.CreateTemp(filepath.Dir(path), ".connections-*")
	if err != nil {
		return err
	}
	defer os.Remove(temporary.Name())
	_, err = temporary.Write(text)
	if err := errors.Join(err, temporary.Chmod(info.Mode().Perm()), temporary.Sync(), temporary.Close()); err != nil {
		return err
	}
	return os.Rename(temporary.Name(), path)
}
