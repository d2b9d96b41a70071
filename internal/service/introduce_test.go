package service

import (
	"os"
	"testing"
	"time"

	"juvalogos/internal/client"
	"juvalogos/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// Services with data folders of their own on one database leave each other's owner's token
// alone; one that has lost its own gets another, and the lost one is worthless.
func TestOwnersTokens(t *testing.T) {
	s := storetest.Open(t)
	one, two := t.TempDir(), t.TempDir()
	token := func(data string) string {
		t.Helper()
		path, err := introduce(t.Context(), s, data, "http://127.0.0.1:1")
		if err != nil {
			t.Fatal(err)
		}
		c, err := client.Load("", "", path, func(string) string { return "" })
		if err != nil {
			t.Fatal(err)
		}
		return c.Token
	}
	good := func(secret string) bool {
		_, err := s.Accounts.TokenBySecret(t.Context(), secret, time.Now())
		return err == nil
	}
	first, second := token(one), token(two)
	if first == second || !good(first) || !good(second) || token(one) != first {
		t.Errorf("the first one's is good: %v, the second one's: %v", good(first), good(second))
	}
	if err := os.Remove(one + "/client.yaml"); err != nil {
		t.Fatal(err)
	}
	if another := token(one); another == first || !good(another) || good(first) || !good(second) {
		t.Errorf("once it is lost: new %v, old %v, other %v", good(another), good(first), good(second))
	}
}
