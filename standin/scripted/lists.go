package scripted

import (
	"fmt"
	"net/http"
	"strings"
)

// Lists are manners of servers that list their models in ways of their own.
var Lists = []Manner{
	listing("list-data", "Objects below `data`", `{"object":"list","data":[{"id":"oak"},{"id":"elm"}]}`),
	listing("list-models", "Objects with names below `models`", `{"models":[{"name":"oak"},{"name":"elm"}]}`),
	listing("list-keys", "Models by their names", `{"models":{"oak":{"size":3},"elm":{}}}`),
	listing("list-texts", "Names alone", `["oak","elm"]`),
	listing("list-empty", "An empty list", `{"object":"list","data":[]}`),
	listing("list-null", "Nothing for a list", `{"object":"list","data":null}`),
	listing("list-other", "JSON that is no list of models", `{"hello":"world"}`),
	listing("list-page", "A web page", "<html><head><title>Welcome</title></head></html>"),
	{Name: "list-long", About: "A list of more than 4 MB", list: func(w http.ResponseWriter) {
		fmt.Fprintf(w, `{"data":[{"id":"oak","about":%q},{"id":"elm"}]}`, strings.Repeat("long ", 1<<20))
	}},
	{Name: "list-none", About: "No list at all", list: func(w http.ResponseWriter) {
		refuse(w, http.StatusNotFound, `{"detail":"Not Found"}`)
	}},
}

// listing is a manner of which only the list matters.
func listing(name, about, body string) Manner {
	return Manner{Name: name, About: about, list: func(w http.ResponseWriter) { fmt.Fprint(w, body) }}
}
