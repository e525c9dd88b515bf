package api

import (
	"encoding/json"
	"net/http"
	"reflect"
	"strings"
	"sync"

	"github.com/swaggest/jsonschema-go"
	"github.com/swaggest/openapi-go"
	"github.com/swaggest/openapi-go/openapi31"

	"urgentparrot.example/internal/problem"
)

// OpenAPI returns the OpenAPI 3.1 document of the API. It is made from the same
// table as the routes, so that the two cannot part.
var OpenAPI = sync.OnceValue(func() []byte {
	r := openapi31.NewReflector()
	r.Spec.Info.WithTitle("Urgent Parrot").WithVersion(Version).
		WithDescription("Bots on messaging channels that answer from what you know. Errors are problem details (RFC 9457).")
	r.DefaultOptions = append(r.DefaultOptions,
		jsonschema.InterceptDefName(func(_ reflect.Type, name string) string {
			switch {
			case name == "ProblemDetails":
				return name
			case strings.HasPrefix(name, "Api"):
				return strings.TrimPrefix(name, "Api")
			}
			return strings.TrimPrefix(name, "Client")
		}),
		// What is required is there: lists are never null.
		jsonschema.InterceptNullability(func(p jsonschema.InterceptNullabilityParams) {
			if p.Schema != nil {
				p.Schema.RemoveType(jsonschema.Null)
			}
		}))
	r.Spec.SetHTTPBearerTokenSecurity("token", "", "A token made with POST /api/v1/tokens")
	for _, route := range routes() {
		if err := describe(r, route); err != nil {
			panic("api: " + route.path + ": " + err.Error()) // the table is fixed at build time
		}
	}
	raw, err := json.MarshalIndent(r.Spec, "", "  ")
	if err != nil {
		panic(err)
	}
	return append(raw, '\n')
})

func describe(r *openapi31.Reflector, route route) error {
	parts := strings.Split("/api/v1"+route.path, "/")
	for i, part := range parts {
		if name, ok := strings.CutPrefix(part, ":"); ok {
			parts[i] = "{" + name + "}"
		}
	}
	o, err := r.NewOperationContext(route.method, strings.Join(parts, "/"))
	if err != nil {
		return err
	}
	o.SetSummary(route.summary)
	o.SetTags(route.tag)
	if !route.open {
		o.AddSecurity("token")
	}
	for _, structure := range []any{route.parameters, route.body} {
		if structure != nil {
			o.AddReqStructure(structure)
		}
	}
	switch {
	case route.media != "":
		o.AddRespStructure(route.response, openapi.WithContentType(route.media), openapi.WithHTTPStatus(http.StatusOK))
	case route.response == nil:
		o.AddRespStructure(nil, openapi.WithHTTPStatus(http.StatusNoContent))
	default:
		o.AddRespStructure(route.response, openapi.WithHTTPStatus(route.status))
	}
	o.AddRespStructure(problem.Details{}, openapi.WithContentType("application/problem+json"), func(cu *openapi.ContentUnit) { cu.IsDefault = true })
	return r.AddOperation(o)
}
