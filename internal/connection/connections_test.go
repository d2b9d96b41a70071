package connection_test

import (
	"context"
	"strings"
	"testing"
	"time"

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
