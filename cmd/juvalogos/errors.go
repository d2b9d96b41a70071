package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"strings"

	"juvalogos/core/yamlfile"
	"juvalogos/internal/client"
)

// usageError is a command that was not understood. An empty one has been
// explained already.
type usageError string

func (e usageError) Error() string { return string(e) }

// noReply is a reply that did not come whole; it has been explained already.
type noReply struct{}

func (noReply) Error() string { return "" }

// exitCode tells programs what kind of thing happened.
func exitCode(err error) int {
	var usage usageError
	var unreachable *client.Unreachable
	var problem *client.Problem
	switch {
	case err == nil || errors.Is(err, flag.ErrHelp):
		return exitOK
	case errors.As(err, &usage):
		return exitUsage
	case errors.As(err, &unreachable):
		return exitUnreachable
	case errors.Is(err, noReply{}):
		return exitNoReply
	case errors.Is(err, context.Canceled):
		return exitInterrupted
	case errors.As(err, &problem):
		switch problem.Status {
		case 401, 403:
			return exitNoToken
		case 404:
			return exitNotFound
		}
	}
	return exitFailed
}

func unknownWord(path, word string, known []string) string {
	if n := yamlfile.Nearest(word, known); n != "" {
		return fmt.Sprintf("unknown command \"%s %s\"; did you mean %q?", path, word, n)
	}
	return fmt.Sprintf("unknown command \"%s %s\"; known: %s", path, word, strings.Join(known, ", "))
}
