package client_test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"

	"juvalogos/internal/client"
)

// A reply is printed as it comes.
func ExampleClient_Ask() {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/event-stream")
		fmt.Fprint(w, "event: text\ndata: {\"text\":\"Bees that \"}\n\nevent: text\ndata: {\"text\":\"leave.\"}\n\n"+
			"event: end\ndata: {\"state\":\"done\"}\n\n")
	}))
	defer s.Close()
	c := &client.Client{Address: s.URL}
	outcome, err := c.Ask(context.Background(), client.Question{Desk: "hive-helper", Text: "What is a swarm?"},
		client.Follower{Text: func(text string) { fmt.Print(text) }})
	fmt.Println()
	fmt.Println(outcome.State, err)
	// Output:
	// Bees that leave.
	// done <nil>
}

// The three ways in which a call fails.
func ExampleUnreachable() {
	c := &client.Client{Address: "http://127.0.0.1:1"}
	_, err := c.Desks(context.Background())
	var gone *client.Unreachable
	var problem *client.Problem
	switch {
	case errors.As(err, &gone):
		fmt.Println("nobody answers at", gone.Address)
	case errors.As(err, &problem):
		fmt.Println(problem.Code, problem.Detail)
	default:
		fmt.Println(err)
	}
	// Output:
	// nobody answers at http://127.0.0.1:1
}
