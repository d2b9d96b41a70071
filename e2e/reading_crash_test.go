package e2e

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"juvalogos/internal/testbed"
)

// The service is killed twice while it reads 500 files; all of them are read in
// the end, each once.
func TestTheServiceIsKilledWhileItReads500Files(t *testing.T) {
	t.Parallel()
	const many = 500
	p := startProcess(t)
	if _, err := p.client.MakeShelf(ctx, "hives", ""); err != nil {
		t.Fatal(err)
	}
	var packed bytes.Buffer
	z := zip.NewWriter(&packed)
	for i := range many {
		w, err := z.Create(fmt.Sprintf("hive-%03d.md", i))
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(w, "# Hive number %d\n\n", i)
		for k := range 60 { // some twenty passages
			fmt.Fprintf(w, "On day %d of the season hive %d stood at weight %d, and its keeper wrote that the bees "+
				"flew well and carried pollen of many colours from the meadow.\n\n", k, i, 20+(i*7+k*3)%40)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	if added, err := p.client.AddDocument(ctx, "hives", "hives.zip", &packed); err != nil || len(added) != many {
		t.Fatalf("%d added, %v", len(added), err)
	}
	began := time.Now()
	kills := 0
	for _, least := range []int{many / 5, many / 2} {
		waiting := many
		testbed.Until(t, "some are read", func() bool {
			s, err := p.client.Shelf(ctx, "hives")
			if err != nil {
				t.Fatal(err)
			}
			waiting = s.Waiting
			return many-waiting >= least
		})
		if waiting > 0 {
			kills++
		}
		t.Logf("%v: %d wait", time.Since(began), waiting)
		p.kill()
		p.start()
	}
	if kills == 0 {
		t.Error("all was read before the service was killed; make the files longer")
	}
	testbed.Until(t, "all are read", func() bool {
		s, err := p.client.Shelf(ctx, "hives")
		return err == nil && s.Waiting == 0
	})
	t.Logf("%v: all read", time.Since(began))
	s, err := p.client.Shelf(ctx, "hives")
	if err != nil || s.Documents != many || s.Failed != 0 {
		t.Fatalf("%+v, %v", s, err)
	}
	documents, err := p.client.ShelfDocuments(ctx, "hives")
	if err != nil {
		t.Fatal(err)
	}
	passages := 0
	for _, d := range documents {
		if d.State != "ready" || d.Passages == 0 {
			t.Errorf("%+v", d)
		}
		passages += d.Passages
	}
	if passages != s.Passages {
		t.Errorf("the documents have %d passages, the shelf %d", passages, s.Passages)
	}
	for _, i := range []int{0, 137, many - 1} {
		testbed.Until(t, "each is found", func() bool {
			found, err := p.client.SearchShelf(ctx, "hives", fmt.Sprintf("hive number %d", i), 3)
			return err == nil && len(found.Hits) > 0 &&
				strings.Contains(found.Hits[0].Title, fmt.Sprintf("Hive number %d", i))
		})
	}
}
