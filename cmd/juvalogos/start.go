package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"syscall"

	"juvalogos/console"
	"juvalogos/internal/service"
)

func start(args []string) error {
	flags := newFlags("start [flags]",
		"Runs the service: the visitors' pages, the API and, unless -database names another,\na private PostgreSQL in the data folder. An interrupt stops it; replies may finish first.",
		"juvalogos start -connections connections.yaml")
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
	return service.Run(ctx, settings, console.Files(), version, newLog(settings), func(s service.Started) {
		fmt.Printf("Juvalogos answers at %s\n", s.Address)
		if settings.Connections == "" {
			fmt.Println("There is no connection file yet: desks need a model. Start with -connections FILE.")
		}
		fmt.Printf("The command line on this machine reaches it with JUVALOGOS_CONFIG=%s\n", s.Config)
	})
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
