package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/term"

	"juvalogos/internal/client"
)

func login(args []string) error {
	f := newFlags("login [flags]",
		"Signs in to a service with an account's name and password, which are asked for, and remembers the\n"+
			"way to it in your config file. What is kept is a token that lasts 90 days, not the password.",
		"juvalogos login -address https://ask.alder-vale.example -name ada")
	address := f.String("address", client.DefaultAddress, "the service's address")
	name := f.String("name", "", "the account's name; asked for if left out")
	config := f.String("config", client.UserFile(), "config file to write")
	if err := parse(f, args); err != nil {
		return err
	}
	in := bufio.NewReader(os.Stdin)
	if *name == "" {
		fmt.Fprint(os.Stderr, "Name: ")
		line, err := in.ReadString('\n')
		if err != nil && line == "" {
			return errors.New("no name was given; give it with -name")
		}
		*name = strings.TrimSpace(line)
	}
	password, err := readPassword(in)
	if err != nil {
		return err
	}
	host, err := os.Hostname()
	if err != nil {
		host = "a computer"
	}
	c := &client.Client{Address: strings.TrimRight(*address, "/")}
	t, err := c.Login(context.Background(), *name, password, "command line on "+host)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(*config), 0o700); err != nil {
		return err
	}
	if err := (client.Config{Address: c.Address, Token: t.Secret}).Save(*config); err != nil {
		return fmt.Errorf("the config file cannot be written: %w", err)
	}
	fmt.Printf("Signed in to %s until %s; %s remembers it.\n", c.Address, t.ExpiresAt.Local().Format("2 January 2006"),
		*config)
	return nil
}

// readPassword asks without showing what is typed; from a pipe it reads a line.
func readPassword(in *bufio.Reader) (string, error) {
	if !term.IsTerminal(int(os.Stdin.Fd())) {
		line, err := in.ReadString('\n')
		if err != nil && line == "" {
			return "", errors.New("no password was given")
		}
		return strings.TrimRight(line, "\r\n"), nil
	}
	fmt.Fprint(os.Stderr, "Password: ")
	text, err := term.ReadPassword(int(os.Stdin.Fd()))
	fmt.Fprintln(os.Stderr)
	return string(text), err
}
