package main

import (
	"context"
	"fmt"
	"os"
	"strings"
	"text/tabwriter"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/models"
	"juvalogos/internal/models/protocol"
	"juvalogos/internal/service"
	"juvalogos/internal/shape"
)

var modelCommands = []command{
	{"list", "list the models of the connections", modelList},
	{"probe", "ask each model for a few tokens", modelProbe},
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
	fmt.Fprintln(w, "MODEL\tCONNECTION\tCAN\tCONTEXT\tVOCABULARY\tPRICE IN/OUT PER MILLION\tADDRESS")
	for _, m := range list {
		vocabulary := m.Vocabulary
		if vocabulary == "" {
			vocabulary = "estimated"
		}
		fmt.Fprintf(w, "%s\t%s\t%s\t%d\t%s\t%g / %g\t%s\n", m.Name, m.Connection, strings.Join(m.Can, ", "), m.Context,
			vocabulary, m.Price.In, m.Price.Out, m.Address)
	}
	return w.Flush()
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
		"Asks each chat model, or the one named, for a few tokens, and prints how soon the first\n"+
			"came and how fast the others followed, or what is wrong and what to do.\n"+aboutConnections,
		"juvalogos model probe -connections connections.yaml heather-2")
	connect := reach(f)
	connections := f.String("connections", "", "connection file to read instead of asking the service")
	asJSON := f.Bool("json", false, "print JSON")
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
	} else {
		err = printProbes(probes)
	}
	if err == nil && broken {
		return noReply{}
	}
	return err
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

func printProbes(probes []api.Probe) error {
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "MODEL\tFIRST TOKEN\tTOKENS/S\t")
	for _, p := range probes {
		if p.Works {
			fmt.Fprintf(w, "%s\t%.0f ms\t%.0f\tworks\n", p.Model, p.FirstTokenMs, p.TokensPerSecond)
		} else {
			fmt.Fprintf(w, "%s\t-\t-\t%s\n", p.Model, p.Advice)
		}
	}
	return w.Flush()
}
