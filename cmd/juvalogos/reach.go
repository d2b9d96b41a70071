package main

import (
	"context"
	"encoding/json"
	"flag"
	"os"
	"os/signal"
	"path/filepath"
	"syscall"

	"juvalogos/internal/client"
	"juvalogos/internal/service"
)

// reach adds the flags that say where the service is, and returns what makes a
// client of them once they are parsed.
func reach(f *flag.FlagSet) func() (*client.Client, error) {
	address := f.String("address", "", "the service's address (environment: JUVALOGOS_ADDRESS; default "+client.DefaultAddress+")")
	token := f.String("token", "", "API token; other users can see flags, so prefer the environment variable JUVALOGOS_TOKEN or the config file")
	config := f.String("config", "", "config file with address and token (environment: JUVALOGOS_CONFIG; default "+client.UserFile()+", else the one in the service's data folder)")
	return func() (*client.Client, error) {
		return client.Load(*address, *token, *config, os.Getenv, client.UserFile(), filepath.Join(service.DefaultData(), "client.yaml"))
	}
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
