package protocol

import (
	"context"
	"io"
	"net"
	"os"
	"sync"
	"syscall"
	"time"
)

// conn is a connection that holds memory to read into only while something is
// there to be read: thousands of replies may trickle in side by side, and a
// fast model still has much of its answer taken by one call of the system.
type conn struct {
	net.Conn
	raw   syscall.RawConn
	block *[]byte // nil while nothing is unread
	left  []byte  // what is unread of it
}

const blockSize = 32 << 10

var blocks = sync.Pool{New: func() any { b := make([]byte, blockSize); return &b }}

// dial is for http.Transport.
func dial(ctx context.Context, network, address string) (net.Conn, error) {
	dialer := net.Dialer{Timeout: 30 * time.Second, KeepAlive: 30 * time.Second}
	c, err := dialer.DialContext(ctx, network, address)
	if err != nil {
		return nil, err
	}
	s, ok := c.(syscall.Conn)
	if !ok {
		return c, nil
	}
	raw, err := s.SyscallConn()
	if err != nil {
		return c, nil
	}
	return &conn{Conn: c, raw: raw}, nil
}

func (c *conn) Read(p []byte) (int, error) {
	if len(c.left) == 0 {
		if err := c.fill(); err != nil {
			return 0, err
		}
	}
	n := copy(p, c.left)
	if c.left = c.left[n:]; len(c.left) == 0 {
		blocks.Put(c.block)
		c.block, c.left = nil, nil
	}
	return n, nil
}

// fill waits until something has come and reads it.
func (c *conn) fill() error {
	var n int
	var failed error
	err := c.raw.Read(func(fd uintptr) bool {
		block := blocks.Get().(*[]byte)
		for {
			if n, failed = syscall.Read(int(fd), *block); failed != syscall.EINTR {
				break
			}
		}
		if n > 0 {
			c.block, c.left = block, (*block)[:n]
			return true
		}
		blocks.Put(block)
		return failed != syscall.EAGAIN
	})
	switch {
	case err != nil:
		return err
	case failed != nil:
		return &net.OpError{Op: "read", Net: "tcp", Source: c.LocalAddr(), Addr: c.RemoteAddr(),
			Err: os.NewSyscallError("read", failed)}
	case n == 0:
		return io.EOF
	}
	return nil
}
