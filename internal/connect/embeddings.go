package connect

import (
	"context"
	"fmt"
	"math"
	"net/http"
)

// embeddingsAtOnce is how many texts are sent in one request.
const embeddingsAtOnce = 64

// Embed returns a unit vector for each text, by the call that servers of
// embedding models share: POST /embeddings with model and input, answered with
// data, a list of objects with index and embedding.
func (e Endpoint) Embed(ctx context.Context, model string, texts []string) ([][]float32, error) {
	var vectors [][]float32
	for len(vectors) < len(texts) {
		input := texts[len(vectors):min(len(texts), len(vectors)+embeddingsAtOnce)]
		var answer struct {
			Data []struct {
				Index     int
				Embedding []float32
			}
		}
		if err := e.callFor(ctx, modelLimit, http.MethodPost, "/embeddings", "", map[string]any{"model": model, "input": input}, &answer); err != nil {
			return nil, err
		}
		made := make([][]float32, len(input))
		for _, d := range answer.Data {
			if d.Index >= 0 && d.Index < len(made) {
				made[d.Index] = unit(d.Embedding)
			}
		}
		for i, vector := range made {
			if len(vector) == 0 || len(vector)%64 != 0 || len(vector) != len(made[0]) {
				return nil, fmt.Errorf("%s sent no usable vector for text %d: it must have a multiple of 64 components, as many as the others", e.Title, i+1)
			}
		}
		vectors = append(vectors, made...)
	}
	return vectors, nil
}

func unit(vector []float32) []float32 {
	var squares float64
	for _, v := range vector {
		squares += float64(v) * float64(v)
	}
	if length := float32(math.Sqrt(squares)); length > 0 {
		for i := range vector {
			vector[i] /= length
		}
	}
	return vector
}
