package programs

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"

	"github.com/valyala/fastjson"
)

// The messages to a program.
type askMessage struct {
	Type     string     `json:"type"` // ask or embed
	ID       string     `json:"id"`
	Model    string     `json:"model"`
	Messages []Message  `json:"messages,omitempty"`
	Settings *Settings  `json:"settings,omitempty"`
	Files    []fileData `json:"files,omitempty"`
	Texts    []string   `json:"texts,omitempty"`
}

type fileData struct {
	Name string `json:"name,omitempty"`
	Kind string `json:"kind"`
	Data []byte `json:"data"`
}

// message of an ask.
func (a *Ask) message(id string) ([]byte, error) {
	m := askMessage{Type: "ask", ID: id, Model: a.Model, Messages: a.Messages, Settings: &a.Settings}
	if a.Texts != nil {
		m = askMessage{Type: "embed", ID: id, Model: a.Model, Texts: a.Texts}
	}
	for _, f := range a.Files {
		m.Files = append(m.Files, fileData{f.Name, f.Kind, f.Body})
	}
	text, err := json.Marshal(m)
	if err != nil {
		return nil, err
	}
	return append(text, '\n'), nil
}

func cancelMessage(id string) []byte {
	return fmt.Appendf(nil, "{\"type\":\"cancel\",\"id\":%q}\n", id)
}

// hello is what a program says first.
type hello struct {
	Type    string `json:"type"`
	Version int    `json:"version"`
	AtOnce  int    `json:"at_once"`
}

// mostAtOnce bounds what a program says of itself.
const mostAtOnce = 1000

func readHello(line []byte) (hello, error) {
	var h hello
	if err := json.Unmarshal(line, &h); err != nil || h.Type != "hello" {
		return h,
			fmt.Errorf("the first line it wrote is no hello but %s; its standard output is for messages alone, other "+
				"words belong on standard error", shown(line))
	}
	if h.Version != Version {
		return h, fmt.Errorf("it speaks version %d of the messages; version %d is spoken here", h.Version, Version)
	}
	h.AtOnce = min(max(h.AtOnce, 1), mostAtOnce)
	return h, nil
}

// shown is the beginning of a line as an error shows it.
func shown(line []byte) string {
	if len(line) > 120 {
		line = line[:120]
	}
	return fmt.Sprintf("%q", line)
}

// hear hands a message to those who asked, and reports whether it is the last. An
// error means that the program lies about the protocol.
func (j *job) hear(v *fastjson.Value, folder string) (last bool, err error) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if j.heard.Alive != nil {
		j.heard.Alive()
	}
	switch kind := string(v.GetStringBytes("type")); kind {
	case "text":
		hand(j.heard.Text, v.GetStringBytes("text"))
	case "thought":
		hand(j.heard.Thought, v.GetStringBytes("text"))
	case "progress":
		if j.heard.Progress != nil {
			j.heard.Progress(v.GetFloat64("done"), string(v.GetStringBytes("says")))
		}
	case "file":
		f, err := readFile(v, folder)
		if err != nil {
			return false, err
		}
		if j.heard.File != nil {
			j.heard.File(f)
		}
	case "heard":
		if j.heard.Sound != nil {
			j.heard.Sound(v.MarshalTo(nil))
		}
	case "vectors":
		for _, row := range v.GetArray("vectors") {
			numbers := row.GetArray()
			vector := make([]float32, len(numbers))
			for i, n := range numbers {
				vector[i] = float32(n.GetFloat64())
			}
			j.done.Vectors = append(j.done.Vectors, vector)
		}
	case "done":
		j.done.Finish = string(v.GetStringBytes("finish"))
		j.done.PromptTokens, j.done.ReplyTokens = v.GetInt("prompt_tokens"), v.GetInt("reply_tokens")
		return true, nil
	case "error":
		j.failed = &Failed{Why: Said, Kind: string(v.GetStringBytes("kind")),
			Detail: string(v.GetStringBytes("message"))}
		return true, nil
	default:
		return false, fmt.Errorf("it wrote a message of the type %q, which there is not", kind)
	}
	return false, nil
}

func hand(to func([]byte), text []byte) {
	if to != nil && len(text) > 0 {
		to(text)
	}
}

// longestFile is how large a file may be that a program makes.
const longestFile = 64 << 20

// readFile takes a file from a message: its data, or a path below the program's
// folder.
func readFile(v *fastjson.Value, folder string) (File, error) {
	f := File{Name: string(v.GetStringBytes("name")), Kind: string(v.GetStringBytes("kind"))}
	switch path := string(v.GetStringBytes("path")); path {
	case "":
		data := v.GetStringBytes("data")
		f.Body = make([]byte, base64.StdEncoding.DecodedLen(len(data)))
		n, err := base64.StdEncoding.Decode(f.Body, data)
		if err != nil {
			return f, fmt.Errorf("the data of a file are not base64")
		}
		f.Body = f.Body[:n]
	default:
		opened, err := os.OpenInRoot(folder, path)
		if err != nil {
			return f, fmt.Errorf("the file %q is not in the folder that JUVALOGOS_FOLDER names", path)
		}
		defer opened.Close()
		if info, err := opened.Stat(); err != nil || !info.Mode().IsRegular() {
			return f, fmt.Errorf("%q is no file", path)
		}
		if f.Body, err = io.ReadAll(io.LimitReader(opened, longestFile+1)); err != nil || len(f.Body) > longestFile {
			return f, fmt.Errorf("the file %q is larger than %d MB", path, longestFile>>20)
		}
	}
	if f.Kind == "" {
		f.Kind = http.DetectContentType(f.Body)
	}
	return f, nil
}

// Shown is an ask as makers see it.
func (a *Ask) Shown() string {
	short := *a
	short.Files = nil
	text, err := short.message("1")
	if err != nil {
		return ""
	}
	return string(text)
}
