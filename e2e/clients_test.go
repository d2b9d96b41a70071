package e2e

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	completions "github.com/Azure/azure-sdk-for-go/sdk/ai/azopenai"
	"github.com/Azure/azure-sdk-for-go/sdk/azcore"

	"juvalogos/internal/testbed"
)

// node runs a script of the folder clients, with what it needs installed.
func node(t *testing.T, script string, arguments ...string) string {
	t.Helper()
	if _, err := os.Stat("clients/node_modules/.package-lock.json"); err != nil {
		install := exec.Command("npm", "ci", "--no-audit", "--no-fund", "--loglevel=error")
		install.Dir = "clients"
		if said, err := install.CombinedOutput(); err != nil {
			t.Fatalf("npm ci: %v: %s", err, said)
		}
	}
	cmd := exec.Command("node", append([]string{filepath.Join("clients", script)}, arguments...)...)
	var complaint strings.Builder
	cmd.Stderr = &complaint
	said, err := cmd.Output()
	if err != nil {
		t.Fatalf("%s: %v: %s", script, err, complaint.String())
	}
	return string(said)
}

// A program that was written for model servers talks to a desk, through a real client
// library of JavaScript: whole, streamed, as data, fifty at once, and told of its
// mistakes in words that the library understands.
func TestAClientLibraryOfJavaScript(t *testing.T) {
	t.Parallel()
	b := testbed.New(t, testbed.Options{})
	var got struct {
		Models   []string
		Whole    string
		ID       bool
		Streamed struct {
			Text  string
			Usage map[string]any
		}
		Data          struct{ Tasks []struct{ Task string } }
		Vector        []int
		Tools, Nobody struct {
			Status            int
			Code, Param, Type string
			ID                bool
		}
		Together []bool
	}
	said := node(t, "ask.js", b.Address, testbed.Token, "shed/clover-embed")
	if err := json.Unmarshal([]byte(said), &got); err != nil {
		t.Fatalf("%v: %s", err, said)
	}
	if got.Models[0] != "helper" || got.Whole == "" || got.Streamed.Text != got.Whole || !got.ID ||
		got.Streamed.Usage["total_tokens"] == nil {
		t.Errorf("%+v", got)
	}
	if len(got.Data.Tasks) == 0 || len(got.Vector) != 2 || got.Vector[0] != 256 {
		t.Errorf("data %+v, vectors %v", got.Data, got.Vector)
	}
	if e := got.Tools; e.Status != 400 || e.Param != "tools" || e.Type != "invalid_request_error" || !e.ID {
		t.Errorf("tools: %+v", e)
	}
	if e := got.Nobody; e.Status != 404 || e.Code != "model_not_found" {
		t.Errorf("no such model: %+v", e)
	}
	for i, right := range got.Together {
		if !right {
			t.Errorf("of fifty at once, number %d has another's answer, or none", i)
		}
	}
	// The library tries three times what may pass; we have tried already.
	b.Model.Set(testbed.With(testbed.Fast, "broken", 0, 0))
	said = node(t, "fail.js", b.Address, testbed.Token)
	again := strings.Count(b.Log.String(), "asking the model again")
	if said != "502 server-failed\n502 server-failed\n" || again != 6 {
		t.Errorf("where the model is broken: %q, it was asked again %d times for two questions", said, again)
	}
}

// toDesk sends a client library's requests to the test's service: the library speaks
// to https alone.
type toDesk struct{ address *url.URL }

func (d toDesk) Do(r *http.Request) (*http.Response, error) {
	r.URL.Scheme, r.URL.Host, r.Host = d.address.Scheme, d.address.Host, d.address.Host
	return http.DefaultClient.Do(r)
}

// The same through one of Go.
func TestAClientLibraryOfGo(t *testing.T) {
	t.Parallel()
	b := testbed.New(t, testbed.Options{})
	client, err := clientInGo(b)
	if err != nil {
		t.Fatal(err)
	}
	asking := func(question string) completions.ChatCompletionsOptions {
		return completions.ChatCompletionsOptions{DeploymentName: new("helper"),
			Messages: []completions.ChatRequestMessageClassification{&completions.ChatRequestUserMessage{
				Content: completions.NewChatRequestUserMessageContent(question)}}}
	}
	whole, err := client.GetChatCompletions(ctx, asking("How do I light a smoker?"), nil)
	if err != nil || *whole.Choices[0].Message.Content == "" || *whole.Usage.TotalTokens == 0 {
		t.Fatalf("%+v, %v", whole, err)
	}
	streamed := func(question string) (text string, err error) {
		got, err := client.GetChatCompletionsStream(ctx, asking(question), nil)
		if err != nil {
			return "", err
		}
		defer got.ChatCompletionsStream.Close()
		for {
			event, err := got.ChatCompletionsStream.Read()
			if errors.Is(err, io.EOF) {
				return text, nil
			}
			if err != nil {
				return text, err
			}
			for _, c := range event.Choices {
				if c.Delta != nil && c.Delta.Content != nil {
					text += *c.Delta.Content
				}
			}
		}
	}
	if text, err := streamed("How do I light a smoker?"); err != nil || text != *whole.Choices[0].Message.Content {
		t.Errorf("streamed %q, %v", text, err)
	}
	var all sync.WaitGroup
	for i := range 50 {
		all.Go(func() {
			name := fmt.Sprintf("Birk%d", i)
			if text, err := streamed("My name is " + name + ". What is my name?"); err != nil ||
				!strings.Contains(text, name) {
				t.Errorf("%s: %q, %v", name, text, err)
			}
		})
	}
	all.Wait()
	bad := asking("x")
	bad.Temperature = new(float32(9))
	var failure *azcore.ResponseError
	if _, err := client.GetChatCompletions(ctx, bad, nil); !errors.As(err, &failure) || failure.StatusCode != 400 {
		t.Errorf("temperature 9: %v", err)
	}
}

// clientInGo talks to a desk; it insists on an address that is called safely.
func clientInGo(b *testbed.Bed) (*completions.Client, error) {
	at, err := url.Parse(b.Address)
	if err != nil {
		return nil, err
	}
	return completions.NewClientForOpenAI("https://desk.invalid/v1", azcore.NewKeyCredential(testbed.Token),
		&completions.ClientOptions{ClientOptions: azcore.ClientOptions{Transport: toDesk{at}}})
}

// Pictures are made and asked about through real client libraries of JavaScript and Go.
func TestClientLibrariesWithPictures(t *testing.T) {
	t.Parallel()
	b := testbed.New(t, testbed.Options{})
	for _, desk := range []string{"slug: labels\ntitle: L\npurpose: P.\nmodel: alder-brush\nrecipe: depict\n" +
		"recipe_settings: {side: 256}\n",
		"slug: frames\ntitle: F\npurpose: P.\nmodel: orchid-eye\npictures: {take: true}\n"} {
		if _, err := b.Client.Publish(t.Context(), "d.yaml", []byte(desk), ""); err != nil {
			t.Fatal(err)
		}
	}
	var got struct {
		Made       int
		Link, Said string
	}
	said := node(t, "pictures.js", b.Address, testbed.Token, "labels", "frames")
	if err := json.Unmarshal([]byte(said), &got); err != nil || got.Made != 2 || got.Link != "image/png" ||
		!strings.Contains(got.Said, "256 by 256") {
		t.Errorf("%s, %v", said, err)
	}
	client, err := clientInGo(b)
	if err != nil {
		t.Fatal(err)
	}
	made, err := client.GetImageGenerations(t.Context(), completions.ImageGenerationOptions{
		DeploymentName: new("labels"), Prompt: new("A label in red"), N: new(int32(2)),
		ResponseFormat: new(completions.ImageGenerationResponseFormatBase64),
	}, nil)
	if err != nil || len(made.Data) != 2 || made.Data[0].Base64Data == nil {
		t.Errorf("%+v, %v", made, err)
	}
	_, err = client.GetImageGenerations(t.Context(), completions.ImageGenerationOptions{DeploymentName: new("labels"),
		Prompt: new("x"), N: new(int32(9))}, nil)
	var refused *azcore.ResponseError
	if !errors.As(err, &refused) || refused.StatusCode != 400 {
		t.Errorf("nine of four: %v", err)
	}
}
