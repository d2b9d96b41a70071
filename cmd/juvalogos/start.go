package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"strings"
	"syscall"

	"juvalogos/console"
	"juvalogos/internal/desk"
	"juvalogos/internal/service"
)

func start(args []string) error {
	flags := newFlags("start [flags]",
		"Runs the service: the visitors' pages, the API and, unless -database names another,\n"+
			"a private PostgreSQL in the data folder. An interrupt stops it; replies may finish first.",
		"juvalogos start -connections connections.yaml -desks desks/")
	settings, err := service.Read(flags, args, os.Getenv)
	if errors.Is(err, flag.ErrHelp) {
		return err
	}
	if err != nil {
		return usageError(err.Error())
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	go func() { // a second interrupt shortens the waiting, not the saving
		<-ctx.Done()
		stop()
	}()
	return service.Run(ctx, settings, console.Files(), version, newLog(settings),
		service.Told{Started: announce, Folder: announceFile})
}

func announce(s service.Started) {
	fmt.Printf("Juvalogos answers at %s\n", s.Address)
	if s.FirstLink != "" {
		fmt.Printf("Make your account with this link; it works once:\n  %s\n", s.FirstLink)
	}
	if s.Models == 0 {
		fmt.Println("There is no model yet: add a connection in the console, or start with -connections FILE.")
	}
	fmt.Printf("The command line on this machine reaches it with JUVALOGOS_CONFIG=%s\n", s.Config)
}

// announceFile tells of a desk file in the watched folder.
func announceFile(f desk.FolderFile) {
	if f.Problems == nil {
		fmt.Printf("%s: revision %d of %s\n", f.Name, f.Revision, f.Slug)
		return
	}
	fmt.Printf("%s has mistakes; the last good revision stays:\n  %s\n", f.Name,
		strings.ReplaceAll(f.Problems.Error(), "\n", "\n  "))
}

func newLog(s service.Settings) *slog.Logger {
	var level slog.Level
	_ = level.UnmarshalText([]byte(s.LogLevel)) // checked when read
	o := &slog.HandlerOptions{Level: level}
	if s.LogFormat == "json" {
		return slog.New(slog.NewJSONHandler(os.Stderr, o))
	}
	return slog.New(slog.NewTextHandler(os.Stderr, o))
}
