package main

import (
	"net/http"
	"net/http/httputil"
	"net/url"
)

// runProxy is the thing to compare with: the least a program in the middle can
// do. It copies each piece of the answer as it comes.
func runProxy(listen, target string) error {
	u, err := url.Parse(target)
	if err != nil {
		return err
	}
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.MaxIdleConnsPerHost, transport.MaxIdleConns = 4096, 0
	proxy := &httputil.ReverseProxy{
		Rewrite:       func(r *httputil.ProxyRequest) { r.SetURL(u) },
		FlushInterval: -1,
		Transport:     transport,
	}
	return http.ListenAndServe(listen, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		// Otherwise an answer that comes before the end of the question was
		// noticed now and then breaks off.
		_ = http.NewResponseController(w).EnableFullDuplex()
		proxy.ServeHTTP(w, r)
	}))
}
