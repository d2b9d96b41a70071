package testbed

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"juvalogos/internal/fault"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/service"
)

// Alice is a visitor.
var Alice = record.Visitor{1}

// Ask asks at the desk of the test bed, as Alice if nobody is named.
func Ask(t testing.TB, b *Bed, q reply.Question) *reply.Reply {
	t.Helper()
	if q.Slug == "" {
		q.Slug = "helper"
	}
	q.Channel = "page"
	if q.Visitor == (record.Visitor{}) {
		q.Visitor = Alice
	}
	r, err := b.Replies.Ask(context.Background(), q)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// settled waits for the end of a reply.
// Settled waits until a reply is on record and returns the whole of it.
func Settled(t testing.TB, r *reply.Reply) reply.View {
	t.Helper()
	l := r.Listen()
	defer l.Close()
	timeout := time.After(20 * time.Second)
	for {
		if v := r.Since(0, nil); v.Settled {
			return v
		}
		select {
		case <-l.Wake:
		case <-timeout:
			t.Fatal("the reply does not end")
		}
	}
}

// Code is that of a fault; "" of any other error.
func Code(err error) fault.Code {
	var p *fault.Problem
	if errors.As(err, &p) {
		return p.Code
	}
	return ""
}

// Republish gives the desk of the test bed another text: of its own, with some
// words in the place of others.
func Republish(t testing.TB, b *Bed, change ...string) {
	t.Helper()
	file := strings.NewReplacer(change...).Replace(Desk)
	if _, _, err := b.Desks.Publish(context.Background(), "d.yaml", []byte(file), "", "me"); err != nil {
		t.Fatal(err)
	}
}

// Another opens a second instance of the service on the same records. Without a
// registry it has the first one's models; it has no master key.
func (b *Bed) Another(t testing.TB, registry *models.Registry) *service.Rooms {
	t.Helper()
	if registry == nil {
		registry = b.Connections.Models
	}
	rooms, err := service.OpenRooms(context.Background(),
		service.RoomOptions{Store: b.Store, Models: registry, Log: b.Desks.Log, Now: b.Now, Shelf: b.library})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { rooms.Close(context.Background()) })
	return rooms
}
