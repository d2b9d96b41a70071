package connection_test

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"juvalogos/internal/connection"
	"juvalogos/internal/fault"
	"juvalogos/internal/models"
	"juvalogos/internal/store/storetest"
	"juvalogos/internal/testbed"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var ctx = context.Background()

func TestConnectionsAreAddedWhileRunning(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	c := models.Connection{Name: "barn", Address: b.ModelURL + "/v1", AtOnce: 3, Patience: 7 * time.Second,
		Models: []models.Model{{Name: "dock-leaf", Context: 2048}}}
	names, err := b.Connections.Look(ctx, c, testbed.ModelKey)
	if err != nil || len(names) < 3 {
		t.Errorf("the server has %v, %v", names, err)
	}
	if _, err := b.Connections.Look(ctx, c, "wrong"); err == nil || strings.Contains(err.Error(), "wrong") {
		t.Errorf("with a wrong key: %v", err)
	}
	if err := b.Connections.KeepConnection(ctx, c, testbed.ModelKey, "me"); err != nil {
		t.Fatal(err)
	}
	probes, err := b.Desks.Models.Probe(ctx, "barn/dock-leaf")
	if err != nil || !probes[0].Works {
		t.Errorf("probed: %+v, %v", probes, err)
	}
	c.AtOnce = 5
	if err := b.Connections.KeepConnection(ctx, c, "", "me"); err != nil { // the key stays
		t.Fatal(err)
	}
	_, stored := b.Desks.Models.Connections()
	if probes, err := b.Desks.Models.Probe(ctx, "dock-leaf"); err != nil || !probes[0].Works || stored[0].AtOnce != 5 ||
		stored[0].Patience != 7*time.Second || !stored[0].Typed() {
		t.Errorf("changed: %+v, %+v, %v", probes, stored, err)
	}
	kept, err := b.Store.Connections.StoredConnections(ctx)
	if err != nil || len(kept) != 1 || strings.Contains(string(kept[0].Key)+string(kept[0].Settings),
		testbed.ModelKey) {
		t.Errorf("on record: %+v, %v", kept, err)
	}
	shed := c
	shed.Name = "shed"
	if err := b.Connections.KeepConnection(ctx, shed, "", "me"); testbed.Code(err) != fault.Exists {
		t.Errorf("with the name of the file's: %v", err)
	}
	bad := c
	bad.Address = "somewhere"
	if err := b.Connections.KeepConnection(ctx, bad, "", "me"); err == nil ||
		!strings.Contains(err.Error(), "must look like http://") {
		t.Errorf("with a bad address: %v", err)
	}
	other := b.Another(t, models.Open(models.File{}, b.Desks.Models.Protocols()))
	if probes, err := other.Connections.Models.Probe(ctx, "dock-leaf"); err != nil || probes[0].Works ||
		!strings.Contains(probes[0].Advice, "master key") {
		t.Errorf("an instance without the master key: %+v, %v", probes, err)
	}
	if err := b.Connections.RemoveConnection(ctx, "barn", "me"); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Desks.Models.Find("dock-leaf"); err == nil {
		t.Error("a removed connection is in use")
	}
	if err := b.Connections.RestoreConnection(ctx, "barn", "me"); err != nil {
		t.Fatal(err)
	}
	if probes, err := b.Desks.Models.Probe(ctx, "dock-leaf"); err != nil || !probes[0].Works {
		t.Errorf("brought back: %+v, %v", probes, err)
	}
	if err := b.Connections.RemoveConnection(ctx, "barn", "me"); err != nil {
		t.Fatal(err)
	}
	if err := b.Connections.RemoveConnection(ctx, "barn", "me"); testbed.Code(err) != fault.NoConnection {
		t.Errorf("removed twice: %v", err)
	}
}

// Nobody who may add connections has a file or a variable of the service sent to
// an address of theirs.
func TestReferencesFromOutside(t *testing.T) {
	t.Setenv("SECRET_OF_THE_HOUSE", "the silver is in the hive")
	var asked atomic.Int64
	mine := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		t.Errorf("it was sent: %s", r.Header.Get("Authorization"))
	}))
	defer mine.Close()
	b := testbed.New(t, testbed.Options{})
	for _, reference := range []string{"file:/etc/passwd", "file:/proc/self/environ", "env:SECRET_OF_THE_HOUSE",
		"env:PATH", "file:../master.key"} {
		c := models.Connection{Name: "mine", Address: mine.URL + "/v1", Key: reference,
			Models: []models.Model{{Name: "m", Context: 2048}}}
		if _, err := b.Connections.Look(ctx, c, ""); testbed.Code(err) != fault.Invalid ||
			!strings.Contains(err.Error(), "may not be named") {
			t.Errorf("looked with %s: %v", reference, err)
		}
		if err := b.Connections.KeepConnection(ctx, c, "", "me"); testbed.Code(err) != fault.Invalid {
			t.Errorf("kept with %s: %v", reference, err)
		}
	}
	if n := asked.Load(); n > 0 {
		t.Errorf("it was asked %d times", n)
	}
}

// A typed key goes to the address that it was typed in for, and to no other.
func TestTypedKeysStayWithTheirAddress(t *testing.T) {
	other := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		if strings.Contains(r.Header.Get("Authorization"), testbed.ModelKey) {
			t.Error("the key went to another address")
		}
	}))
	defer other.Close()
	b := testbed.New(t, testbed.Options{})
	c := models.Connection{Name: "barn", Address: b.ModelURL + "/v1",
		Models: []models.Model{{Name: "dock-leaf", Context: 2048}}}
	if err := b.Connections.KeepConnection(ctx, c, testbed.ModelKey, "me"); err != nil {
		t.Fatal(err)
	}
	same := c
	same.Address += "/"
	if err := b.Connections.KeepConnection(ctx, same, "", "me"); err != nil {
		t.Errorf("the same address, with a slash: %v", err)
	}
	moved := c
	moved.Address = other.URL + "/v1"
	if err := b.Connections.KeepConnection(ctx, moved, "", "me"); testbed.Code(err) != fault.Invalid ||
		!strings.Contains(err.Error(), "another address") {
		t.Errorf("moved: %v", err)
	}
	_, _ = b.Connections.Look(ctx, moved, "")
	if probes, err := b.Desks.Models.Probe(ctx, "barn/dock-leaf"); err != nil || !probes[0].Works {
		t.Errorf("it does not work where it was: %+v, %v", probes, err)
	}
	if err := b.Connections.KeepConnection(ctx, moved, "another key", "me"); err != nil {
		t.Errorf("with a key of its own: %v", err)
	}
}

// Whoever may add connections runs the programs of one folder, and no others, wherever
// links lead; without a folder none.
func TestProgramsAreOfTheFolder(t *testing.T) {
	folder := t.TempDir()
	inside, outside := filepath.Join(folder, "programs"), filepath.Join(folder, "elsewhere")
	for _, at := range []string{inside, outside} {
		if err := os.Mkdir(at, 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(at, "answer"), []byte("#!/bin/sh\n"), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	if err := errors.Join(os.Symlink(filepath.Join(outside, "answer"), filepath.Join(inside, "link")),
		os.WriteFile(filepath.Join(inside, "text"), nil, 0o644)); err != nil {
		t.Fatal(err)
	}
	of := func(path string) models.Connection {
		return models.Connection{Name: "p", Program: &models.Program{Run: []string{path}},
			Models: []models.Model{{Name: "p", Context: 2048}}}
	}
	b := testbed.New(t, testbed.Options{Programs: inside})
	for path, says := range map[string]string{
		filepath.Join(inside, "answer"): "", "answer": "", filepath.Join(outside, "answer"): "not in the folder",
		filepath.Join(inside, "link"): "not in the folder", inside + "/../elsewhere/answer": "not in the folder",
		"/bin/sh": "not in the folder", filepath.Join(inside, "text"): "no program that can be run",
		"nothing": "no program",
	} {
		err := b.Connections.KeepConnection(ctx, of(path), "", "me")
		if (says == "") != (err == nil) || err != nil && !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", path, err)
		}
		if _, err := b.Connections.Try(ctx, of(path), ""); says != "" && err == nil {
			t.Errorf("%s was tried", path)
		}
	}
	none := testbed.New(t, testbed.Options{})
	if err := none.Connections.KeepConnection(ctx, of("/bin/sh"), "", "me"); err == nil ||
		!strings.Contains(err.Error(), "-programs FOLDER") {
		t.Errorf("without a folder: %v", err)
	}
}

// A curl line becomes a connection: its key apart, the templates where its prompt and
// settings stood.
func TestFromCurl(t *testing.T) {
	for _, c := range []struct {
		line, protocol, address, path, body, key, model string
		headers                                         map[string]string
	}{
		{`curl https://h.example/v1/chat/completions -H "Authorization: Bearer sk-1" -d '{"model":"oak","messages":[{"role":"user","content":"Hi"}]}'`,
			models.ChatCompletions, "https://h.example/v1", "", "", "sk-1", "oak", nil},
		{`curl https://h.example/models/oak:run?v=2 -H 'X-Api-Key: k' -H 'Content-Type: application/json' -d '{"input":{"prompt":"Hi {{x}}","seed":3},"stream":true,"note":"{{y}}"}'`,
			models.EndpointWay, "https://h.example", "/models/oak:run?v=2",
			"{\n  \"input\": {\n    \"prompt\": {{json .prompt}},\n    \"seed\": {{.seed}}\n  },\n  \"note\": " +
				"\"{{\"{{\"}}y}}\",\n  \"stream\": false\n}",
			"k", "h-example", map[string]string{"X-Api-Key": "{key}"}},
		{`curl https://h.example/ask -H 'Authorization: Token t-1' -d 'question=Hi&top_p=0.5&lang=en'`, models.EndpointWay,
			"https://h.example", "/ask", "question={{.prompt}}\ntop_p={{.top_p}}\nlang=en", "t-1", "h-example",
			map[string]string{"Authorization": "Token {key}"}},
	} {
		got, key, err := connection.FromCurl(c.line)
		if err != nil || got.Protocol != c.protocol || got.Address != c.address || key != c.key ||
			got.Models[0].Name != c.model || len(got.Headers) != len(c.headers) {
			t.Errorf("%s: %+v, %q, %v", c.line, got, key, err)
		}
		for name, value := range c.headers {
			if got.Headers[name] != value {
				t.Errorf("%s: headers %v", c.line, got.Headers)
			}
		}
		if c.path != "" && (got.Endpoint.Path != c.path || got.Endpoint.Body != c.body) {
			t.Errorf("%s: path %q, body %q", c.line, got.Endpoint.Path, got.Endpoint.Body)
		}
	}
	if _, _, err := connection.FromCurl("wget x"); testbed.Code(err) != fault.Invalid {
		t.Errorf("%v", err)
	}
}

// A second model of a name does not take a desk's model away from it.
func TestNamesOfModelsInUse(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	second := models.Connection{Name: "barn", Address: b.ModelURL + "/v1",
		Models: []models.Model{{Name: "thyme-mini", Context: 2048}}}
	if err := b.Connections.KeepConnection(ctx, second, testbed.ModelKey, "me"); testbed.Code(err) != fault.Exists ||
		!strings.Contains(err.Error(), "desk helper names it") {
		t.Errorf("kept: %v", err)
	}
	testbed.Republish(t, b, "model: thyme-mini", "model: shed/thyme-mini")
	testbed.Until(t, "it is kept", func() bool {
		return b.Connections.KeepConnection(ctx, second, testbed.ModelKey, "me") == nil
	})
	if err := b.Connections.KeepConnection(ctx, second, "", "me"); err != nil {
		t.Errorf("changed: %v", err)
	}
}
