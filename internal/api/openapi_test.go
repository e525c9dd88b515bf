package api

import (
	"bytes"
	"flag"
	"os"
	"testing"
)

var update = flag.Bool("update", false, "write the OpenAPI document anew")

// The console's types are made from the document in the repository: it must be
// the one that is served.
func TestTheDocumentIsTheOneThatIsServed(t *testing.T) {
	if *update {
		if err := os.WriteFile("openapi.json", OpenAPI(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	kept, err := os.ReadFile("openapi.json")
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(kept, OpenAPI()) {
		t.Error("openapi.json is not what the routes say; run make types")
	}
}
