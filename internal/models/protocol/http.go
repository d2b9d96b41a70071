package protocol

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"compress/zlib"
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strings"
	"time"

	"juvalogos/internal/models"
)

// caller sends requests to one connection's server, as the connection says.
type caller struct {
	connection models.Connection
	key        models.Secret
	headers    http.Header // of every request; some may hold the key
	http       *http.Client
}

// mostRedirects are followed one after the other.
const mostRedirects = 5

// newCaller fails if a file with certificates cannot be used, or what a header
// refers to is not there.
func newCaller(c models.Connection, key models.Secret) (*caller, error) {
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.MaxIdleConnsPerHost = 512
	transport.MaxIdleConns = 0
	transport.DisableCompression = true
	// Both are held as long as a reply streams, and there may be thousands.
	transport.ReadBufferSize, transport.WriteBufferSize = 1<<10, 1<<10
	transport.DialContext = dial
	transport.ForceAttemptHTTP2 = strings.HasPrefix(c.Address, "https:")
	if c.CA != "" {
		trusted, err := trust(c.CA)
		if err != nil {
			return nil, err
		}
		transport.TLSClientConfig = &tls.Config{RootCAs: trusted, MinVersion: tls.VersionTLS12}
	}
	if c.Proxy != "" {
		proxy, err := url.Parse(c.Proxy)
		if err != nil {
			return nil, fmt.Errorf("the proxy's address cannot be read: %w", err)
		}
		transport.Proxy = http.ProxyURL(proxy)
	}
	headers := http.Header{}
	for name, value := range c.Headers {
		headers.Set(name, value)
	}
	return &caller{c, key, headers, &http.Client{
		Transport: transport, CheckRedirect: func(*http.Request,
			[]*http.Request) error {
			return http.ErrUseLastResponse
		},
	}}, nil
}

// trust are the system's certificates and those of a file.
func trust(file string) (*x509.CertPool, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("the file with certificates cannot be read: %w", err)
	}
	pool, err := x509.SystemCertPool()
	if err != nil {
		pool = x509.NewCertPool()
	}
	if !pool.AppendCertsFromPEM(text) {
		return nil, fmt.Errorf("there is no certificate in %s that can be read; it is to hold PEM blocks", file)
	}
	return pool, nil
}

// call is one request.
type call struct {
	method, address string
	body            []byte
	kind            string // the body's media type
	headers         map[string]string
	told            func(models.Exchange) // hears of it once the answer is read; nil: nobody does
}

// do sends a request and follows where it leads within the server, as the same
// request; the answer's body is as it was before it was encoded.
func (c *caller) do(ctx context.Context, k call) (*http.Response, error) {
	address, began := k.address, time.Now()
	for range mostRedirects + 1 {
		request, err := c.request(ctx, k, address)
		if err != nil {
			return nil, err
		}
		response, err := c.http.Do(request)
		if err != nil {
			return nil, err
		}
		to := response.Header.Get("Location")
		if response.StatusCode < 300 || response.StatusCode > 399 || to == "" {
			c.tell(k, request, response, began)
			if err := decode(response); err != nil {
				response.Body.Close()
				return nil, err
			}
			return response, nil
		}
		response.Body.Close()
		next, err := request.URL.Parse(to)
		if err != nil {
			return nil, &led{fmt.Sprintf("it leads to %q, which is no address", shorten([]byte(to)))}
		}
		if next.Scheme != request.URL.Scheme || next.Host != request.URL.Host {
			return nil,
				&led{fmt.Sprintf("it leads to another address, %s://%s, which is not followed; if that is right, "+
					"write it in the connection", next.Scheme, next.Host)}
		}
		address = next.String()
	}
	return nil, &led{"it leads from one address to another without end"}
}

// led is the error of a redirect that is not followed.
type led struct{ why string }

func (l *led) Error() string { return l.why }

func (c *caller) request(ctx context.Context, k call, address string) (*http.Request, error) {
	request, err := http.NewRequestWithContext(ctx, k.method, address, bytes.NewReader(k.body))
	if err != nil {
		return nil, &led{"the address cannot be read"}
	}
	if k.kind != "" {
		request.Header.Set("Content-Type", k.kind)
	}
	request.Header.Set("Accept", "text/event-stream, application/json, */*;q=0.5")
	key, placed := c.key.Reveal(), false
	put := func(name, value string) {
		placed = placed || strings.Contains(value, models.KeyMark)
		request.Header.Set(name, strings.ReplaceAll(value, models.KeyMark, key))
	}
	for name := range c.headers {
		put(name, c.headers.Get(name))
	}
	for name, value := range k.headers {
		put(name, value)
	}
	if key != "" && !placed {
		request.Header.Set("Authorization", "Bearer "+key)
	}
	return request, nil
}

// decode undoes an encoding that was not asked for.
func decode(response *http.Response) error {
	switch coding := strings.ToLower(strings.TrimSpace(response.Header.Get("Content-Encoding"))); coding {
	case "", "identity":
		return nil
	case "gzip", "x-gzip", "deflate":
		response.Body = &unpacked{packed: response.Body, gzip: coding != "deflate"}
		return nil
	default:
		return &garbled{fmt.Sprintf("it is encoded as %q, which was not asked for", shorten([]byte(coding)))}
	}
}

// unpacked is a body that is unpacked as it is read; its beginning may come late.
type unpacked struct {
	packed io.ReadCloser
	gzip   bool
	reader io.Reader
}

func (u *unpacked) Read(p []byte) (n int, err error) {
	if u.reader == nil {
		if u.gzip {
			u.reader, err = gzip.NewReader(u.packed)
		} else {
			u.reader, err = zlib.NewReader(u.packed)
		}
		if err != nil {
			return 0, &garbled{"it says that it is packed, and cannot be unpacked"}
		}
	}
	return u.reader.Read(p)
}

func (u *unpacked) Close() error { return u.packed.Close() }

// garbled is the error of an answer that cannot be read.
type garbled struct{ why string }

func (g *garbled) Error() string { return g.why }

// longestExchange is how much of a body makers see.
const longestExchange = 4 << 10

// tell lets the call's listener see what is sent and what comes back.
func (c *caller) tell(k call, request *http.Request, response *http.Response, began time.Time) {
	if k.told == nil {
		return
	}
	x := models.Exchange{Method: request.Method, Address: c.key.Hide(request.URL.String()), Status: response.StatusCode}
	x.Request = c.shown(request.Header, k.body)
	response.Body = &overheard{ReadCloser: response.Body, done: func(answer []byte) {
		x.Answer, x.Took = c.shown(response.Header, answer), time.Since(began)
		k.told(x)
	}}
}

// shown are headers and a body as makers see them.
func (c *caller) shown(h http.Header, body []byte) string {
	var b strings.Builder
	var names []string
	for name := range h {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		fmt.Fprintf(&b, "%s: %s\n", name, strings.Join(h[name], ", "))
	}
	b.WriteByte('\n')
	if len(body) > longestExchange {
		fmt.Fprintf(&b, "%s\n... (%d bytes in all)", body[:longestExchange], len(body))
	} else {
		b.Write(body)
	}
	return c.key.Hide(strings.ToValidUTF8(b.String(), "\uFFFD"))
}

// overheard keeps the beginning of a body for makers.
type overheard struct {
	io.ReadCloser
	heard []byte
	done  func([]byte)
}

func (o *overheard) Read(p []byte) (int, error) {
	n, err := o.ReadCloser.Read(p)
	if room := longestExchange + 1 - len(o.heard); room > 0 {
		o.heard = append(o.heard, p[:min(n, room)]...)
	}
	return n, err
}

func (o *overheard) Close() error {
	if o.done != nil {
		o.done(o.heard)
		o.done = nil
	}
	return o.ReadCloser.Close()
}

// longestDetail is how many characters of what a server says are kept.
const longestDetail = 500

// detail is what a server said, without the key and not too much of it.
func (c *caller) detail(said string) string {
	said = c.key.Hide(strings.ToValidUTF8(said, "\uFFFD"))
	if runes := []rune(said); len(runes) > longestDetail {
		said = string(runes[:longestDetail]) + "…"
	}
	return said
}

// failure makes an error of the connection's; model is "" if it is of none.
func (c *caller) failure(model string, kind models.ErrorKind, status int, detail string) *models.Error {
	entry := c.connection.Name
	if model != "" {
		entry += "/" + model
	}
	return &models.Error{Kind: kind, Entry: entry, Status: status, Detail: c.detail(detail)}
}

// unsent says why a request got no answer.
func (c *caller) unsent(ctx context.Context, model string, err error) error {
	var unread *garbled
	var astray *led
	var unknown x509.UnknownAuthorityError
	var invalid x509.CertificateInvalidError
	var host x509.HostnameError
	switch {
	case ctx.Err() != nil:
		return context.Cause(ctx)
	case errors.As(err, &unread), errors.As(err, &astray):
		return c.failure(model, models.Garbled, 0, plainCause(err))
	case errors.As(err, &unknown), errors.As(err, &invalid), errors.As(err, &host):
		return c.failure(model, models.Untrusted, 0, plainCause(err))
	}
	return c.failure(model, models.Unreachable, 0, plainCause(err))
}

// sniffed is what a body begins with, after white space.
func sniffed(b *bufio.Reader) ([]byte, error) {
	for {
		head, err := b.Peek(1)
		if err != nil {
			return nil, err
		}
		switch head[0] {
		case ' ', '\t', '\r', '\n', 0xEF, 0xBB, 0xBF: // a byte order mark too
			_, _ = b.Discard(1)
			continue
		}
		return b.Peek(max(1, min(16, b.Buffered())))
	}
}

// plainCause strips the address and the verb that net/http wraps round errors.
func plainCause(err error) string {
	for {
		inner := errors.Unwrap(err)
		if inner == nil {
			return err.Error()
		}
		err = inner
	}
}

func shorten(data []byte) string {
	if len(data) > 200 {
		data = data[:200]
	}
	return strings.ToValidUTF8(string(data), "\uFFFD")
}
