package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"text/tabwriter"
	"time"

	"golang.org/x/term"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/models"
	"juvalogos/internal/models/protocol"
	"juvalogos/internal/service"
	"juvalogos/internal/shape"
	"juvalogos/internal/terminal"
)

var modelCommands = []command{
	{"list", "list the models of the connections", modelList},
	{"probe", "ask each model for a few tokens, or a picture", modelProbe},
}

const aboutConnections = "With -connections it reads that file and needs no running service; otherwise it asks the " +
	"service."

func modelList(args []string) error {
	f := newFlags("model list [flags]", "Lists the models of a connection file.\n"+aboutConnections,
		"juvalogos model list -connections connections.yaml")
	connect := reach(f)
	connections := f.String("connections", "", "connection file to read instead of asking the service")
	asJSON := f.Bool("json", false, "print JSON")
	if err := parse(f, args); err != nil {
		return err
	}
	list, err := listModels(*connections, connect)
	if err != nil {
		return err
	}
	if *asJSON {
		return printJSON(list)
	}
	if len(list) == 0 {
		fmt.Println("There are no models yet. Write a connection file and start the service with -connections FILE.")
		return nil
	}
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "MODEL\tCONNECTION\tCAN\tCONTEXT\tVOCABULARY\tPRICE\tADDRESS")
	for _, m := range list {
		vocabulary := m.Vocabulary
		if vocabulary == "" {
			vocabulary = "estimated"
		}
		fmt.Fprintf(w, "%s\t%s\t%s\t%d\t%s\t%s\t%s\n", m.Name, m.Connection, strings.Join(m.Can, ", "), m.Context,
			vocabulary, priceOf(m.Price), m.Address)
	}
	return w.Flush()
}

// priceOf is what a model costs, by what it is reckoned.
func priceOf(p api.Price) string {
	var all []string
	if p.In != 0 || p.Out != 0 {
		all = append(all, fmt.Sprintf("%g in, %g out per million tokens", p.In, p.Out))
	}
	if p.Picture != 0 {
		all = append(all, fmt.Sprintf("%g per picture", p.Picture))
	}
	if p.Minute != 0 {
		all = append(all, fmt.Sprintf("%g per minute of sound", p.Minute))
	}
	if all == nil {
		return "not given"
	}
	return strings.Join(all, "; ")
}

func listModels(connections string, connect func() (*client.Client, error)) ([]api.Model, error) {
	if connections == "" {
		c, err := connect()
		if err != nil {
			return nil, err
		}
		return c.Models(context.Background())
	}
	registry, err := openConnections(connections)
	if err != nil {
		return nil, err
	}
	var list []api.Model
	for _, e := range registry.All() {
		list = append(list, shape.Model(e))
	}
	return list, nil
}

func openConnections(path string) (*models.Registry, error) {
	file, err := service.ReadConnections(path)
	if err != nil {
		return nil, err
	}
	return models.Open(file, protocol.All()), nil
}

func modelProbe(args []string) error {
	f := newFlags("model probe [flags] [MODEL]",
		"Asks each model, or the one named, for a few tokens, and prints how soon the first came and how fast\n"+
			"the others followed, or what is wrong and what to do. If a server does not take the request as it is,\n"+
			"it finds out by trying what it takes, shows the lines to write, and writes them with -write. A model\n"+
			"that makes pictures is asked for one, at its price.\n"+
			aboutConnections,
		"juvalogos model probe -connections connections.yaml heather-2\njuvalogos model probe -show hall/our-model")
	connect := reach(f)
	connections := f.String("connections", "", "connection file to read instead of asking the service")
	asJSON := f.Bool("json", false, "print JSON")
	wire := f.Bool("show", false, "show the request and the answer as they went over the wire, keys masked")
	write := f.Bool("write", false, "write down what was found out of how a server wants to be asked")
	if err := parse(f, args); err != nil {
		return err
	}
	if f.NArg() > 1 {
		return usageError("name one model, or none for all")
	}
	ctx, cancel := interruptible()
	defer cancel()
	probes, err := probeModels(ctx, *connections, f.Arg(0), connect)
	if err != nil {
		return err
	}
	broken := false
	for _, p := range probes {
		broken = broken || !p.Works
	}
	if *asJSON {
		err = printJSON(probes)
	} else if err = printProbes(probes, *wire); err == nil {
		err = writeFound(probes, *connections, *write, connect)
	}
	if err == nil && broken {
		return noReply{}
	}
	return err
}

// writeFound writes down how servers want to be asked, if that is wished.
func writeFound(probes []api.Probe, file string, wished bool, connect func() (*client.Client, error)) error {
	for _, p := range probes {
		if p.Found == nil {
			continue
		}
		if !wished && !agreed(fmt.Sprintf("Write this down for %s?", p.Model)) {
			fmt.Println("\nNothing is written; -write writes it.")
			continue
		}
		connection, model, _ := strings.Cut(p.Model, "/")
		if err := keepFound(connection, model, *p.Found, file, connect); err != nil {
			return err
		}
		fmt.Printf("written: %s is asked as it wants to be\n", p.Model)
	}
	return nil
}

func keepFound(connection, model string, m models.Manners, file string,
	connect func() (*client.Client, error)) error {
	if file == "" {
		c, err := connect()
		if err != nil {
			return err
		}
		return c.KeepManners(context.Background(), connection, api.MannersOf{Model: model, Manners: m})
	}
	src, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	text, err := models.WriteManners(src, connection, model, m, protocol.All())
	if err != nil {
		return err
	}
	return models.ReplaceFile(file, text)
}

// agreed asks on a terminal; elsewhere the answer is no.
func agreed(question string) bool {
	if !term.IsTerminal(int(os.Stdin.Fd())) || !term.IsTerminal(int(os.Stdout.Fd())) {
		return false
	}
	fmt.Print(question, " [y/N] ")
	var answer string
	_, _ = fmt.Scanln(&answer)
	return strings.EqualFold(answer, "y") || strings.EqualFold(answer, "yes")
}

func probeModels(ctx context.Context, connections, model string, connect func() (*client.Client, error)) ([]api.Probe,
	error) {
	if connections == "" {
		c, err := connect()
		if err != nil {
			return nil, err
		}
		return c.Probe(ctx, model)
	}
	registry, err := openConnections(connections)
	if err != nil {
		return nil, err
	}
	probes, err := registry.Probe(ctx, model)
	return shape.All(probes, shape.Probe), err
}

func printProbes(probes []api.Probe, wire bool) error {
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "MODEL\tFIRST TOKEN\tTOKENS/S\t")
	for _, p := range probes {
		says := "works"
		switch {
		case !p.Works:
			says = p.Advice
		case p.Found != nil:
			says = "works if it is asked as below"
		case p.Thinks:
			says = "works, and thinks aloud"
		}
		if !p.Works {
			fmt.Fprintf(w, "%s\t-\t-\t%s\n", p.Model, terminal.Harmless(says))
		} else {
			fmt.Fprintf(w, "%s\t%.0f ms\t%.0f\t%s\n", p.Model, p.FirstTokenMs, p.TokensPerSecond, says)
		}
	}
	if err := w.Flush(); err != nil {
		return err
	}
	for _, p := range probes {
		show("%s", probeMore(p, wire))
	}
	return nil
}

// probeMore is what there is to say of a probe beside its line.
func probeMore(p api.Probe, wire bool) string {
	var b strings.Builder
	if len(p.Trials) > 0 {
		fmt.Fprintf(&b, "\n%s was asked in %d ways:\n", p.Model, len(p.Trials))
		for _, t := range p.Trials {
			mark := "works"
			if !t.Works {
				mark = "refused: " + shortened(t.Said, 90)
			}
			fmt.Fprintf(&b, "  %-24s %s\n", t.What, mark)
		}
	}
	if p.Found != nil {
		fmt.Fprintf(&b, "\n%s\nIn the connection, beside the model's name:\n\n%s\n", p.Advice,
			indented(p.Lines, "    "))
	}
	if len(p.Places) > 0 {
		b.WriteString("\nThe answer has texts at these places; write one as reply:\n")
		for _, at := range p.Places {
			fmt.Fprintf(&b, "  %-30s %s\n", at.At, shortened(at.Text, 60))
		}
	}
	if wire {
		for _, x := range p.Exchanges {
			b.WriteString("\n" + sideBySide(x))
		}
	}
	return b.String()
}

func indented(text, by string) string {
	return by + strings.ReplaceAll(strings.TrimRight(text, "\n"), "\n", "\n"+by)
}

func compact(v any) string {
	text, err := json.Marshal(v)
	if err != nil {
		return ""
	}
	return string(text)
}

// sideBySide shows a request at the left and its answer at the right.
func sideBySide(x models.Exchange) string {
	half := 60
	if width, _, err := term.GetSize(int(os.Stdout.Fd())); err == nil {
		half = max(30, (width-3)/2)
	}
	left := append([]string{x.Method + " " + x.Address}, strings.Split(strings.TrimSpace(x.Request), "\n")...)
	status := "its standard error"
	if x.Status > 0 {
		status = fmt.Sprint(x.Status)
	}
	right := append([]string{fmt.Sprintf("%s, after %s", status, x.Took.Round(time.Millisecond))},
		strings.Split(strings.TrimSpace(x.Answer), "\n")...)
	left, right = folded(left, half), folded(right, half)
	var b strings.Builder
	for i := range max(len(left), len(right)) {
		l, r := "", ""
		if i < len(left) {
			l = left[i]
		}
		if i < len(right) {
			r = right[i]
		}
		b.WriteString(strings.TrimRight(fmt.Sprintf("%-*s │ %s", half, l, r), " ") + "\n")
	}
	return b.String()
}

// folded breaks lines at so many characters.
func folded(lines []string, most int) (all []string) {
	for _, line := range lines {
		runes := []rune(strings.ReplaceAll(strings.TrimRight(line, "\r"), "\t", "  "))
		for len(runes) > most {
			all, runes = append(all, string(runes[:most])), runes[most:]
		}
		all = append(all, string(runes))
	}
	return all
}
