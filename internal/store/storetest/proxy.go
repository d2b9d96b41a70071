package storetest

import (
	"bytes"
	"fmt"
	"io"
	"net"
	"net/url"
	"sync"
	"testing"

	"github.com/jackc/pgx/v5"
)

// Proxy stands between a program and its PostgreSQL, and does what networks do.
type Proxy struct {
	URL string // of the database behind it

	mu    sync.Mutex
	lose  string        // the answer to what has these words is lost
	hangs chan struct{} // nil: it does not; closed once it goes on
	conns map[net.Conn]bool
	lost  int
}

// Behind puts a proxy before a database; it ends with the test.
func Behind(t testing.TB, database string) *Proxy {
	t.Helper()
	config, err := pgx.ParseConfig(database)
	if err != nil {
		t.Fatal(err)
	}
	network, server := "tcp", net.JoinHostPort(config.Host, fmt.Sprint(config.Port))
	if config.Host[0] == '/' {
		network, server = "unix", fmt.Sprintf("%s/.s.PGSQL.%d", config.Host, config.Port)
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	address := url.URL{Scheme: "postgres", User: url.UserPassword(config.User, config.Password),
		Host: listener.Addr().String(), Path: "/" + config.Database, RawQuery: "sslmode=disable"}
	p := &Proxy{URL: address.String(), conns: map[net.Conn]bool{}}
	t.Cleanup(func() {
		listener.Close()
		p.GoOn()
		p.Cut()
	})
	go func() {
		for {
			client, err := listener.Accept()
			if err != nil {
				return
			}
			go p.serve(client, network, server)
		}
	}()
	return p
}

// Lose loses the answer to the next statement that has these words: the database does it,
// and the connection breaks.
func (p *Proxy) Lose(words string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.lose = words
}

// Lost is how many answers were lost.
func (p *Proxy) Lost() int {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.lost
}

// Hang lets nothing through any more, with all connections open.
func (p *Proxy) Hang() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.hangs == nil {
		p.hangs = make(chan struct{})
	}
}

// GoOn ends Hang.
func (p *Proxy) GoOn() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.hangs != nil {
		close(p.hangs)
		p.hangs = nil
	}
}

// Cut breaks all connections.
func (p *Proxy) Cut() {
	p.mu.Lock()
	defer p.mu.Unlock()
	for c := range p.conns {
		c.Close()
	}
}

func (p *Proxy) serve(client net.Conn, network, address string) {
	server, err := net.Dial(network, address)
	if err != nil {
		client.Close()
		return
	}
	p.mu.Lock()
	p.conns[client], p.conns[server] = true, true
	p.mu.Unlock()
	defer func() {
		client.Close()
		server.Close()
		p.mu.Lock()
		delete(p.conns, client)
		delete(p.conns, server)
		p.mu.Unlock()
	}()
	var losing sync.Mutex
	lost := false
	go func() { // questions
		defer server.Close()
		p.pass(client, server, func(said []byte) bool {
			p.mu.Lock()
			defer p.mu.Unlock()
			if p.lose != "" && bytes.Contains(said, []byte(p.lose)) {
				losing.Lock()
				lost, p.lose, p.lost = true, "", p.lost+1
				losing.Unlock()
			}
			return true
		})
	}()
	p.pass(server, client, func(said []byte) bool {
		losing.Lock()
		defer losing.Unlock()
		// Once the statement is done the server is ready for the next one.
		return !lost || !bytes.Contains(said, []byte{'Z', 0, 0, 0, 5})
	})
}

// pass passes on what is said as long as may says so.
func (p *Proxy) pass(from io.Reader, to io.Writer, may func(said []byte) bool) {
	buffer := make([]byte, 64<<10)
	for {
		n, err := from.Read(buffer)
		p.mu.Lock()
		hangs := p.hangs
		p.mu.Unlock()
		if hangs != nil {
			<-hangs
		}
		if n > 0 {
			if !may(buffer[:n]) {
				return
			}
			if _, err := to.Write(buffer[:n]); err != nil {
				return
			}
		}
		if err != nil {
			return
		}
	}
}
