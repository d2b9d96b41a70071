package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"time"

	"github.com/goccy/go-yaml"

	"juvalogos/internal/client"
	"juvalogos/internal/models"
	"juvalogos/internal/models/protocol"
)

const (
	key      = "bench-key"
	listen   = "127.0.0.1:7317"
	standin  = "127.0.0.1:7318"
	proxied  = "127.0.0.1:7319"
	service  = "http://" + listen
	direct   = "http://" + standin
	proxy    = "http://" + proxied
	deskSlug = "bench"
)

const connections = `connections:
  - name: bench
    address: ` + direct + `/v1
    key: env:STANDIN_KEY
    models: [{name: heather-2, context: 8192}, {name: orchid-eye, context: 16384, can: [chat, see]}]
  - name: tones
    address: http://` + toneServer + `/v1
    models: [{name: tone-ear, context: 2048, can: [hear], hears: {seconds: 60}}]
`

const deskFile = `slug: bench
title: Bench
purpose: Measures.
model: heather-2
brief: You are measured.
sampling: {max_tokens: 1000}
`

// setup is the programs that are measured, each a process of its own.
type setup struct {
	folder, program         string
	standin, proxy, service *exec.Cmd
	startSeconds            float64
	client                  *client.Client
	http                    *http.Client
}

func startSetup(program string) (*setup, error) {
	folder, err := os.MkdirTemp("", "juvalogos-bench-")
	if err != nil {
		return nil, err
	}
	s := &setup{folder: folder, program: program,
		http: &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 4096, DisableCompression: true}}}
	if err := s.start(); err != nil {
		s.stop()
		return nil, err
	}
	return s, nil
}

func (s *setup) start() (err error) {
	if err := os.Chmod(s.folder, 0o755); err != nil {
		return err
	}
	file := filepath.Join(s.folder, "connections.yaml")
	text, err := withRecogniser()
	if err != nil {
		return err
	}
	if err := os.WriteFile(file, text, 0o644); err != nil {
		return err
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	if s.standin, err = launch("bin/juvalogos-standin", "-listen", standin); err != nil {
		return err
	}
	if s.proxy, err = launch(self, "proxy", proxied, direct); err != nil {
		return err
	}
	// The first start makes the database; the second is the one people see.
	for range 2 {
		began := time.Now()
		if s.service, err = launch(s.program, "start", "-data", s.folder, "-listen", listen, "-connections", file,
			"-log-level", "warn"); err != nil {
			return err
		}
		if err := s.await(service + "/readyz"); err != nil {
			return err
		}
		s.startSeconds = time.Since(began).Seconds()
		if s.client == nil {
			if s.client, err = client.Load("", "", filepath.Join(s.folder, "client.yaml"),
				func(string) string { return "" }); err != nil {
				return err
			}
			end(s.service)
		}
	}
	// By the service's own command: earlier states speak with theirs.
	desk := filepath.Join(s.folder, "bench.yaml")
	if err := os.WriteFile(desk, []byte(deskFile), 0o644); err != nil {
		return err
	}
	if out, err := exec.Command(s.program, "desk", "publish", "-config", filepath.Join(s.folder, "client.yaml"), desk).
		CombinedOutput(); err != nil {
		return fmt.Errorf("publish the desk: %w: %s", err, out)
	}
	return s.await(proxy + "/")
}

func launch(program string, args ...string) (*exec.Cmd, error) {
	cmd := exec.Command(program, args...)
	cmd.Env = append(os.Environ(), "STANDIN_KEY="+key, "JUVALOGOS_LIMITS=off", // thousands are asked at once
		"JUVALOGOS_VISIT="+standin)
	cmd.Stderr = os.Stderr
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("%w; build first: make build", err)
	}
	return cmd, nil
}

func (s *setup) await(url string) error {
	for range 2000 {
		response, err := s.http.Get(url)
		if err == nil {
			response.Body.Close()
			if response.StatusCode < 500 {
				return nil
			}
		}
		time.Sleep(5 * time.Millisecond)
	}
	return fmt.Errorf("nothing answers at %s", url)
}

func (s *setup) stop() {
	for _, cmd := range []*exec.Cmd{s.service, s.proxy, s.standin} {
		end(cmd)
	}
	os.RemoveAll(s.folder)
}

func end(cmd *exec.Cmd) {
	if cmd == nil {
		return
	}
	_ = cmd.Process.Signal(syscall.SIGTERM)
	_ = cmd.Wait()
}

// pace sets how the simulated model answers: milliseconds to the first token,
// tokens per second (0: as fast as possible), tokens in all.
func (s *setup) pace(firstMS, rate float64, tokens int) error {
	body, err := json.Marshal(map[string]any{"first_ms": firstMS, "rate": rate, "tokens": tokens})
	if err != nil {
		return err
	}
	request, err := http.NewRequest(http.MethodPost, direct+"/admin/control", bytes.NewReader(body))
	if err != nil {
		return err
	}
	request.Header.Set("Authorization", "Bearer "+key)
	response, err := s.http.Do(request)
	if err != nil {
		return err
	}
	response.Body.Close()
	if response.StatusCode != http.StatusNoContent {
		return fmt.Errorf("set the stand-in's pace: %s", response.Status)
	}
	return nil
}

// withRecogniser are the connections with the demo's recogniser, which gets recordings in
// pieces as in the demo, and whole.
func withRecogniser() ([]byte, error) {
	text, err := os.ReadFile("demo/connections.yaml")
	if err != nil {
		return nil, err
	}
	demo, err := models.Read("demo/connections.yaml", text, protocol.All())
	if err != nil {
		return nil, err
	}
	all, err := models.Read("connections.yaml", []byte(connections), protocol.All())
	if err != nil {
		return nil, err
	}
	for _, c := range demo.Connections {
		if c.Name == "recogniser" {
			whole := c.Models[0]
			whole.Name, whole.Hears.Seconds, whole.Hears.Lead, whole.Hears.Bytes = "hall-ear-whole", 7200, 0, 40_000_000
			c.Models, c.Patience, c.Longest = append(c.Models, whole), 30*time.Minute, 30*time.Minute
			all.Connections = append(all.Connections, c)
		}
	}
	return yaml.Marshal(all)
}
