// Command juvalogos is the service and its command line.
//
// A command is a file of its own and a line in commands below; one that belongs
// to a group is a line there. All but start talk to a running service through
// package client and decide nothing.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"strings"

	"juvalogos/internal/engine"
	"juvalogos/internal/readers"
)

// version is set when the program is built.
var version = "0.1.0"

// Exit codes.
const (
	exitOK          = 0
	exitFailed      = 1
	exitUsage       = 2
	exitUnreachable = 3
	exitNotFound    = 4
	exitNoToken     = 5
	exitNoReply     = 6
	exitInterrupted = 130
)

const exitHelp = `Exit codes:
  0  done
  1  something failed; the message says what
  2  the command was not understood
  3  no service answers at the address
  4  there is no such desk, model or conversation
  5  a token is needed, or this one is not known
  6  the model gave no whole reply
  130  interrupted
`

// A command is one word of the command line. Its run gets the arguments after
// the word.
type command struct {
	name, summary string
	run           func(args []string) error
}

var commands = []command{
	{"start", "run the service", start},
	{"ask", "ask at a desk, or converse", ask},
	{"desk", "check, publish, compare, withdraw, export desks, ...", group("desk", deskCommands)},
	{"conversation", "list, show, export and remove conversations", group("conversation", conversationCommands)},
	{"recipe", "list, check, draw and run recipes: how replies are made", group("recipe", recipeCommands)},
	{"quiz", "make, give, take and look at quizzes, and have models sit them", group("quiz", quizCommands)},
	{"shelf", "make, fill and search shelves: the documents desks answer from", group("shelf", shelfCommands)},
	{"trace", "find, show, export and run again how replies were made", group("trace", traceCommands)},
	{"usage", "add up what models were asked for, and what it cost", usage},
	{"model", "list and probe models", group("model", modelCommands)},
	{"connection", "list, add and remove places where models live", group("connection", connectionCommands)},
	{"token", "add, list and remove API tokens", group("token", tokenCommands)},
	{"login", "sign in to a service and remember the way to it", login},
	{"version", "print the version", func([]string) error { fmt.Println("juvalogos", version); return nil }},
}

func main() {
	readers.Child() // this may be a process that reads a file
	engine.Child()  // or that asks tables
	err := dispatch("juvalogos", commands, os.Args[1:])
	if err != nil && !errors.Is(err, flag.ErrHelp) {
		if errors.Is(err, context.Canceled) {
			fmt.Fprintln(os.Stderr, "(Stopped.)")
		} else if text := err.Error(); text != "" {
			fmt.Fprintln(os.Stderr, "juvalogos: "+strings.ReplaceAll(text, "\n", "\njuvalogos: "))
		}
	}
	os.Exit(exitCode(err))
}

// group is a command that has commands of its own.
func group(name string, members []command) func([]string) error {
	return func(args []string) error { return dispatch("juvalogos "+name, members, args) }
}

func dispatch(path string, members []command, args []string) error {
	if len(args) == 0 {
		printCommands(os.Stderr, path, members)
		return usageError("")
	}
	for _, c := range members {
		if c.name == args[0] {
			return c.run(args[1:])
		}
	}
	switch args[0] {
	case "-h", "-help", "--help", "help":
		printCommands(os.Stdout, path, members)
		return nil
	}
	var names []string
	for _, c := range members {
		names = append(names, c.name)
	}
	return usageError(unknownWord(path, args[0], names))
}

func printCommands(w io.Writer, path string, members []command) {
	if path == "juvalogos" {
		fmt.Fprint(w, "Juvalogos puts a generative model behind a page that colleagues can use.\n\n")
	}
	fmt.Fprintf(w, "Usage: %s COMMAND [flags]\n\n", path)
	for _, c := range members {
		fmt.Fprintf(w, "  %-13s %s\n", c.name, c.summary)
	}
	fmt.Fprintf(w, "\n\"%s COMMAND -h\" explains a command, with an example.\n", path)
	if path == "juvalogos" {
		fmt.Fprint(w, "\n"+exitHelp)
	}
}

// newFlags makes a command's flags. usage is its line after "juvalogos", about
// a sentence or two, example a whole command line.
func newFlags(usage, about, example string) *flag.FlagSet {
	name, _, _ := strings.Cut(usage, " ")
	f := flag.NewFlagSet(name, flag.ContinueOnError)
	f.SetOutput(io.Discard) // errors are printed once, by main
	f.Usage = func() {
		w := os.Stdout
		fmt.Fprintf(w, "Usage: juvalogos %s\n\n%s\n\nExample:\n  %s\n", usage, about,
			strings.ReplaceAll(example, "\n", "\n  "))
		any := false
		f.VisitAll(func(*flag.Flag) { any = true })
		if any {
			fmt.Fprintln(w, "\nFlags:")
			f.SetOutput(w)
			f.PrintDefaults()
			f.SetOutput(io.Discard)
		}
	}
	return f
}

// parse reads flags, before the arguments and after them; mistakes in them are usage
// errors. What follows -- is no flag.
func parse(f *flag.FlagSet, args []string) error {
	var others []string
	for rest := args; ; {
		err := f.Parse(rest)
		if errors.Is(err, flag.ErrHelp) {
			return err
		}
		if err != nil {
			return usageError(err.Error() + "; -h explains the flags, and after -- everything is text")
		}
		read := len(rest) - f.NArg()
		if read > 0 && rest[read-1] == "--" {
			others = append(others, f.Args()...)
			break
		}
		if f.NArg() == 0 {
			break
		}
		others, rest = append(others, f.Arg(0)), f.Args()[1:]
	}
	return f.Parse(append([]string{"--"}, others...))
}
