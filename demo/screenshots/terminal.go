package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"time"
)

// session is what the terminal shows: real commands, typed by a script.
const session = `
say() { printf '\033[1;38;5;22m$\033[0m %s\n' "$*"; "$@"; echo; }
clear
say juvalogos model probe
say juvalogos desk list
say juvalogos ask -desk short-answers "Wasps at the door. What now?"
say juvalogos ask -desk hive-helper "How do I light a smoker?"
sleep 60
`

// terminal takes a picture of a terminal window under a display of its own.
func terminal(ctx context.Context, config, to string) error {
	bin, err := filepath.Abs("bin")
	if err != nil {
		return err
	}
	const display = ":97"
	screen := exec.CommandContext(ctx, "Xvfb", display, "-screen", "0", "1280x800x24")
	if err := screen.Start(); err != nil {
		return fmt.Errorf("start Xvfb: %w", err)
	}
	defer func() { _ = screen.Process.Kill(); _ = screen.Wait() }()
	environment := append(os.Environ(), "DISPLAY="+display, "JUVALOGOS_CONFIG="+config, "PATH="+bin+":"+
		os.Getenv("PATH"))
	time.Sleep(time.Second)
	window := exec.CommandContext(ctx, "xterm", "-geometry", "125x39+0+0", "-fa", "DejaVu Sans Mono", "-fs", "12",
		"-bg", "#ebedea", "-fg", "#1a2533", "-b", "14", "-e", "bash", "-c", session)
	window.Env = environment
	if err := window.Start(); err != nil {
		return fmt.Errorf("start xterm: %w", err)
	}
	defer func() { _ = window.Process.Kill(); _ = window.Wait() }()
	time.Sleep(11 * time.Second)
	shot := exec.CommandContext(ctx, "import", "-window", "root", to)
	shot.Env = environment
	if out, err := shot.CombinedOutput(); err != nil {
		return fmt.Errorf("take the picture: %w: %s", err, out)
	}
	return nil
}
