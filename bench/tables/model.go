package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"

	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/core/tables"
	"juvalogos/internal/engine"
	"juvalogos/internal/models"
	"juvalogos/internal/models/protocol"
	"juvalogos/internal/reply"
)

// asked has a model make the queries, as the recipe reckon asks it.
func asked(connections, model string) (maker, error) {
	text, err := os.ReadFile(connections)
	if err != nil {
		return nil, fmt.Errorf("name the model's connection file with -connections: %w", err)
	}
	file, err := models.Read(connections, text, protocol.All())
	if err != nil {
		return nil, err
	}
	registry := models.Open(file, protocol.All())
	source, _ := steps.Source("reckon")
	r, err := steps.Check("reckon", source)
	if err != nil {
		return nil, err
	}
	return func(question string, table *tables.Table, s *engine.Session) (string, float64, error) {
		done, err := reply.Try(context.Background(), reply.Options{Models: registry,
			Log: slog.New(slog.DiscardHandler)},
			reply.Trial{Recipe: r, Inputs: recipe.Values{"question": question},
				Settings: recipe.Values{"reader": "never"},
				Model:    model, Tables: one{table, s}})
		if err != nil {
			return "", 0, err
		}
		for _, p := range done.Parts {
			if result, is := p.Value.(tables.Result); is {
				return result.Query, 1, nil
			}
		}
		return "", 0, nil
	}, nil
}

// one is a table that is asked; a steps.Tables.
type one struct {
	table   *tables.Table
	session *engine.Session
}

func (o one) All(context.Context) ([]*tables.Table, error)     { return []*tables.Table{o.table}, nil }
func (o one) Earlier(context.Context) ([]steps.Queried, error) { return nil, nil }

func (o one) Ask(ctx context.Context, query string, most int) (tables.Result, error) {
	r, err := o.session.Ask(ctx, query, 0, most)
	if err != nil {
		return tables.Result{}, err
	}
	return *r, nil
}
