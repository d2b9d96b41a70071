// Command juvalogos-standin runs the simulated model server and the simulated
// reference site.
package main

import (
	"context"
	"flag"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/signal"
	"syscall"
	"time"

	"juvalogos/standin/modelserver"
	"juvalogos/standin/referencesite"
	"juvalogos/standin/scripted"
)

func main() {
	listen := flag.String("listen", "127.0.0.1:7118", "address and port; loopback only, it is a toy")
	keyFrom := flag.String("key-env", "STANDIN_KEY", "environment variable that holds the bearer key callers must show")
	flag.Usage = func() {
		fmt.Fprintln(flag.CommandLine.Output(),
			`juvalogos-standin runs a simulated model server for demos and tests, and below
/reference/ a simulated reference site: an encyclopedia, papers, a talk. Below
/manners/NAME/v1 it is a server of one manner of the many that there are, like
/manners/no-stream-options/v1, and below /endpoints/ a service with a protocol of
its own. There is no model in it, and nothing on the site is true.

  STANDIN_KEY=letmein juvalogos-standin -listen 127.0.0.1:7118

Flags:`)
		flag.PrintDefaults()
	}
	flag.Parse()
	if err := run(*listen, os.Getenv(*keyFrom)); err != nil {
		fmt.Fprintln(os.Stderr, "juvalogos-standin:", err)
		os.Exit(1)
	}
}

func run(listen, key string) error {
	if key == "" {
		return fmt.Errorf("no key is set; set STANDIN_KEY to any word and give the same to callers")
	}
	l, err := net.Listen("tcp", listen)
	if err != nil {
		return fmt.Errorf("cannot listen on %s (%v); choose another port with -listen", listen, err)
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	handler := http.NewServeMux()
	handler.Handle("/", (&modelserver.Server{Key: key}).Handler())
	handler.Handle("/manners/", http.StripPrefix("/manners", &scripted.Server{}))
	handler.Handle("/endpoints/", http.StripPrefix("/endpoints", &scripted.Endpoints{}))
	site := referencesite.New("/reference")
	handler.Handle("/reference/", site)
	handler.Handle("/robots.txt", site)
	server := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second}
	go func() {
		<-ctx.Done()
		server.Close()
	}()
	fmt.Printf("simulated model server on http://%s/v1, simulated reference site on http://%[1]s/reference/\n",
		l.Addr())
	if err := server.Serve(l); err != http.ErrServerClosed {
		return err
	}
	return nil
}
