// Package encoder turns sentences into vectors whose directions are close when
// their meanings are. It is the forward pass of a small English sentence encoder
// (two transformer layers over SentencePiece unigram pieces), and of a judge that holds
// the tokens of a question against those of a sentence; weights says where its parameters
// come from. Weights are kept as 8-bit integers with a scale for
// each output, activations as 14-bit integers with a scale for each row, so that
// every processor computes the same.
package encoder

import (
	"bytes"
	"context"
	"embed"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"strconv"
	"strings"
	"sync"
)

// Dim is the number of components of a vector.
const Dim = 512

// Version names the encoder. Vectors of different versions do not compare.
const Version = "customers-en-3"

const (
	inner     = 256 // width of the pieces' embeddings and of the first layer's input
	hidden    = 1536
	maxPieces = 128 // of a text; the rest is not looked at
)

//go:embed weights/pieces.tsv weights/embeddings.bin weights/layer0.bin weights/layer1.bin weights/judge.bin
var weights embed.FS

// An Encoder holds the parameters. It is safe for concurrent use.
type Encoder struct {
	pieces     pieces
	embeddings matrix // a row for each piece
	places     rows   // what tells where in a text a piece stands
	layers     [2]layer
	output     matrix
	judge      judge
}

type layer struct {
	width, heads         int // width of the input
	attendNorm, feedNorm layerNorm
	qkv, attended        matrix
	residual             *matrix // nil: the input itself
	feedUp, feedDown     matrix
	queryScale           float32
}

type layerNorm struct{ scale, bias []float32 }

// Load unpacks the parameters that ship with the program.
func Load() (*Encoder, error) {
	e := &Encoder{}
	list, err := weights.ReadFile("weights/pieces.tsv")
	if err != nil {
		return nil, err
	}
	if e.pieces, err = parsePieces(string(list)); err != nil {
		return nil, err
	}
	var failed error
	read := func(name string) *reader {
		b, err := weights.ReadFile("weights/" + name)
		failed = errors.Join(failed, err)
		return &reader{b: b}
	}
	r := read("embeddings.bin")
	e.embeddings = r.matrix(false)
	e.places = places(r.floats())
	failed = errors.Join(failed, r.err)
	for i := range e.layers {
		r := read(fmt.Sprintf("layer%d.bin", i))
		l := layer{heads: 4, attendNorm: r.norm(), qkv: r.matrix(true), attended: r.matrix(true)}
		l.width = l.qkv.in
		if i == 0 {
			m := r.matrix(true)
			l.residual = &m
		}
		l.feedNorm, l.feedUp, l.feedDown = r.norm(), r.matrix(true), r.matrix(true)
		l.queryScale = float32(1 / math.Sqrt(float64(l.qkv.out/3/l.heads)))
		if i == 1 {
			e.output = r.matrix(true)
		}
		failed = errors.Join(failed, r.err)
		e.layers[i] = l
	}
	r = read("judge.bin")
	e.judge = r.judge()
	return e, errors.Join(failed, r.err)
}

var shared = sync.OnceValues(Load)

// Shared returns the one encoder of the process, unpacked at the first call.
func Shared() (*Encoder, error) { return shared() }

// Encode returns the unit vector of a text, of which at most the first 128
// pieces count. It breaks off with the context's error.
func (e *Encoder) Encode(ctx context.Context, text string) ([]float32, error) {
	r, err := e.Read(ctx, text)
	return r.Vector, err
}

// Read returns the unit vectors of a text and of its pieces, of which at most the first
// 128 count. It breaks off with the context's error.
func (e *Encoder) Read(ctx context.Context, text string) (r Reading, err error) {
	ids := e.Pieces(text)
	w := workspaces.Get().(*workspace)
	defer workspaces.Put(w)
	defer w.reset()
	n := len(ids)
	x := w.take(n, inner)
	for p, id := range ids {
		row := x.row(p)
		e.embeddings.unpack(id, row)
		for i, at := range e.places.row(p) {
			row[i] = float32(2*row[i]) + at
		}
	}
	for i := range e.layers {
		if err := ctx.Err(); err != nil {
			return r, err
		}
		x = e.layers[i].apply(w, x)
	}
	mean := w.zeros(1, Dim)
	for p := range n {
		for i, v := range x.row(p) {
			mean.row(0)[i] += v / float32(n)
		}
	}
	out := w.take(1, Dim)
	e.output.multiply(w, mean, out)
	for i, v := range out.v {
		out.v[i] = tanh(v)
	}
	r.Vector = make([]float32, Dim)
	copy(r.Vector, out.v)
	toUnit(r.Vector)
	tokens := w.take(n, TokenDim)
	e.judge.token.multiply(w, x, tokens)
	for p := range n {
		toUnit(tokens.row(p))
	}
	r.Tokens = rounded(tokens)
	return r, nil
}

// places returns what is added to a piece for each place in a text: sines of so many frequencies,
// and cosines.
func places(inverse []float32) rows {
	n := len(inverse)
	at := rows{maxPieces, 2 * n, make([]float32, maxPieces*2*n)}
	for p := range at.n {
		row := at.row(p)
		for i, frequency := range inverse {
			sin, cos := math.Sincos(float64(float32(p) * frequency))
			row[i], row[n+i] = float32(sin), float32(cos)
		}
	}
	return at
}

// toUnit scales a vector, whose length divides by 4, to length 1.
func toUnit(v []float32) {
	length := float32(math.Sqrt(max(float64(dot(v, v)), 1e-12)))
	for i := range v {
		v[i] /= length
	}
}

func (l *layer) apply(w *workspace, x rows) rows {
	n := x.n
	normed := w.take(n, l.width)
	l.attendNorm.apply(x, normed)
	qkv := w.take(n, l.qkv.out)
	l.qkv.multiply(w, normed, qkv)
	joined := w.zeros(n, l.qkv.out/3)
	l.attend(w, qkv, joined)
	y := w.take(n, Dim)
	l.attended.multiply(w, joined, y)
	if l.residual != nil {
		skip := w.take(n, Dim)
		l.residual.multiply(w, x, skip)
		x = skip
	}
	y.add(x)
	normed = w.take(n, Dim)
	l.feedNorm.apply(y, normed)
	up := w.take(n, hidden)
	l.feedUp.multiply(w, normed, up)
	floor(up.v)
	down := w.take(n, Dim)
	l.feedDown.multiply(w, up, down)
	y.add(down)
	return y
}

// attend is multi-head attention: softmax of the queries on the keys weighs the
// values.
func (l *layer) attend(w *workspace, qkv, out rows) {
	width := l.qkv.out / 3
	size := width / l.heads
	weights := w.take(1, qkv.n).row(0)
	for head := range l.heads {
		from := head * size
		for p := range qkv.n {
			query := qkv.row(p)[from : from+size]
			most := float32(math.Inf(-1))
			for other := range qkv.n {
				key := qkv.row(other)[width+from : width+from+size]
				weights[other] = dot(query, key) * l.queryScale
				most = max(most, weights[other])
			}
			for i := range weights {
				weights[i] -= most
			}
			exps(weights, weights)
			var total float32
			for _, v := range weights {
				total += v
			}
			sum := out.row(p)[from : from+size]
			for i := range weights {
				weights[i] /= total
			}
			blend(weights, qkv.v[2*width+from:], qkv.width, sum)
		}
	}
}

func (n layerNorm) apply(x, out rows) {
	for p := range x.n {
		row := x.row(p)
		centred := out.row(p)
		mean := sum(row) / float32(len(row))
		for i, v := range row {
			centred[i] = v - mean
		}
		inverse := float32(1 / math.Sqrt(float64(dot(centred, centred))/float64(len(row))+1e-6))
		for i, v := range centred {
			centred[i] = float32(v*inverse*n.scale[i]) + n.bias[i]
		}
	}
}

// A reader reads the files that the generator wrote: little-endian, each list
// of floats and each matrix with its size before it.
type reader struct {
	b   []byte
	err error
}

func (r *reader) next(n int) []byte {
	if r.err != nil || n < 0 || n > len(r.b) {
		r.err = errors.New("the encoder's weights are damaged")
		return make([]byte, max(n, 0))
	}
	taken := r.b[:n]
	r.b = r.b[n:]
	return taken
}

func (r *reader) size() int {
	const most = 1 << 22
	n := int(binary.LittleEndian.Uint32(r.next(4)))
	if n > most {
		r.err = errors.New("the encoder's weights are damaged")
		return 0
	}
	return n
}

func (r *reader) floats() []float32 {
	list := make([]float32, r.size())
	if err := binary.Read(bytes.NewReader(r.next(4*len(list))), binary.LittleEndian, list); err != nil {
		r.err = errors.Join(r.err, err)
	}
	return list
}

func (r *reader) norm() layerNorm { return layerNorm{scale: r.floats(), bias: r.floats()} }

// wide is what the number of inputs is filled up to a multiple of, with weights of 0:
// so many are multiplied at once.
const wide = 32

// matrix reads the scale of each output, its weights, and with biased its bias.
func (r *reader) matrix(biased bool) matrix {
	m := matrix{out: r.size()}
	in := r.size()
	m.in = (in + wide - 1) / wide * wide
	m.scale = r.floats()
	raw := r.next(m.out * in)
	m.weights = make([]int8, m.out*m.in)
	for i, b := range raw {
		m.weights[i/in*m.in+i%in] = int8(b)
	}
	if biased {
		m.bias = r.floats()
	}
	return m
}

func parsePieces(list string) (pieces, error) {
	p := pieces{ids: map[string]int{}}
	for id, line := range strings.Split(strings.TrimSuffix(list, "\n"), "\n") {
		piece, score, ok := strings.Cut(line, "\t")
		value, err := strconv.ParseFloat(score, 64)
		if !ok || err != nil {
			return p, fmt.Errorf("the encoder's list of pieces is damaged in line %d", id+1)
		}
		p.scores, p.texts = append(p.scores, value), append(p.texts, piece)
		if id >= firstPiece {
			p.ids[piece] = id
			p.longest = max(p.longest, len(piece))
		}
	}
	return p, nil
}
