package apart

import (
	"bufio"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"runtime/debug"

	"urgentparrot.example/internal/reading"
)

// What passes between the service and a worker, each as JSON behind its length in
// four bytes, a question with the content of the file behind it.
type (
	hello    struct{ Warning string }
	question struct {
		reading.File
		Size int
	}
	answer struct {
		reading.Contents
		Error string
	}
)

func send(w io.Writer, said any, content []byte) error {
	raw, err := json.Marshal(said)
	if err != nil {
		return err
	}
	if _, err := w.Write(append(binary.BigEndian.AppendUint32(nil, uint32(len(raw))), raw...)); err != nil {
		return err
	}
	_, err = w.Write(content)
	return err
}

func receive(r io.Reader, most int, into any) error {
	var length [4]byte
	if _, err := io.ReadFull(r, length[:]); err != nil {
		return err
	}
	n := int(binary.BigEndian.Uint32(length[:]))
	if n > most {
		return errOutput
	}
	raw := make([]byte, n)
	if _, err := io.ReadFull(r, raw); err != nil {
		return err
	}
	return json.Unmarshal(raw, into)
}

// Argument is the hidden command of programs that can be workers.
const Argument = "read-files"

// WorkIfAsked works, and ends the process, if the program was started as a worker.
// Programs that start themselves as workers call it first.
func WorkIfAsked() {
	if len(os.Args) == 2 && os.Args[1] == Argument {
		if err := work(os.Stdin, os.Stdout); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		os.Exit(0)
	}
}

// Command returns what starts this program as a worker.
func Command() ([]string, error) {
	program, err := os.Executable()
	return []string{program, Argument}, err
}

// work reads files until there are no more.
func work(in io.Reader, out io.Writer) error {
	debug.SetMaxStack(64 << 20)
	debug.SetMemoryLimit(int64(usual.Memory) * 3 / 4)
	debug.SetGCPercent(50)
	if err := send(out, hello{confine()}, nil); err != nil {
		return err
	}
	questions := bufio.NewReader(in)
	for {
		var q question
		if err := receive(questions, 1<<16, &q); errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return err
		}
		q.Content = make([]byte, q.Size)
		if _, err := io.ReadFull(questions, q.Content); err != nil {
			return err
		}
		var a answer
		var err error
		if a.Contents, err = (reading.Here{}).Read(context.Background(), q.File); err != nil {
			a.Error = err.Error()
		}
		if err := send(out, a, nil); err != nil {
			return err
		}
	}
}
