package apart

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"urgentparrot.example/internal/reading"
)

func TestMain(m *testing.M) {
	if len(os.Args) == 2 && os.Args[1] == "try-the-walls" {
		fmt.Fprint(os.Stderr, tryTheWalls())
		os.Exit(0)
	}
	WorkIfAsked()
	os.Exit(m.Run())
}

func pool(t *testing.T) *Pool {
	t.Helper()
	command, err := Command()
	if err != nil {
		t.Fatal(err)
	}
	p := New(nil, command...)
	t.Cleanup(p.Close)
	return p
}

// pdf is a PDF of objects that may be anything, the first its catalogue.
func pdf(objects ...string) []byte {
	var b bytes.Buffer
	b.WriteString("%PDF-1.4\n")
	var places []int
	for i, object := range objects {
		places = append(places, b.Len())
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", i+1, object)
	}
	at := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(objects)+1)
	for _, place := range places {
		fmt.Fprintf(&b, "%010d 00000 n \n", place)
	}
	fmt.Fprintf(&b, "trailer <</Size %d /Root 1 0 R>>\nstartxref\n%d\n%%%%EOF\n", len(objects)+1, at)
	return b.Bytes()
}

// Whatever a file does to whoever reads it, it gets an error in time, and the next
// file is read.
func TestAFileCostsOnlyItself(t *testing.T) {
	p := pool(t)
	p.Time, p.Memory = 2*time.Second, 200<<20
	for name, c := range map[string]struct {
		content []byte
		broke   bool
	}{
		"object that is itself.pdf": {pdf("1 0 R"), false},
		"pages in a ring.pdf":       {pdf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count 5/Kids[2 0 R]>>"), true},
		"parents in a ring.pdf":     {pdf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count 1/Kids[3 0 R]/Parent 3 0 R>>", "<</Type/Page/Parent 2 0 R/Contents 4 0 R>>", "<</Length 30>>\nstream\nBT /F1 12 Tf (hello) Tj ET\nendstream"), true},
		"length that is itself.pdf": {pdf("<</Type/Catalog/Pages 2 0 R>>", "<</Length 2 0 R>>\nstream\nx\nendstream"), false},
		"deep.pdf":                  {pdf(strings.Repeat("[", 1_000_000)), false},
		"links.md":                  {[]byte(strings.Repeat("[a](", 100_000)), true},
		"elements.html":             {[]byte(strings.Repeat("<div><p class=nav>", 100_000)), false},
	} {
		t.Run(name, func(t *testing.T) {
			started := time.Now()
			_, err := p.Read(t.Context(), reading.File{Name: name, Content: c.content})
			switch {
			case err == nil:
				t.Error("it was read")
			case errors.Is(err, reading.ErrBroke) != c.broke:
				t.Errorf("said to be left alone: %v, of %v", !c.broke, err)
			case time.Since(started) > 20*time.Second:
				t.Errorf("took %s", time.Since(started))
			}
			if got, err := p.Read(t.Context(), reading.File{Name: "ice.md", Content: []byte("# Ice\n\nIt is thin.")}); err != nil || got.Pages[0].Passages[0].Text != "It is thin." {
				t.Errorf("the next file: %v, %v", got, err)
			}
		})
	}
}

// A worker that takes too much memory is ended.
func TestMemoryIsWatched(t *testing.T) {
	p := pool(t)
	p.Memory = 30 << 20
	_, err := p.Read(t.Context(), reading.File{Name: "much.html", Content: []byte(strings.Repeat("<p>word <b>more</b></p>", 1<<18))})
	if !errors.Is(err, errMemory) || !errors.Is(err, reading.ErrBroke) {
		t.Errorf("got %v, want one that speaks of memory", err)
	}
}

// A worker that had ended by itself is no fault of the file.
func TestAnEndedWorkerIsReplaced(t *testing.T) {
	p := pool(t)
	file := reading.File{Name: "ice.md", Content: []byte("# Ice\n\nIt is thin.")}
	for range 3 {
		if _, err := p.Read(t.Context(), file); err != nil {
			t.Fatal(err)
		}
		p.idle[0].kill()
		_ = p.idle[0].process.Wait()
	}
}

func TestReadingIsBrokenOff(t *testing.T) {
	p := pool(t)
	ctx, cancel := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer cancel()
	if _, err := p.Read(ctx, reading.File{Name: "ring.pdf", Content: pdf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count 5/Kids[2 0 R]>>")}); !errors.Is(err, context.DeadlineExceeded) {
		t.Errorf("got %v", err)
	}
}

func TestManyAtOnce(t *testing.T) {
	p := pool(t)
	var all sync.WaitGroup
	for i := range 20 {
		all.Go(func() {
			says := fmt.Sprintf("Boat %d leaves at noon.", i)
			got, err := p.Read(t.Context(), reading.File{Name: "boat.txt", Content: []byte(says)})
			if err != nil || got.Pages[0].Passages[0].Text != says {
				t.Errorf("%q: got %v, %v", says, got, err)
			}
		})
	}
	all.Wait()
	if n := len(p.idle); n == 0 || n > workers {
		t.Errorf("%d workers are left", n)
	}
}

// Where the machine allows it, a worker can open nothing and call nobody.
func TestWorkersAreConfined(t *testing.T) {
	p := pool(t)
	if warning := p.Warning(); warning != "" {
		t.Skipf("not on this machine: %s", warning)
	}
	command, _ := Command()
	p.command = []string{command[0], "try-the-walls"}
	_, err := p.start()
	if err == nil || !strings.Contains(err.Error(), "nothing got out") {
		t.Errorf("got %v", err)
	}
}

func tryTheWalls() string {
	if warning := confine(); warning != "" {
		return warning
	}
	if _, err := os.ReadFile("/etc/hostname"); err == nil {
		return "a file was read"
	}
	if os.WriteFile("/tmp/urgent-parrot-walls", nil, 0o600) == nil {
		return "a file was written"
	}
	if _, err := net.Dial("tcp", "127.0.0.1:1"); err == nil || strings.Contains(err.Error(), "connection refused") {
		return "a connection was tried"
	}
	if _, err := os.StartProcess("/bin/true", nil, &os.ProcAttr{}); err == nil {
		return "a program was started"
	}
	return "nothing got out"
}

// FuzzPDF hands whatever may be a PDF to a worker: it is read or refused in time, and
// the next one is read.
func FuzzPDF(f *testing.F) {
	for _, seed := range [][]byte{pdf("1 0 R"), pdf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count 5/Kids[2 0 R]>>"), pdf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count 1/Kids[3 0 R]>>", "<</Type/Page/Contents 4 0 R>>", "<</Length 20>>\nstream\nBT (a) Tj ET\nendstream")} {
		f.Add(seed)
	}
	command, err := Command()
	if err != nil {
		f.Fatal(err)
	}
	p := New(nil, command...)
	p.Time = time.Second
	f.Cleanup(p.Close)
	f.Fuzz(func(t *testing.T, content []byte) {
		begun := time.Now()
		if _, err := p.Read(t.Context(), reading.File{Name: "a.pdf", Content: content}); err != nil && len(err.Error()) > 1000 {
			t.Errorf("it is told in %d bytes", len(err.Error()))
		}
		if took := time.Since(begun); took > 10*time.Second {
			t.Errorf("it took %s", took)
		}
	})
}
