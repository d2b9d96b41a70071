package main

import (
	"context"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/models"
)

var connectionCommands = []command{
	{"list", "list the places where models live", connectionList},
	{"show", "show one, and how its program or server is doing", connectionShow},
	{"add", "add a place where models live, or change one", connectionAdd},
	{"remove", "take one out of use", connectionRemove},
}

func connectionList(args []string) error {
	f := newFlags("connection list [flags]", "Lists the connections: those of the connection file, then those that "+
		"were added.", "juvalogos connection list")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 0, 0, "", func(c *client.Client, _ []string) error {
		connections, err := c.Connections(context.Background())
		if err != nil {
			return err
		}
		return list(*asJSON, connections, "There are none yet. Add one: juvalogos connection add -h",
			"CONNECTION, WHERE, KEY, FROM, MODELS", func(k api.Connection) []any {
				from := "the file"
				if !k.Fixed {
					from = "added"
				}
				return []any{k.Name, whereOf(k), keyOf(k), from, strings.Join(modelsOf(k), ", ")}
			})
	})
}

// whereOf is where a connection's models live.
func whereOf(k api.Connection) string {
	if k.Program == nil {
		return k.Address
	}
	where := strings.Join(k.Program.Run, " ")
	if k.State != nil {
		where += " (" + k.State.State + ")"
	}
	return where
}

func keyOf(k api.Connection) string {
	switch {
	case k.Keyed:
		return "kept encrypted"
	case k.Reference != "":
		return k.Reference
	}
	return "none"
}

func modelsOf(k api.Connection) (names []string) {
	for _, m := range k.Models {
		names = append(names, m.Name)
	}
	return names
}

func connectionShow(args []string) error {
	f := newFlags("connection show [flags] NAME", "Shows a connection: how it is asked, and how its program or its "+
		"server is doing. Of a\nprogram: whether it runs, how long it took to wake, and what it needs of the machine.",
		"juvalogos connection show answer")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, 1, "name one connection", func(c *client.Client, names []string) error {
		connections, err := c.Connections(context.Background())
		if err != nil {
			return err
		}
		for _, k := range connections {
			if k.Name == names[0] {
				if *asJSON {
					return printJSON(k)
				}
				show("%s", aboutConnection(k))
				return nil
			}
		}
		return &client.Problem{Status: 404, Detail: fmt.Sprintf("There is no connection %q; \"juvalogos connection "+
			"list\" shows those that there are.", names[0])}
	})
}

func aboutConnection(k api.Connection) string {
	var b strings.Builder
	line := func(name, format string, values ...any) {
		fmt.Fprintf(&b, "%-10s %s\n", name, fmt.Sprintf(format, values...))
	}
	line("name", "%s", k.Name)
	if k.Program != nil {
		line("program", "%s", strings.Join(k.Program.Run, " "))
	} else {
		line("address", "%s", k.Address)
		line("key", "%s", keyOf(k))
	}
	line("asked by", "%s", k.Protocol)
	line("models", "%s", strings.Join(modelsOf(k), ", "))
	if s := k.State; s != nil {
		line("state", "%s, %d running", s.State, s.Running)
		line("asked", "%d times, started %d times", s.Asked, s.Starts)
		if s.Starts > 0 {
			line("woke in", "%s", s.Woke.Round(time.Millisecond))
		}
		line("memory", "%s now, %s at most", megabytes(s.Memory), megabytes(s.Peak))
		line("processor", "%s", s.CPU.Round(10*time.Millisecond))
		if s.Ended != "" {
			line("ended", "%s", s.Ended)
		}
		if s.Complaint != "" {
			line("said last", "%s", strings.ReplaceAll(s.Complaint, "\n", "\n           "))
		}
	}
	if p := k.Pace; p != nil {
		line("its pace", "%s requests, %s tokens a minute, as it says; %s and %s left", said(p.Requests),
			said(p.Tokens),
			said(p.RequestsLeft), said(p.TokensLeft))
	}
	for _, m := range k.Models {
		if m.Manners != nil {
			line("manners", "of %s: %s", m.Name, compact(m.Manners))
		}
	}
	return b.String()
}

func megabytes(n int64) string { return fmt.Sprintf("%.1f MB", float64(n)/1e6) }

// said is a number that a server may not have said.
func said(n int) string {
	if n < 0 {
		return "?"
	}
	return strconv.Itoa(n)
}

// adding are the flags of connection add.
type adding struct {
	connection api.Connection
	program    string
	plain      bool
	copies     int
	warm       bool
	curl       string
	key        string
	patience   time.Duration
	untried    bool
}

func (a *adding) flags(f *flag.FlagSet) {
	k := &a.connection
	f.StringVar(&k.Address, "server", "", "the model server's base address, the part before /chat/completions")
	f.StringVar(&a.program, "program", "", "a local program that answers, with its arguments; see docs/programs.md")
	f.BoolVar(&a.plain, "plain", false, "the program reads a question and writes the reply, and speaks no JSON Lines")
	f.IntVar(&a.copies, "copies", 0, "how many of the program run side by side; 1 if left out")
	f.BoolVar(&a.warm, "warm", false, "keep the program running")
	f.StringVar(&a.curl, "curl", "", "`FILE` with a curl line that works, to be taken over; - for standard input")
	f.IntVar(&k.AtOnce, "at-once", 0, "the most replies at once; 0 for any number")
	f.IntVar(&k.RequestsAMinute, "requests-a-minute", 0, "the most requests a minute; 0 for any number")
	f.IntVar(&k.TokensAMinute, "tokens-a-minute", 0, "the most tokens a minute; 0 for any number")
	f.DurationVar(&a.patience, "patience", time.Minute, "how long to wait for the next word")
	f.StringVar(&a.key, "key-from", "", "file with the key; - for standard input")
	f.StringVar(&k.Ca, "ca", "",
		"a file with certificates that are trusted beside the system's, on the service's machine")
	f.StringVar(&k.Proxy, "proxy", "", "the HTTP proxy that leads to the server")
	f.BoolVar(&a.untried, "untried", false, "add it without asking it something first")
	f.Func("header", "a `NAME: VALUE` for every request; {key} stands for the key; may be given several times",
		func(text string) error {
			name, value, ok := strings.Cut(text, ":")
			if !ok {
				return fmt.Errorf("write it like \"X-Api-Key: {key}\"")
			}
			if k.Headers == nil {
				k.Headers = map[string]string{}
			}
			k.Headers[strings.TrimSpace(name)] = strings.TrimSpace(value)
			return nil
		})
	f.Func("model", "a model there and its context in tokens, like our-model:8192; give it once for each",
		func(text string) error {
			i := strings.LastIndexByte(text, ':') // a model's name may have one
			n, err := strconv.Atoi(text[i+1:])
			if err != nil || i < 1 {
				return fmt.Errorf("write it like our-model:8192")
			}
			k.Models = append(k.Models, api.ModelSettings{Name: text[:i], Context: n})
			return nil
		})
	f.Func("can", "what the models named so far can do, like see or pictures,chat", func(text string) error {
		for i := range k.Models {
			k.Models[i].Can = strings.Split(text, ",")
		}
		return nil
	})
}

// usualContext is that of programs' models that nobody says anything of.
const usualContext = 8192

// complete makes a connection of the flags, and of a curl line.
func (a *adding) complete(c *client.Client, names []string) (k api.Connection, err error) {
	k = a.connection
	if a.curl != "" {
		line, err := readKey(a.curl)
		if err != nil {
			return k, err
		}
		taken, err := c.FromCurl(context.Background(), line)
		if err != nil {
			return k, err
		}
		taken.AtOnce, taken.RequestsAMinute, taken.TokensAMinute = k.AtOnce, k.RequestsAMinute, k.TokensAMinute
		if len(k.Models) > 0 {
			taken.Models = k.Models
		}
		k = taken
	}
	if a.program != "" {
		if err := a.ofProgram(&k); err != nil {
			return k, err
		}
	}
	if len(names) > 0 {
		if len(k.Models) == 1 && k.Models[0].Name == k.Name { // it was called so for want of another name
			k.Models[0].Name = names[0]
		}
		k.Name = names[0]
	}
	if len(k.Models) == 0 && k.Program != nil {
		k.Models = []api.ModelSettings{{Name: k.Name, Context: usualContext}}
	}
	k.Patience = a.patience.Seconds()
	if a.key != "" {
		if k.Key, err = readKey(a.key); err != nil {
			return k, err
		}
	}
	if k.Name == "" || k.Address == "" && k.Program == nil || len(k.Models) == 0 {
		return k,
			usageError("give the connection one name, its -server and at least one -model; or its -program; or a " +
				"-curl line")
	}
	return k, nil
}

func (a *adding) ofProgram(k *api.Connection) error {
	words := strings.Fields(a.program)
	if _, err := os.Stat(a.program); err == nil { // its name has spaces
		words = []string{a.program}
	}
	if len(words) == 0 {
		return usageError("-program is empty")
	}
	path, err := filepath.Abs(words[0])
	if err != nil {
		return err
	}
	words[0] = path
	k.Program = &models.Program{Run: words, Copies: a.copies, Warm: a.warm}
	if a.plain {
		k.Program.Speaks = "plain"
	}
	base := filepath.Base(path)
	k.Name = strings.Trim(strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
			return r
		}
		return '-'
	}, strings.ToLower(strings.TrimSuffix(base, filepath.Ext(base)))), "-")
	return nil
}

func connectionAdd(args []string) error {
	f := newFlags("connection add [flags] [NAME]",
		"Adds a connection to the running service, or changes the one of that name that was added: a model\n"+
			"server, a local program, or any HTTP address by a curl line that works. It is asked something first\n"+
			"(-untried leaves that out). The key is read from a file or from standard input, and kept encrypted;\n"+
			"without -key-from a changed connection keeps the key it has.",
		"juvalogos connection add -server http://127.0.0.1:8000/v1 -model our-model:8192 -key-from key.txt shed\n"+
			"juvalogos connection add -program ./answer.py\n"+
			"juvalogos connection add -curl line.txt weather")
	a := &adding{}
	a.flags(f)
	return onService(f, args, 0, 1, "give the connection one name", func(c *client.Client, names []string) error {
		k, err := a.complete(c, names)
		if err != nil {
			return err
		}
		if !a.untried {
			if k, err = tried(c, k); err != nil {
				return err
			}
		}
		if err := c.KeepConnection(context.Background(), k); err != nil {
			return err
		}
		fmt.Printf("%s is in use; desks name its model %s\n", k.Name, k.Models[0].Name)
		return nil
	})
}

// tried asks a connection something, and puts into it what that shows.
func tried(c *client.Client, k api.Connection) (api.Connection, error) {
	ctx, cancel := interruptible()
	defer cancel()
	p, err := c.TryConnection(ctx, k)
	if err != nil {
		return k, err
	}
	if k.Endpoint != nil && k.Endpoint.Reply == "" && len(p.Places) > 0 {
		k.Endpoint.Reply = p.Places[0].At
		fmt.Printf("the reply is taken from %s\n", p.Places[0].At)
		if p, err = c.TryConnection(ctx, k); err != nil {
			return k, err
		}
	}
	if !p.Works {
		_ = printProbes([]api.Probe{p}, true)
		return k, fmt.Errorf("it was not added: %s\nadd it all the same with -untried", p.Advice)
	}
	if p.Found != nil {
		k.Models[0].Manners = p.Found
		fmt.Println("it is asked as it wants to be:", compact(p.Found))
	}
	fmt.Printf("it answers, after %.0f ms: %.70q\n", p.FirstTokenMs, p.Reply)
	return k, nil
}

func readKey(from string) (string, error) {
	var text []byte
	var err error
	switch from {
	case "":
		return "", nil
	case "-":
		text, err = io.ReadAll(io.LimitReader(os.Stdin, 1<<18))
	default:
		text, err = os.ReadFile(from)
	}
	if err != nil {
		return "", fmt.Errorf("%s cannot be read: %w", from, err)
	}
	return strings.TrimSpace(string(text)), nil
}

func connectionRemove(args []string) error {
	f := newFlags("connection remove [flags] NAME", "Takes a connection that was added out of use. Desks with its "+
		"models tell visitors that they are not set up.", "juvalogos connection remove shed")
	return onService(f, args, 1, 1, "name one connection", func(c *client.Client, names []string) error {
		if err := c.RemoveConnection(context.Background(), names[0]); err != nil {
			return err
		}
		fmt.Printf("removed %s\n", names[0])
		return nil
	})
}
