package tool

import (
	"encoding/json"
	"fmt"
	"maps"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/template"
)

// Request is what a tool asks an HTTP system. Texts in it hold values, as in
// {{ arguments.to }}; where {{ arguments.?date }} was not said, it is left out.
type Request struct {
	Method     string            `yaml:"method"`
	Path       string            `yaml:"path"`       // below the address of the connection
	Query      map[string]string `yaml:"query"`      // nil, of requests without a body: all arguments that do not stand in the path
	Headers    map[string]string `yaml:"headers"`    // beside the secret of the connection
	Body       any               `yaml:"body"`       // JSON; nil, of requests with one: all arguments
	Repeatable bool              `yaml:"repeatable"` // the system recognises a repeat by its Idempotency-Key: it may be sent again

	path    template.Template
	query   template.Data
	headers template.Data
	body    template.Data
}

var methods = []string{"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE"}

// hasBody reports whether requests of the method carry one.
func (r Request) hasBody() bool {
	return r.Method == "POST" || r.Method == "PUT" || r.Method == "PATCH"
}

// headerName is a token of RFC 9110, section 5.6.2.
var headerName = regexp.MustCompile("^[A-Za-z0-9!#$%&'*+.^_`|~-]+$")

// ownHeaders are set by the service.
var ownHeaders = []string{"Authorization", "Host", "Content-Length", "Content-Type", "Idempotency-Key", "Connection", "Transfer-Encoding", "Cookie", "Proxy-Authorization"}

func (t *Tool) checkRequest(c *document.Checker) {
	c.Name("$.connection", t.Connection)
	if !slices.Contains(methods, t.Method) {
		c.Wrong("$.method", "%q is not a method; it is one of %s", t.Method, strings.Join(methods, ", "))
	}
	if !strings.HasPrefix(t.Path, "/") {
		c.Wrong("$.path", "the path must begin with a /")
	}
	if strings.ContainsAny(t.Path, "?#") && !strings.Contains(t.Path, "{{") {
		c.Wrong("$.path", "what stands behind a ? belongs into query")
	}
	if t.Body != nil && !t.hasBody() {
		c.Wrong("$.body", "a request with %s has no body", t.Method)
	}
	t.Request.path = parse(c, "$.path", t.Path)
	data := func(path string, source any) template.Data {
		d, err := template.ParseData(source)
		if err != nil {
			c.Wrong(path, "%v", err)
		}
		return d
	}
	t.Request.query, t.Request.headers, t.Request.body = data("$.query", anyOf(t.Query)), data("$.headers", anyOf(t.Headers)), data("$.body", t.Body)
	for name := range t.Headers {
		if slices.ContainsFunc(ownHeaders, func(own string) bool { return strings.EqualFold(own, name) }) {
			c.Wrong("$.headers", "the header %s is set by the service; a secret belongs to the connection", name)
		}
		if !headerName.MatchString(name) {
			c.Wrong("$.headers", "%q is not the name of a header", name)
		}
	}
}

func anyOf(texts map[string]string) map[string]any {
	block := map[string]any{}
	for key, text := range texts {
		block[key] = text
	}
	return block
}

// A Prepared request is ready to be sent below the address of a connection.
type Prepared struct {
	Method  string            `json:"method"`
	Path    string            `json:"path"` // with the query
	Headers map[string]string `json:"headers,omitempty"`
	Body    json.RawMessage   `json:"body,omitempty"`
}

// Prepare makes the request of a call.
func (t Tool) Prepare(v template.Values) (p Prepared, err error) {
	p.Method = t.Method
	if p.Path, err = t.Request.path.FillWith(v, url.PathEscape); err != nil {
		return p, err
	}
	if slices.Contains(strings.Split(p.Path, "/"), "..") {
		return p, fmt.Errorf("the path %s leads out of what the tool may call", p.Path)
	}
	query, err := pairs(t.Request.query, v)
	if err != nil {
		return p, err
	}
	if t.Query == nil && !t.hasBody() {
		for name, value := range v.Arguments {
			if !strings.Contains(t.Path, "arguments."+name+" ") {
				query[name] = fmt.Sprint(value)
			}
		}
	}
	if len(query) > 0 {
		values := url.Values{}
		for _, name := range slices.Sorted(maps.Keys(query)) {
			values.Set(name, query[name])
		}
		p.Path += "?" + values.Encode()
	}
	if p.Headers, err = pairs(t.Request.headers, v); err != nil {
		return p, err
	}
	for name, value := range p.Headers {
		if strings.ContainsAny(value, "\r\n\x00") {
			return p, fmt.Errorf("the header %s would hold a line break", name)
		}
	}
	if !t.hasBody() {
		return p, nil
	}
	var body any = v.Arguments
	if t.Body != nil {
		if body, err = t.Request.body.Fill(v); err != nil {
			return p, err
		}
	}
	p.Body, err = json.Marshal(body)
	return p, err
}

// pairs fills a block of texts; those without a value are left out.
func pairs(d template.Data, v template.Values) (map[string]string, error) {
	filled, err := d.Fill(v)
	if err != nil {
		return nil, err
	}
	texts := map[string]string{}
	block, _ := filled.(map[string]any)
	for name, value := range block {
		switch value := value.(type) {
		case nil:
		case string:
			texts[name] = value
		default:
			raw, err := json.Marshal(value)
			if err != nil {
				return nil, err
			}
			texts[name] = string(raw)
		}
	}
	return texts, nil
}
