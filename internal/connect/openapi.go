package connect

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"urgentparrot.example/internal/core/tool"
)

// Operations reads what an OpenAPI 3 document, in JSON or YAML, says that a system can do:
// a draft of a tool for each operation, in the order of their paths, and the address that
// the document names, "" for none. References to other documents are not followed.
func Operations(ctx context.Context, document []byte) (list []tool.Draft, address string, err error) {
	loader := openapi3.NewLoader()
	loader.Context, loader.IsExternalRefsAllowed = ctx, false
	doc, err := loader.LoadFromData(document)
	if err != nil {
		return nil, "", fmt.Errorf("this is not an OpenAPI 3 document: %w", err)
	}
	if !strings.HasPrefix(doc.OpenAPI, "3.") {
		return nil, "", errors.New("this is not an OpenAPI 3 document: it does not begin with openapi: 3")
	}
	if len(doc.Servers) > 0 {
		if u, err := url.Parse(doc.Servers[0].URL); err == nil && u.Host != "" {
			address = doc.Servers[0].URL
		}
	}
	if doc.Paths == nil {
		return nil, address, nil
	}
	paths := doc.Paths.Map()
	for _, path := range slices.Sorted(maps.Keys(paths)) {
		operations := paths[path].Operations()
		for _, method := range slices.Sorted(maps.Keys(operations)) {
			if slices.Contains([]string{"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE"}, method) {
				list = append(list, draftOf(path, method, paths[path], operations[method]))
			}
		}
	}
	return list, address, nil
}

func draftOf(path, method string, item *openapi3.PathItem, o *openapi3.Operation) tool.Draft {
	d := tool.Draft{Name: o.OperationID, Title: strings.TrimRight(o.Summary, "."), Description: o.Description, Method: method, Path: path, ReadsOnly: method == "GET" || method == "HEAD"}
	if d.Name == "" {
		d.Name = strings.ToLower(method) + " " + path
	}
	properties, required := map[string]any{}, []any{}
	take := func(name string, schema *openapi3.SchemaRef, about string, needed bool) {
		property := plainSchema(schema, 0)
		if about != "" && property["description"] == nil {
			property["description"] = about
		}
		properties[name] = property
		if needed {
			required = append(required, name)
		}
	}
	for _, list := range []openapi3.Parameters{item.Parameters, o.Parameters} {
		for _, ref := range list {
			p := ref.Value
			if p == nil || p.In == openapi3.ParameterInCookie {
				continue
			}
			if _, twice := properties[p.Name]; !twice {
				switch p.In {
				case openapi3.ParameterInQuery:
					d.InQuery = append(d.InQuery, p.Name)
				case openapi3.ParameterInHeader:
					d.InHeaders = append(d.InHeaders, p.Name)
				}
			}
			take(p.Name, p.Schema, p.Description, p.Required || p.In == openapi3.ParameterInPath)
		}
	}
	if o.RequestBody != nil && o.RequestBody.Value != nil {
		if media := o.RequestBody.Value.Content.Get("application/json"); media != nil && media.Schema != nil && media.Schema.Value != nil {
			body := media.Schema.Value
			for _, name := range slices.Sorted(maps.Keys(body.Properties)) {
				if of := body.Properties[name].Value; of != nil && of.ReadOnly {
					continue
				}
				d.InBody = append(d.InBody, name)
				take(name, body.Properties[name], "", slices.Contains(body.Required, name))
			}
		}
	}
	d.Arguments = map[string]any{"type": "object", "properties": properties}
	if len(required) > 0 {
		d.Arguments["required"] = required
	}
	if o.Responses != nil {
		for _, status := range []string{"200", "201", "202", "2XX", "default"} {
			response := o.Responses.Value(status)
			if response == nil || response.Value == nil || status == "default" {
				continue
			}
			if media := response.Value.Content.Get("application/json"); media != nil && media.Schema != nil {
				d.Result = plainSchema(media.Schema, 0)
				break
			}
		}
	}
	return d
}

// deepest is how far a schema is followed: one may refer to itself.
const deepest = 6

// plainSchema is a schema without references, with what tools use of it.
func plainSchema(ref *openapi3.SchemaRef, depth int) map[string]any {
	plain := map[string]any{}
	if ref == nil || ref.Value == nil || depth > deepest {
		return plain
	}
	s := ref.Value
	if s.Type != nil && len(s.Type.Slice()) == 1 && !s.Nullable {
		plain["type"] = s.Type.Slice()[0]
	}
	for key, text := range map[string]string{"format": s.Format, "description": s.Description, "pattern": s.Pattern} {
		if text != "" {
			plain[key] = text
		}
	}
	if len(s.Enum) > 0 {
		plain["enum"] = s.Enum
	}
	if s.Items != nil {
		plain["items"] = plainSchema(s.Items, depth+1)
	}
	properties := map[string]any{}
	required := s.Required
	for name, p := range s.Properties {
		properties[name] = plainSchema(p, depth+1)
	}
	for _, part := range s.AllOf {
		whole := plainSchema(part, depth+1)
		if more, is := whole["properties"].(map[string]any); is {
			maps.Copy(properties, more)
			plain["type"] = "object"
		}
		if part.Value != nil {
			required = append(slices.Clone(required), part.Value.Required...)
		}
	}
	if len(properties) > 0 {
		plain["properties"] = properties
	}
	if len(required) > 0 {
		names := []any{}
		for _, name := range required {
			names = append(names, name)
		}
		plain["required"] = names
	}
	return plain
}
