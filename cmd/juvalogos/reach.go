package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"text/tabwriter"
	"time"

	"juvalogos/internal/client"
	"juvalogos/internal/service"
	"juvalogos/internal/terminal"
)

// reach adds the flags that say where the service is, and returns what makes a
// client of them once they are parsed.
func reach(f *flag.FlagSet) func() (*client.Client, error) {
	address := f.String("address", "", "the service's address (environment: JUVALOGOS_ADDRESS; default "+
		client.DefaultAddress+")")
	token := f.String("token", "", "API token; other users can see flags, so prefer the environment variable "+
		"JUVALOGOS_TOKEN or the config file")
	config := f.String("config", "", "config file with address and token (environment: JUVALOGOS_CONFIG; default "+
		client.UserFile()+", else the one in the service's data folder)")
	return func() (*client.Client, error) {
		c, err := client.Load(*address, *token, *config, os.Getenv, client.UserFile(),
			filepath.Join(service.DefaultData(), "client.yaml"))
		if err != nil {
			return nil, err
		}
		// Who has no token is one and the same visitor to all calls of a command.
		jar, err := cookiejar.New(nil)
		c.HTTP = &http.Client{Jar: jar}
		return c, err
	}
}

// onService parses a command's flags and hands over a client with the names
// behind them, of which there must be from least to most; missing says what is
// needed if there are not.
func onService(f *flag.FlagSet, args []string, least, most int, missing string,
	do func(c *client.Client, names []string) error) error {
	connect := reach(f)
	if err := parse(f, args); err != nil {
		return err
	}
	if f.NArg() < least || f.NArg() > most {
		if missing == "" {
			missing = fmt.Sprintf("%q is not expected here", f.Arg(most))
		}
		return usageError(missing)
	}
	c, err := connect()
	if err != nil {
		return err
	}
	return do(c, f.Args())
}

// currencyOf is what the service's costs are given in; a service that does not
// say leaves it open.
func currencyOf(c *client.Client) string {
	health, err := c.Health(context.Background())
	if err != nil || health.Currency == "" {
		return "its currency"
	}
	return health.Currency
}

// show prints what others wrote, in a form that does nothing to a terminal.
func show(format string, values ...any) { fmt.Print(terminal.Harmless(fmt.Sprintf(format, values...))) }

// manyNames is for commands that take any number.
const manyNames = 1 << 20

// list prints a list as JSON, or as a table with a heading, or says what to do
// if it is empty.
func list[T any](asJSON bool, items []T, none, heading string, row func(T) []any) error {
	if asJSON {
		return printJSON(items)
	}
	if len(items) == 0 {
		fmt.Println(none)
		return nil
	}
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, strings.ReplaceAll(heading, ", ", "\t"))
	for _, item := range items {
		cells := row(item)
		for i, cell := range cells {
			if text, ok := cell.(string); ok {
				cells[i] = terminal.Harmless(text)
			}
		}
		format := strings.TrimSuffix(strings.Repeat("%v\t", len(cells)), "\t") + "\n"
		fmt.Fprintf(w, format, cells...)
	}
	return w.Flush()
}

// when prints a time that may be missing.
func when(t *time.Time) string {
	if t == nil {
		return "never"
	}
	return t.Local().Format(time.DateTime)
}

// interruptible is a context that ends with an interrupt.
func interruptible() (context.Context, context.CancelFunc) {
	return signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
}

func printJSON(v any) error {
	e := json.NewEncoder(os.Stdout)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	return e.Encode(v)
}
