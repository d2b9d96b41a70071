package main

import (
	"context"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
)

var connectionCommands = []command{
	{"list", "list the places where models live", connectionList},
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
			"CONNECTION, ADDRESS, KEY, FROM, MODELS", func(k api.Connection) []any {
				key, from, names := "none", "the file", []string{}
				if k.Keyed {
					key = "kept encrypted"
				} else if k.Reference != "" {
					key = k.Reference
				}
				if !k.Fixed {
					from = "added"
				}
				for _, m := range k.Models {
					names = append(names, m.Name)
				}
				return []any{k.Name, k.Address, key, from, strings.Join(names, ", ")}
			})
	})
}

func connectionAdd(args []string) error {
	f := newFlags("connection add [flags] NAME",
		"Adds a connection to the running service, or changes the one of that name that was added. The key is read\n"+
			"from a file or from standard input, and kept encrypted; without -key-from a changed one keeps the key "+
			"it has.",
		"juvalogos connection add -server http://127.0.0.1:8000/v1 -model our-model:8192 -key-from key.txt shed")
	k := api.Connection{}
	f.StringVar(&k.Address, "server", "", "the model server's base address, the part before /chat/completions")
	f.IntVar(&k.AtOnce, "at-once", 0, "the most replies at once; 0 for any number")
	patience := f.Duration("patience", time.Minute, "how long to wait for the next word")
	key := f.String("key-from", "", "file with the key; - for standard input")
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
	const missing = "give the connection one name, its -server and at least one -model"
	return onService(f, args, 1, 1, missing, func(c *client.Client, names []string) (err error) {
		if k.Address == "" || len(k.Models) == 0 {
			return usageError(missing)
		}
		k.Name, k.Patience = names[0], patience.Seconds()
		if k.Key, err = readKey(*key); err != nil {
			return err
		}
		if err := c.KeepConnection(context.Background(), k); err != nil {
			return err
		}
		fmt.Printf("%s is in use; see whether its models answer: juvalogos model probe\n", k.Name)
		return nil
	})
}

func readKey(from string) (string, error) {
	var text []byte
	var err error
	switch from {
	case "":
		return "", nil
	case "-":
		text, err = io.ReadAll(io.LimitReader(os.Stdin, 1<<16))
	default:
		text, err = os.ReadFile(from)
	}
	if err != nil {
		return "", fmt.Errorf("the key cannot be read: %w", err)
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
