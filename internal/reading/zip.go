package reading

import (
	"archive/zip"
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
)

// mostFiles is how many files a ZIP may hold.
const mostFiles = 2_000

// readZIP reads the files in a ZIP, each a page. Other ZIPs in it are not opened.
func readZIP(content []byte, left *int64) ([]Page, error) {
	if len(content) > Limit {
		return nil, fmt.Errorf("the file has %d MB; at most %d MB are read", len(content)>>20, Limit>>20)
	}
	archive, err := zip.NewReader(bytes.NewReader(content), int64(len(content)))
	if err != nil {
		return nil, errors.New("the file is not a ZIP, or is damaged")
	}
	if len(archive.File) > mostFiles {
		return nil, fmt.Errorf("the ZIP holds %d files; at most %d are read", len(archive.File), mostFiles)
	}
	if overlaps(archive.File, len(content)) {
		return nil, errors.New("the ZIP is damaged: its files lie over one another; pack it anew")
	}
	var pages []Page
	n, passages := 0, 0
	for _, f := range archive.File {
		base := path.Base(f.Name)
		if f.FileInfo().IsDir() || strings.HasPrefix(base, ".") || strings.HasPrefix(f.Name, "__MACOSX/") {
			continue
		}
		content, err := unpack(f, left)
		if errors.Is(err, errBomb) {
			return nil, err
		}
		if err == nil {
			d, failed := read(&file{f.Name, content, left})
			if errors.Is(failed, errBomb) {
				return nil, failed
			}
			if err = failed; err == nil {
				pages = append(pages, pageOf(entryName(f.Name), content, d))
				if passages += len(pages[len(pages)-1].Passages); passages > mostPassages {
					return nil, fmt.Errorf("the files in the ZIP make more than %d passages; divide it into several", mostPassages)
				}
				n++
				continue
			}
		}
		pages = append(pages, Page{Address: entryName(f.Name), Error: clip(err.Error())})
	}
	if n == 0 {
		return nil, errors.New("the ZIP holds no file that can be read; it may hold " + Kinds)
	}
	return pages, nil
}

// overlaps reports whether files of a ZIP share bytes: then a small ZIP can hold far
// more than its size, each time the same.
func overlaps(files []*zip.File, size int) bool {
	type extent struct{ from, to int64 }
	var extents []extent
	for _, f := range files {
		from, err := f.DataOffset()
		if err != nil || f.CompressedSize64 > uint64(size) {
			return true
		}
		extents = append(extents, extent{from, from + int64(f.CompressedSize64)})
	}
	slices.SortFunc(extents, func(a, b extent) int { return cmp.Compare(a.from, b.from) })
	for i := 1; i < len(extents); i++ {
		if extents[i].from < extents[i-1].to {
			return true
		}
	}
	return false
}

// entryName is a file's path in a ZIP, which can be taken for nothing else: not for
// an address of the web, and not for a path outside.
func entryName(name string) string {
	name = strings.ToValidUTF8(strings.ReplaceAll(name, "\\", "/"), "")
	name = strings.TrimPrefix(path.Clean("/"+name), "/")
	if i := strings.IndexByte(name, ':'); i >= 0 {
		name = "./" + name
	}
	return clip(name)
}

var errBomb = fmt.Errorf("the file unpacks to more than %d MB", mostText>>20)

// unpack reads one file of a ZIP, and takes its size from what is left to unpack.
func unpack(f *zip.File, left *int64) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, errors.New("it is packed in a way that is not known, or encrypted")
	}
	defer r.Close()
	content, err := io.ReadAll(io.LimitReader(r, *left+1))
	if *left -= int64(len(content)); *left < 0 {
		return nil, errBomb
	}
	if err != nil {
		return nil, errors.New("it is damaged")
	}
	return content, nil
}
