package reading

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"
)

// mostFiles is how many files a ZIP may hold.
const mostFiles = 2_000

// readZIP reads the files in a ZIP, each a page. Other ZIPs in it are not opened.
func readZIP(content []byte) ([]Page, error) {
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
	var pages []Page
	left := int64(mostText)
	read := 0
	for _, f := range archive.File {
		base := path.Base(f.Name)
		if f.FileInfo().IsDir() || strings.HasPrefix(base, ".") || strings.HasPrefix(f.Name, "__MACOSX/") {
			continue
		}
		content, err := unpack(f, &left)
		if errors.Is(err, errBomb) {
			return nil, err
		}
		if err == nil {
			d, failed := Read(f.Name, content)
			if err = failed; err == nil {
				pages = append(pages, pageOf(f.Name, content, d))
				read++
				continue
			}
		}
		pages = append(pages, Page{Address: f.Name, Error: err.Error()})
	}
	if read == 0 {
		return nil, errors.New("the ZIP holds no file that can be read; it may hold " + Kinds)
	}
	return pages, nil
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
