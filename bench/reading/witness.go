package main

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"juvalogos/core/reading"
)

// witnesses are the programs that say what is in files of a format; each counts.
var witnesses = map[string][]string{
	"html": {"pandoc"}, "md": {"pandoc"}, "epub": {"pandoc"}, "docx": {"pandoc", "libreoffice"},
	"odt": {"pandoc", "libreoffice"}, "pptx": {"libreoffice"}, "xlsx": {"libreoffice"}, "pdf": {"pdftotext"},
	"txt": {"cat"},
}

// testimony is what a witness found in a file.
type testimony struct {
	File    string `json:"file"`
	Hash    string `json:"sha256"` // of the file's content, the first half
	Format  string `json:"format"`
	Witness string `json:"witness"`
	Words   int    `json:"words"`
	// Sample has some of the words, by what their letters add up to, with how often
	// each is there: what is counted are these.
	Sample string `json:"sample"`
}

// mostSampled is how many different words of a file are held against it.
const mostSampled = 150

// testify has a witness read a file.
func testify(f file, witness string) (t testimony, err error) {
	text, err := textBy(f, witness)
	if err != nil {
		return t, err
	}
	hash, err := f.hash()
	counts := countWords(text)
	words := 0
	for _, n := range counts {
		words += n
	}
	keys := slices.Sorted(maps.Keys(counts))
	slices.SortFunc(keys, func(a, b uint32) int { return cmp.Compare(scattered(a), scattered(b)) })
	var sample []string
	for _, k := range keys[:min(len(keys), mostSampled)] {
		part := strconv.FormatUint(uint64(k), 36)
		if counts[k] > 1 {
			part += ":" + strconv.Itoa(counts[k])
		}
		sample = append(sample, part)
	}
	return testimony{File: f.name(), Hash: hash[:32], Format: f.Format, Witness: witness, Words: words,
		Sample: strings.Join(sample, " ")}, err
}

// scattered is a number in which the order of words says nothing.
func scattered(k uint32) uint32 { return k * 2654435761 }

// countWords counts the words of a text by what they add up to (FNV-1a). Those
// without a letter are left out: programs number pages, lists and notes each in
// their own way.
func countWords(text string) map[uint32]int {
	counts := map[uint32]int{}
	reading.EachWord(text, func(word string) {
		if strings.Trim(word, "0123456789") == "" {
			return
		}
		h := fnv.New32a()
		h.Write([]byte(word))
		counts[h.Sum32()]++
	})
	return counts
}

// heard is how many of the sampled words of a testimony are there, and of how
// many.
func (t testimony) heard(there map[uint32]int) (found, all int, err error) {
	for part := range strings.FieldsSeq(t.Sample) {
		key, times, several := strings.Cut(part, ":")
		k, err := strconv.ParseUint(key, 36, 32)
		if err != nil {
			return 0, 0, fmt.Errorf("the sample of %s: %w", t.File, err)
		}
		n := 1
		if several {
			if n, err = strconv.Atoi(times); err != nil {
				return 0, 0, fmt.Errorf("the sample of %s: %w", t.File, err)
			}
		}
		all += n
		found += min(n, there[uint32(k)])
	}
	return found, all, nil
}

// textBy is a file's text as a witness has it.
func textBy(f file, witness string) (string, error) {
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Minute)
	defer cancel()
	switch witness {
	case "cat":
		body, err := os.ReadFile(f.at)
		return string(body), err
	case "pdftotext":
		text, err := exec.CommandContext(ctx, "pdftotext", "-enc", "UTF-8", f.at, "-").Output()
		return joined(string(text)), err
	case "pandoc":
		from := map[string]string{"md": "gfm"}[f.Format]
		if from == "" {
			from = f.Format
		}
		body := f.at
		if f.Format == "html" { // it reads UTF-8 only
			text, err := utf8Page(ctx, f.at)
			if err != nil {
				return "", err
			}
			defer os.Remove(text)
			body = text
		}
		text, err := exec.CommandContext(ctx, "pandoc", "--wrap=none", "-f", from, "-t", "plain", body).Output()
		return string(text), err
	case "libreoffice":
		return office(ctx, f)
	}
	return "", fmt.Errorf("no witness is called %q", witness)
}

// joined joins words that were hyphenated at the end of a line.
func joined(text string) string {
	var b strings.Builder
	lines := strings.Split(text, "\n")
	for i, line := range lines {
		next := ""
		if i+1 < len(lines) {
			next = lines[i+1]
		}
		if before, is := strings.CutSuffix(line, "-"); is && next != "" && next[0] >= 'a' && next[0] <= 'z' {
			b.WriteString(before)
			continue
		}
		b.WriteString(line + "\n")
	}
	return b.String()
}

// utf8Page writes a page in UTF-8 beside where it lies.
func utf8Page(ctx context.Context, path string) (string, error) {
	body, err := os.ReadFile(path)
	if err != nil {
		return "", err
	}
	head := strings.ToLower(string(body[:min(len(body), 2000)]))
	encoding := "utf-8"
	if at := strings.Index(head, "charset="); at >= 0 {
		encoding = strings.FieldsFunc(head[at+8:], func(r rune) bool { return strings.ContainsRune(`"' >/;`, r) })[0]
	}
	out, err := os.CreateTemp("", "page-*.html")
	if err != nil {
		return "", err
	}
	defer out.Close()
	cmd := exec.CommandContext(ctx, "iconv", "-c", "-f", encoding, "-t", "UTF-8", path)
	cmd.Stdout = out
	_ = cmd.Run() // it complains of bytes that it leaves out
	return out.Name(), nil
}

// office has LibreOffice turn a file into text: documents by themselves, sheets
// by their cells, slides by their pages.
func office(ctx context.Context, f file) (string, error) {
	out, err := os.MkdirTemp("", "witness-")
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(out)
	to := map[string]string{
		"docx": "txt:Text (encoded):UTF8", "odt": "txt:Text (encoded):UTF8",
		"xlsx": `csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true,false,false,false,-1`, "pptx": "pdf",
	}[f.Format]
	cmd := exec.CommandContext(ctx, "soffice", "-env:UserInstallation=file://"+filepath.Join(os.TempDir(),
		"witness-office"),
		"--headless", "--convert-to", to, "--outdir", out, f.at)
	if said, err := cmd.CombinedOutput(); err != nil {
		return "", fmt.Errorf("soffice: %w: %.200s", err, said)
	}
	made, _ := filepath.Glob(filepath.Join(out, "*"))
	if len(made) == 0 {
		return "", errors.New("soffice wrote nothing")
	}
	var text bytes.Buffer
	for _, path := range made {
		if filepath.Ext(path) == ".pdf" {
			pages, err := exec.CommandContext(ctx, "pdftotext", "-enc", "UTF-8", path, "-").Output()
			if err != nil {
				return "", err
			}
			text.Write(pages)
			continue
		}
		body, err := os.ReadFile(path)
		if err != nil {
			return "", err
		}
		text.Write(body)
	}
	return text.String(), nil
}
