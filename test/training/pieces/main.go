// Pieces tells the training how the program itself reads texts: JSON strings come
// in, one on each line, and for each goes out a line with the ids of its pieces and
// the places of its sentences (in bytes).
package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"os"

	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/text"
)

type read struct {
	Pieces    []int    `json:"pieces"`
	Sentences [][2]int `json:"sentences"`
}

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, "pieces:", err)
		os.Exit(1)
	}
}

func run() error {
	e, err := encoder.Shared()
	if err != nil {
		return err
	}
	in := bufio.NewScanner(os.Stdin)
	in.Buffer(nil, 1<<20)
	out := bufio.NewWriter(os.Stdout)
	defer out.Flush()
	write := json.NewEncoder(out)
	for in.Scan() {
		var s string
		if err := json.Unmarshal(in.Bytes(), &s); err != nil {
			return err
		}
		r := read{Pieces: e.Pieces(s)}
		for _, span := range text.Sentences(s) {
			r.Sentences = append(r.Sentences, [2]int{span.Start, span.End})
		}
		if err := write.Encode(r); err != nil {
			return err
		}
	}
	return in.Err()
}
