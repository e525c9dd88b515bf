package connect

import (
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
)

// A stand-in for a server of embedding models answers out of order; what it
// sends is made unit vectors, and what cannot be used is said.
func TestVectorsComeFromAModelServer(t *testing.T) {
	components := 64
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var in struct {
			Model string
			Input []string
		}
		if err := json.NewDecoder(r.Body).Decode(&in); err != nil || in.Model != "small" || r.URL.Path != "/v1/embeddings" || r.Header.Get("Authorization") != "Bearer key" {
			http.Error(w, "bad request", http.StatusBadRequest)
			return
		}
		var data []string
		for i := range in.Input {
			vector := make([]float32, components)
			vector[len(in.Input[i])%components] = 3
			raw, _ := json.Marshal(vector)
			data = append([]string{fmt.Sprintf(`{"index":%d,"embedding":%s}`, i, raw)}, data...)
		}
		fmt.Fprintf(w, `{"data":[%s]}`, strings.Join(data, ","))
	}))
	defer server.Close()
	e := Endpoint{Title: "the model", Address: server.URL + "/v1", Secret: "key", Client: server.Client()}
	texts := make([]string, 150)
	for i := range texts {
		texts[i] = strings.Repeat("x", i%60)
	}
	vectors, err := e.Embed(t.Context(), "small", texts)
	if err != nil || len(vectors) != len(texts) {
		t.Fatalf("%d vectors, %v", len(vectors), err)
	}
	for i, v := range vectors {
		if math.Abs(float64(v[i%60])-1) > 1e-6 {
			t.Errorf("text %d got the vector of another", i)
		}
	}
	if _, err := e.Embed(t.Context(), "other", texts[:1]); err == nil {
		t.Error("a refusal went by unseen")
	}
	components = 63
	if _, err := e.Embed(t.Context(), "small", texts[:1]); err == nil || !strings.Contains(err.Error(), "multiple of 64") {
		t.Errorf("a vector that cannot be used: %v", err)
	}
}
