package main

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"mime"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"golang.org/x/term"

	"juvalogos/core/evidence"
	"juvalogos/core/picture"
	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/terminal"
)

// asking is what the flags of ask say.
type asking struct {
	desk, conversation, kind, out, as string
	files, abouts                     []string
	inputs                            map[string]string
	asJSON                            bool
}

// flags adds them.
func (a *asking) flags(f *flag.FlagSet) {
	a.inputs = map[string]string{}
	f.StringVar(&a.desk, "desk", "", "the desk's slug")
	f.StringVar(&a.conversation, "conversation", "", "id of a conversation to go on with")
	f.Func("attach", "a `FILE` to answer from, a picture to ask about, or a recording whose words are printed (or, with\n"+
		"a question, asked about), if the desk allows it; may be given several times", several(&a.files))
	f.Func("about", "an `ADDRESS-OR-TOPIC` to bring and answer from, if the desk allows it; may be given several times",
		several(&a.abouts))
	f.StringVar(&a.kind, "kind", "", "what -about is: address, topic or search; left out, what it looks like")
	f.StringVar(&a.out, "out", ".", "the `FOLDER` that pictures which are made are written to")
	f.Func("input", "what the desk asks for beside the question, as `NAME=VALUE`; may be given several times",
		func(text string) error {
			name, value, ok := strings.Cut(text, "=")
			if !ok {
				return fmt.Errorf("%q is not NAME=VALUE", text)
			}
			a.inputs[name] = value
			return nil
		})
	f.StringVar(&a.as, "as", "", "how the words of a recording are printed: text, srt, vtt or json")
	f.BoolVar(&a.asJSON, "json", false, "print the finished turn as JSON")
}

func ask(args []string) error {
	f := newFlags("ask -desk SLUG [flags] [question]",
		"Asks a question at a desk and prints the reply as it is written. Without a question it\n"+
			"reads one from a pipe, or on a terminal it converses: Ctrl-C stops a reply, Ctrl-D leaves.\n\n"+exitHelp,
		"juvalogos ask -desk hive-helper \"How do I light a smoker?\"\n"+
			"echo \"What is a nucleus?\" | juvalogos ask -desk short-answers -json\n"+
			"juvalogos ask -desk reader -attach minutes.pdf \"Who was elected?\"\n"+
			"juvalogos ask -desk frames -attach frame.jpg \"What is on this frame?\"\n"+
			"juvalogos ask -desk voice-notes -attach note.m4a -as srt\n"+
			"juvalogos ask -desk draw-a-label -input number=2 -out labels \"A label in moss green\"\n"+
			"juvalogos ask -desk reference -about \"sun hive\" \"Who designed it?\"\n"+
			"juvalogos ask -desk reference -about https://example.org/leaflet.pdf \"What is it about?\"")
	connect := reach(f)
	var a asking
	a.flags(f)
	if err := parse(f, args); err != nil {
		return err
	}
	if a.desk == "" {
		return usageError("-desk is missing: the slug of the desk to ask at")
	}
	c, err := connect()
	if err != nil {
		return err
	}
	if a.as != "" && !slices.Contains(forms, a.as) {
		return usageError("-as is one of: " + strings.Join(forms, ", "))
	}
	q := client.Question{Desk: a.desk, Conversation: a.conversation, Text: strings.Join(f.Args(), " "),
		Inputs: a.inputs}
	recordings, files, err := sounds(a.files)
	if err != nil {
		return err
	}
	if len(recordings) > 0 {
		only, err := hearFirst(c, &q, recordings, a.as, a.asJSON)
		if err != nil || only {
			return err
		}
	}
	if q.Conversation, err = attach(c, q, files); err != nil {
		return err
	}
	if q.Conversation, err = bring(c, q, a.kind, a.abouts); err != nil {
		return err
	}
	if q.Text == "" && term.IsTerminal(int(os.Stdin.Fd())) && !a.asJSON {
		return converse(c, q, a.out)
	}
	if q.Text == "" {
		text, err := io.ReadAll(io.LimitReader(os.Stdin, 4<<20))
		if err != nil {
			return fmt.Errorf("read the question from standard input: %w", err)
		}
		q.Text = string(text)
	}
	ctx, cancel := interruptible()
	defer cancel()
	if a.asJSON {
		return askForJSON(ctx, c, q)
	}
	_, err = askAloud(ctx, c, q, a.out)
	return err
}

// hearFirst has recordings written down. only says that this was all that was wanted;
// otherwise they are asked about.
func hearFirst(c *client.Client, q *client.Question, recordings []string, as string, asJSON bool) (only bool,
	err error) {
	only = q.Text == "" || as != ""
	if asJSON && only {
		as = "json"
	}
	h := heard{client: c, desk: q.Desk, as: cmp.Or(as, "text"), quiet: !only}
	if h.wishes, err = wishesOf(q.Inputs); err != nil {
		return only, err
	}
	for _, name := range []string{"language", "names", "task", "temperature"} {
		delete(q.Inputs, name)
	}
	ctx, cancel := interruptible()
	defer cancel()
	q.Conversation, err = h.writeDown(ctx, q.Conversation, recordings)
	return only, err
}

// attach sends files to the conversation of a question, and returns its id.
func attach(c *client.Client, q client.Question, files []string) (conversation string, err error) {
	conversation = q.Conversation
	for _, name := range files {
		body, err := os.ReadFile(name)
		if err != nil {
			return "", fmt.Errorf("attach: %w", err)
		}
		if conversation, err = attachOne(c, q.Desk, conversation, filepath.Base(name), body); err != nil {
			return "", err
		}
	}
	return conversation, nil
}

// attachOne attaches a file: a picture to be asked about where the desk looks at
// pictures, else to be read.
func attachOne(c *client.Client, desk, conversation, name string, body []byte) (string, error) {
	var blind *client.Problem
	if picture.KindOf(body) != "" || strings.HasPrefix(mime.TypeByExtension(filepath.Ext(name)), "image/") {
		given, err := c.GivePicture(context.Background(), desk, conversation, name, bytes.NewReader(body))
		switch {
		case err == nil:
			for _, r := range given.Refused {
				return "", fmt.Errorf("%s was not taken: %s", r.Name, r.Problem)
			}
			return given.Conversation, nil
		case !errors.As(err, &blind) || blind.Code != "cannot-see":
			return "", err
		}
	}
	id, added, err := c.Attach(context.Background(), desk, conversation, name, bytes.NewReader(body))
	if err != nil && blind != nil {
		err = blind // neither is taken, and it is a picture
	}
	for _, a := range added {
		if err == nil && a.Problem != "" {
			err = fmt.Errorf("%s was not attached: %s", a.Name, a.Problem)
		}
	}
	return id, err
}

// askAloud prints the reply as it comes. When ctx is interrupted it stops the
// reply and returns context.Canceled.
func askAloud(ctx context.Context, c *client.Client, q client.Question, out string) (begin api.Begin, err error) {
	write, end := printer()
	outcome, err := c.Ask(ctx, q, client.Follower{
		Begin: func(b api.Begin) { begin = b },
		Text: func(text string) {
			if begin.Show == "" { // several texts are printed once they are there
				write(text)
			}
		},
		Notice: tellNotices(),
	})
	if err == nil && len(outcome.Lanes) > 0 {
		write(lanesText(outcome.Lanes))
	}
	end()
	if err != nil {
		if ctx.Err() != nil && begin.Turn != "" {
			_ = c.Stop(context.WithoutCancel(ctx), begin.Turn)
		}
		return begin, err
	}
	if s := client.Sources(outcome); s != nil {
		fmt.Fprint(os.Stderr, terminal.Harmless(sourceLines(s)))
	}
	if outcome.Parts != nil {
		fmt.Print(partsText(outcome.Parts))
	}
	if err := savePictures(context.WithoutCancel(ctx), c, outcome, out); err != nil {
		return begin, err
	}
	return begin, explainOutcome(outcome)
}

// tellNotices tells what a reply waits for, each thing once.
func tellNotices() func(api.Notice) {
	said := "" // last
	return func(n api.Notice) {
		if n.Of > 10 && n.Counted%(n.Of/10) != 0 {
			return // of many a tenth is told
		}
		if line := noticeLine(n); line != said {
			fmt.Fprintln(os.Stderr, line)
			said = line
		}
	}
}

// savePictures writes the pictures of a reply into files, none over another, and tells
// where they are.
func savePictures(ctx context.Context, c *client.Client, o api.Outcome, folder string) error {
	for _, m := range client.Pictures(o) {
		body, err := c.PictureFile(ctx, m.ID)
		if err != nil {
			return err
		}
		file, name, err := freshFile(folder, m.Name)
		if err != nil {
			return fmt.Errorf("a picture cannot be written (%w); name another folder with -out", err)
		}
		_, err = file.Write(body)
		if closing := file.Close(); err == nil {
			err = closing
		}
		if err != nil {
			return fmt.Errorf("a picture cannot be written: %w", err)
		}
		fmt.Println(name)
	}
	return nil
}

// freshFile makes a file of a name that is not there yet.
func freshFile(folder, name string) (*os.File, string, error) {
	name = filepath.Base(name)
	ending := filepath.Ext(name)
	for n := 1; ; n++ {
		path := filepath.Join(folder, name)
		if n > 1 {
			path = filepath.Join(folder, fmt.Sprintf("%s-%d%s", strings.TrimSuffix(name, ending), n, ending))
		}
		file, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
		if !errors.Is(err, os.ErrExist) || n > 1000 {
			return file, path, err
		}
	}
}

// lanesText is a reply of several texts, each below its title.
func lanesText(lanes []api.Lane) string {
	var b strings.Builder
	for i, l := range lanes {
		title := l.Title
		if title == "" {
			title = fmt.Sprint(i + 1)
		}
		text := l.Text
		if l.Failed && text == "" {
			text = "(This one failed.)"
		}
		fmt.Fprintf(&b, "## %s\n\n%s\n\n", title, strings.TrimSpace(text))
	}
	return b.String()
}

// sourceLines tells what a reply rests on.
func sourceLines(s *evidence.Sources) string {
	var b strings.Builder
	said := map[string]bool{}
	for _, sentence := range s.Sentences {
		for _, n := range sentence.Notes {
			for _, p := range s.Passages {
				if p.Number != n.Passage || said[n.Quote] {
					continue
				}
				said[n.Quote] = true
				where := p.Title
				if n.Section != "" && n.Section != p.Title {
					where += ", " + n.Section
				}
				if n.Place != "" {
					where += ", " + n.Place
				}
				fmt.Fprintf(&b, "\n[%d] %s: “%s”\n", p.Number, where, shortened(n.Quote, 200))
			}
		}
	}
	switch {
	case s.AskedIn != "":
		fmt.Fprintf(&b,
			"\n(The question is in another language (%s) than the documents (%s): only names and numbers in "+
				"it could be looked for.)\n", s.AskedIn, strings.Join(s.In, ", "))
	case b.Len() == 0 && !s.Supported:
		b.WriteString("\n(The documents do not say this.)\n")
	}
	return b.String()
}

// printer prints a reply as it comes: set for reading on a terminal, the
// model's own text elsewhere.
func printer() (write func(string), end func()) {
	if width, _, err := term.GetSize(int(os.Stdout.Fd())); err == nil {
		w := terminal.NewWriter(os.Stdout, min(width, longestLine))
		return func(text string) { _ = w.Write(text) }, func() { _ = w.Close() }
	}
	ended := true
	write = func(text string) { fmt.Print(text); ended = strings.HasSuffix(text, "\n") }
	return write, func() {
		if !ended {
			fmt.Println()
		}
	}
}

// longestLine is in columns; longer lines are hard to read.
const longestLine = 100

func askForJSON(ctx context.Context, c *client.Client, q client.Question) error {
	var turn string
	outcome, err := c.Ask(ctx, q, client.Follower{Begin: func(b api.Begin) { turn = b.Turn }})
	if err != nil {
		return err
	}
	t, err := c.Turn(ctx, turn)
	if err != nil {
		return err
	}
	if err := printJSON(t); err != nil {
		return err
	}
	return explainOutcome(outcome)
}

func noticeLine(n api.Notice) string {
	switch n.Kind {
	case "retrying":
		return fmt.Sprintf("(%s; asking again in %.0f s.)", whyAgain[n.Why], n.Seconds)
	case "waking":
		if n.Seconds > 0 {
			return fmt.Sprintf("(The model is waking up; lately that took %.0f s.)", n.Seconds)
		}
		return "(The model is waking up; that can take a minute or two.)"
	case "working":
		line := "(At work"
		if n.Says != "" {
			line += ": " + terminal.Harmless(n.Says)
		}
		if n.Done > 0 {
			line += fmt.Sprintf(", %.0f %%", 100*n.Done)
		}
		return line + ".)"
	case "making":
		if n.Seconds > 0 {
			return fmt.Sprintf("(Making it; about %.0f s, as the last %d took.)", n.Seconds, n.Place)
		}
		return "(Making it.)"
	case "preview":
		return "(It is taking shape.)"
	case "in-line":
		line := fmt.Sprintf("(Waiting in line: place %d", n.Place)
		if n.Seconds > 0 {
			line += fmt.Sprintf(", about %.0f s to go", n.Seconds)
		}
		return line + ".)"
	case "writing":
		return "(It is your turn.)"
	case "step":
		if n.Of > 1 {
			return fmt.Sprintf("(%s: %d of %d …)", n.Says, n.Counted, n.Of)
		}
		return "(" + n.Says + " …)"
	case "unsaved":
		return "(The reply cannot be saved at the moment; it goes on and will be saved as soon as possible.)"
	}
	return "(The reply is saved.)"
}

// whyAgain says why a model is asked again.
var whyAgain = map[api.NoticeWhy]string{"": "It did not work yet", "busy": "The model is busy",
	"away": "The model cannot be reached", "failed": "The model had trouble answering",
	"cut-off": "The line to the model broke"}

// explainOutcome says on standard error why a reply is not whole.
func explainOutcome(o api.Outcome) error {
	switch {
	case o.Problem != nil:
		line := o.Problem.Detail
		if o.Problem.ID != "" {
			line += " (" + o.Problem.ID + ")"
		}
		fmt.Fprintln(os.Stderr, line)
		return noReply{}
	case o.State == "stopped":
		fmt.Fprintln(os.Stderr, "(Stopped.)")
		return noReply{}
	case o.Finish == "content_filter":
		fmt.Fprintln(os.Stderr, "(The rules of the model ended the reply before its end.)")
	case o.Finish == "length":
		fmt.Fprintln(os.Stderr, "(The reply reached its longest allowed length.)")
	}
	return nil
}

// converse asks question after question in one conversation.
func converse(c *client.Client, q client.Question, out string) error {
	fmt.Fprintf(os.Stderr, "At the desk %q. Ctrl-C stops a reply, Ctrl-D leaves.\n", q.Desk)
	prompt := newLineReader()
	for {
		line, err := prompt.read()
		if err != nil {
			fmt.Fprintln(os.Stderr)
			if errors.Is(err, io.EOF) {
				return nil
			}
			return err
		}
		if q.Text = strings.TrimSpace(line); q.Text == "" {
			continue
		}
		ctx, cancel := interruptible()
		begin, err := askAloud(ctx, c, q, out)
		interrupted := ctx.Err() != nil
		cancel()
		if begin.Conversation != "" {
			q.Conversation = begin.Conversation
		}
		var problem *client.Problem
		switch {
		case interrupted:
			fmt.Fprintln(os.Stderr, "(Stopped.)")
		case errors.As(err, &problem) && problem.Status != 404 && problem.Status != 401:
			fmt.Fprintln(os.Stderr, problem)
		case err != nil && !errors.Is(err, noReply{}):
			return err
		}
	}
}

// lineReader reads lines with editing and history, and gives the terminal back
// between lines, so that Ctrl-C interrupts a reply.
type lineReader struct{ terminal *term.Terminal }

func newLineReader() *lineReader {
	return &lineReader{term.NewTerminal(struct {
		io.Reader
		io.Writer
	}{os.Stdin, os.Stdout}, "\n> ")}
}

func (l *lineReader) read() (string, error) {
	in := int(os.Stdin.Fd())
	state, err := term.MakeRaw(in)
	if err != nil {
		return "", err
	}
	defer term.Restore(in, state)
	if width, height, err := term.GetSize(in); err == nil {
		_ = l.terminal.SetSize(width, height)
	}
	line, err := l.terminal.ReadLine()
	if errors.Is(err, term.ErrPasteIndicator) {
		err = nil
	}
	return line, err
}

// several takes a flag that may be given several times.
func several(into *[]string) func(string) error {
	return func(text string) error {
		*into = append(*into, text)
		return nil
	}
}
