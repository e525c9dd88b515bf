package library

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/renameio/v2"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/reading"
)

// A Folder is knowledge read from a folder of documents, without a workspace.
type Folder struct {
	Desk
	Files    int
	Passages int
	Failed   map[string]string // files that could not be read, and why
}

// ReadFolder reads all files below a folder into memory, with a reader. Vectors that were made
// before are taken from the folder cache, if it is not empty. progress, if any,
// is told how many of all passages are encoded.
func ReadFolder(ctx context.Context, reader reading.Reader, folder, cache string, progress func(done, all int)) (Folder, error) {
	f := Folder{Failed: map[string]string{}}
	var passages []knowledge.Passage
	err := fs.WalkDir(os.DirFS(folder), ".", func(name string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if strings.HasPrefix(entry.Name(), ".") && name != "." {
			if entry.IsDir() {
				return fs.SkipDir
			}
			return nil
		}
		if entry.IsDir() {
			return ctx.Err()
		}
		pages, err := readLocal(ctx, reader, filepath.Join(folder, name), name)
		if err != nil {
			f.Failed[name] = err.Error()
			return nil
		}
		f.Files++
		for _, page := range pages {
			for _, p := range page.Passages {
				p.ID, p.SourceID, p.Source, p.Title, p.Address = fmt.Sprintf("%s#%s#%d", name, page.Address, p.Position), name, name, page.Title, page.Address
				passages = append(passages, p)
			}
		}
		return nil
	})
	if err != nil {
		return f, err
	}
	if f.Passages = len(passages); f.Passages == 0 {
		return f, fmt.Errorf("%s holds no file that can be read; it may hold %s", folder, reading.Kinds)
	}
	if err := encodeAll(ctx, passages, cache, progress); err != nil {
		return f, err
	}
	e, err := encoder.Shared()
	if err != nil {
		return f, err
	}
	kept := make(map[string][]byte, len(passages))
	for i := range passages {
		kept[passages[i].ID] = passages[i].Tokens
	}
	tokens := func(_ context.Context, hits []knowledge.Hit) [][]encoder.Tokens {
		all := make([][]encoder.Tokens, len(hits))
		for i, hit := range hits {
			all[i] = encoder.ParseTokens(kept[hit.ID])
		}
		return all
	}
	f.Desk = PlainDesk(answer.Finder{Index: knowledge.Build(text.NewAnalyzer("en", nil), passages), Scope: knowledge.Scope{Now: time.Now()}, Vectors: answer.NewVectors(e), Tokens: tokens})
	return f, nil
}

// readLocal reads one file, which may be too large to be looked at.
func readLocal(ctx context.Context, reader reading.Reader, file, name string) ([]reading.Page, error) {
	info, err := os.Stat(file)
	if err != nil {
		return nil, err
	}
	if info.Size() > reading.Limit {
		return nil, fmt.Errorf("the file has %d MB; at most %d MB are read", info.Size()>>20, reading.Limit>>20)
	}
	content, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	contents, err := reader.Read(ctx, reading.File{Name: name, Content: content})
	return contents.Pages, err
}

// encodeAll makes the vectors of passages, on all processors.
func encodeAll(ctx context.Context, passages []knowledge.Passage, cache string, progress func(done, all int)) error {
	sum := sha256.New()
	fmt.Fprintln(sum, encoder.Version, knowledge.ViewsVersion)
	said := make([][]string, len(passages))
	for i := range passages {
		said[i] = passages[i].Said()
		for _, s := range said[i] {
			fmt.Fprintf(sum, "%d %s", len(s), s)
		}
	}
	file := filepath.Join(cache, hex.EncodeToString(sum.Sum(nil))[:32]+".vectors")
	if cache != "" {
		if kept, err := os.ReadFile(file); err == nil {
			if unpackAll(passages, said, kept) {
				return nil
			}
		}
	}
	var next, done atomic.Int64
	var working sync.WaitGroup
	var failed atomic.Pointer[error]
	for range runtime.GOMAXPROCS(0) {
		working.Go(func() {
			for ctx.Err() == nil {
				i := int(next.Add(1)) - 1
				if i >= len(passages) {
					return
				}
				readings, err := builtIn(ctx, said[i])
				if err != nil {
					failed.Store(&err)
					return
				}
				takeUp(&passages[i], readings)
				if n := done.Add(1); progress != nil {
					progress(int(n), len(passages))
				}
			}
		})
	}
	working.Wait()
	if err := failed.Load(); err != nil {
		return *err
	}
	if err := ctx.Err(); err != nil || cache == "" {
		return err
	}
	if err := os.MkdirAll(cache, 0o700); err != nil {
		return nil // it is only a cache
	}
	// A cache that cannot be written costs time, nothing else.
	var packed []byte
	for i := range passages {
		for _, part := range [][]byte{knowledge.Joined(passages[i].Views), passages[i].Tokens} {
			packed = append(binary.LittleEndian.AppendUint32(packed, uint32(len(part))), part...)
		}
	}
	_ = renameio.WriteFile(file, packed, 0o600)
	return nil
}

// unpackAll gives passages the vectors that were kept for them. It reports false
// if they do not fit.
func unpackAll(passages []knowledge.Passage, said [][]string, kept []byte) bool {
	next := func() []byte {
		if len(kept) < 4 {
			return nil
		}
		n := int(binary.LittleEndian.Uint32(kept))
		if kept = kept[4:]; n > len(kept) {
			return nil
		}
		part := kept[:n]
		kept = kept[n:]
		return part
	}
	for i := range passages {
		if passages[i].Views = knowledge.Codes(next()); len(passages[i].Views) != len(said[i]) {
			return false
		}
		if passages[i].Tokens = next(); passages[i].Tokens == nil {
			return false
		}
	}
	return true
}
