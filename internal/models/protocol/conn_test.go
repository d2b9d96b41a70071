package protocol

import (
	"bytes"
	"context"
	"errors"
	"io"
	"math/rand/v2"
	"net"
	"os"
	"testing"
	"testing/iotest"
	"time"
)

func TestConnReadsWhatWasSent(t *testing.T) {
	sent := make([]byte, 5*blockSize+123)
	random := rand.New(rand.NewPCG(1, 2))
	for i := range sent {
		sent[i] = byte(random.Uint32())
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer listener.Close()
	go func() {
		c, err := listener.Accept()
		if err != nil {
			return
		}
		for left := sent; len(left) > 0; {
			n := min(len(left), 1+random.IntN(2*blockSize))
			_, _ = c.Write(left[:n])
			left = left[n:]
		}
		_ = c.Close()
	}()
	c, err := dial(context.Background(), "tcp", listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	got, err := io.ReadAll(iotest.HalfReader(c))
	if err != nil || !bytes.Equal(got, sent) {
		t.Errorf("read %d bytes of %d, same: %v, error: %v", len(got), len(sent), bytes.Equal(got, sent), err)
	}
	if c.(*conn).block != nil {
		t.Error("memory is held with nothing left to read")
	}
}

func TestConnKeepsDeadlinesAndCloses(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer listener.Close()
	c, err := dial(context.Background(), "tcp", listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	_ = c.SetReadDeadline(time.Now().Add(10 * time.Millisecond))
	if _, err := c.Read(make([]byte, 10)); !errors.Is(err, os.ErrDeadlineExceeded) {
		t.Errorf("after the deadline: %v", err)
	}
	_ = c.SetReadDeadline(time.Time{})
	go func() { time.Sleep(10 * time.Millisecond); _ = c.Close() }()
	if _, err := c.Read(make([]byte, 10)); !errors.Is(err, net.ErrClosed) {
		t.Errorf("after it was closed: %v", err)
	}
}
