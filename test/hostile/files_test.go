package hostile

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"compress/zlib"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/world"
)

// packed is a ZIP of files, given as names and contents.
func packed(files ...string) []byte {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	w.RegisterCompressor(zip.Deflate, nil)
	for i := 0; i+1 < len(files); i += 2 {
		f, err := w.Create(files[i])
		if err == nil {
			_, err = f.Write([]byte(files[i+1]))
		}
		if err != nil {
			panic(err) // nothing of it can fail in memory
		}
	}
	if err := w.Close(); err != nil {
		panic(err)
	}
	return b.Bytes()
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

func stream(dict string, content []byte) string {
	return fmt.Sprintf("<<%s /Length %d>>\nstream\n%s\nendstream", dict, len(content), content)
}

func deflated(content []byte) []byte {
	var b bytes.Buffer
	w := zlib.NewWriter(&b)
	_, _ = w.Write(content) // a buffer takes everything
	_ = w.Close()
	return b.Bytes()
}

const page = "<</Type/Page/Parent 2 0 R/MediaBox[0 0 9 9]/Resources<</Font<</F 5 0 R>>>>/Contents 4 0 R>>"

// paged is a PDF of one page with a stream, and a font.
func paged(content, font string) []byte {
	return pdf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count 1/Kids[3 0 R]>>", page, content, font)
}

func workbook(sheet string, more ...string) []byte {
	return packed(append([]string{
		"[Content_Types].xml", `<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>`,
		"_rels/.rels", `<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
		"xl/workbook.xml", `<?xml version="1.0"?><workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="S" sheetId="1" r:id="rId1"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels", `<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`,
		"xl/worksheets/sheet1.xml", `<?xml version="1.0"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>` + sheet + `</sheetData></worksheet>`,
	}, more...)...)
}

func cells(n int, at func(i int) string) string {
	var b strings.Builder
	for i := 1; i <= n; i++ {
		fmt.Fprintf(&b, `<row r="%d"><c r="%s" t="inlineStr"><is><t>x</t></is></c></row>`, i, at(i))
	}
	return b.String()
}

func document(body string) []byte {
	return packed("word/document.xml", `<w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:body>`+body+`</w:body></w:document>`)
}

// patched puts bytes into a file at places behind a mark.
func patched(content []byte, mark string, offset int, with ...byte) []byte {
	content = bytes.Clone(content)
	for at := 0; ; {
		i := bytes.Index(content[at:], []byte(mark))
		if i < 0 {
			return content
		}
		copy(content[at+i+offset:], with)
		at += i + len(mark)
	}
}

func times(s string, n int) []byte { return []byte(strings.Repeat(s, n)) }

// overlapping lists one file of a ZIP many times.
func overlapping(n int) []byte {
	var body bytes.Buffer
	w, err := flate.NewWriter(&body, 9)
	if err != nil {
		panic(err)
	}
	_, _ = w.Write(times("a sentence of the same. ", 40_000)) // a buffer takes everything
	_ = w.Close()
	var b bytes.Buffer
	local := func(sig uint32, more ...uint16) {
		_ = binary.Write(&b, binary.LittleEndian, sig)
		for _, v := range more {
			_ = binary.Write(&b, binary.LittleEndian, v)
		}
	}
	size, full := uint32(body.Len()), uint32(24*40_000)
	sizes := func() {
		_ = binary.Write(&b, binary.LittleEndian, []uint32{0, size, full})
		_ = binary.Write(&b, binary.LittleEndian, []uint16{5, 0})
	}
	local(0x04034b50, 20, 0, 8, 0, 0)
	sizes()
	b.WriteString("a.txt")
	b.Write(body.Bytes())
	start := b.Len()
	for range n {
		local(0x02014b50, 20, 20, 0, 8, 0, 0)
		sizes()
		_ = binary.Write(&b, binary.LittleEndian, []uint16{0, 0, 0})
		_ = binary.Write(&b, binary.LittleEndian, []uint32{0, 0})
		b.WriteString("a.txt")
	}
	end := b.Len()
	local(0x06054b50, 0, 0, uint16(n), uint16(n))
	_ = binary.Write(&b, binary.LittleEndian, []uint32{uint32(end - start), uint32(start)})
	_ = binary.Write(&b, binary.LittleEndian, uint16(0))
	return b.Bytes()
}

// refusals are what is said of files that must not be read.
var refusals = map[string]string{
	"one file a thousand times.zip": "lie over one another", "one file some times.zip": "lie over one another", "texts that unpack.zip": "unpacks to more", "documents that unpack.zip": "unpacks to more", "a bomb.zip": "unpacks to more", "many files.zip": "2500 files",
	"a bomb.docx": "unpacks to more", "a bomb.xlsx": "unpacks to more", "far cells.xlsx": "2 million cells",
	"pages in a ring.pdf": "not read again by itself", "parents in a ring.pdf": "not read again by itself", "links without end.md": "not read again by itself",
	"packed operators.pdf": "unpacks to more", "elements in elements.html": "nested too deep",
}

// Each file costs itself only: it is read or refused in time, in few words.
func TestFiles(t *testing.T) {
	const tj = "BT /F 12 Tf (hello there, the boat is late) Tj ET"
	font := "<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>"
	read := map[string]bool{}
	deepXML := string(times("<w:p>", 200_000))
	for name, content := range map[string][]byte{
		// PDF: rings, references to themselves, and what unpacks to much.
		"object that is itself.pdf":      pdf("1 0 R"),
		"two that are each other.pdf":    pdf("2 0 R", "1 0 R"),
		"pages in a ring.pdf":            pdf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count 5/Kids[2 0 R]>>"),
		"pages in a long ring.pdf":       pdf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count 5/Kids[3 0 R]>>", "<</Type/Pages/Count 5/Kids[2 0 R]>>"),
		"parents in a ring.pdf":          pdf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count 1/Kids[3 0 R]/Parent 3 0 R>>", "<</Type/Page/Parent 2 0 R/Contents 4 0 R>>", stream("", []byte(tj))),
		"length that is itself.pdf":      pdf("<</Type/Catalog/Pages 2 0 R>>", "<</Length 2 0 R>>\nstream\nx\nendstream"),
		"tables in a ring.pdf":           []byte("%PDF-1.4\nxref\n0 1\n0000000000 65535 f \ntrailer <</Size 1/Root 1 0 R/Prev 9>>\nstartxref\n9\n%%EOF\n"),
		"count of a billion.pdf":         pdf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count 1000000000/Kids[3 0 R]>>", page, stream("", []byte(tj)), font),
		"count below nothing.pdf":        pdf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count -7/Kids[3 0 R]>>", page, stream("", []byte(tj)), font),
		"size of a billion.pdf":          []byte("%PDF-1.4\nxref\n0 1000000000\n0000000000 65535 f \ntrailer <</Size 1000000000/Root 1 0 R>>\nstartxref\n9\n%%EOF\n"),
		"lists in lists.pdf":             pdf("<</Type/Catalog/Pages " + string(times("[", 2_000_000)) + ">>"),
		"dictionaries in them.pdf":       pdf("<</Type/Catalog/Pages " + string(times("<</A ", 500_000)) + ">>"),
		"packed operators.pdf":           paged(stream("/Filter/FlateDecode", deflated(times("1 ", 16<<20))), font),
		"packed twice.pdf":               paged(stream("/Filter[/FlateDecode/FlateDecode]", deflated(deflated(times(" ", 64<<20)))), font),
		"a predictor of millions.pdf":    paged(stream("/Filter/FlateDecode/DecodeParms<</Predictor 12/Columns 2000000000>>", deflated(times("1 ", 1000))), font),
		"a filter that is none.pdf":      paged(stream("/Filter/NoSuch", []byte(tj)), font),
		"saves without end.pdf":          paged(stream("", times("q ", 1_000_000)), font),
		"a font that is itself.pdf":      paged(stream("", []byte(tj)), "<</Type/Font/Subtype/Type0/BaseFont/X/DescendantFonts[5 0 R]/ToUnicode 5 0 R>>"),
		"a font of many widths.pdf":      paged(stream("", []byte(tj)), "<</Type/Font/Subtype/Type0/BaseFont/X/DescendantFonts[<</W[0 2000000000 500]>>]>>"),
		"letters from below nothing.pdf": paged(stream("", []byte(tj)), "<</Type/Font/Subtype/Type1/FirstChar -2000000000/LastChar 2000000000/Widths[1]>>"),
		"cut off.pdf":                    world.PDF([]string{"The boat is late."})[:300],
		"only a head.pdf":                []byte("%PDF-1.7"),
		"not one at all.pdf":             times("boat ", 10_000),
		"a long name.pdf":                pdf("<</" + string(times("A", 1_000_000)) + " 1>>"),
		"a long number.pdf":              pdf("<</Type/Catalog/Pages " + string(times("9", 1_000_000)) + " 0 R>>"),
		"a text without end.pdf":         pdf("<</A (" + string(times("(", 1_000_000)) + ">>"),

		// Workbooks.
		"far cells.xlsx":             workbook(cells(200, func(i int) string { return fmt.Sprint("XFD", i) })),
		"the last row.xlsx":          workbook(cells(1, func(int) string { return "A1048576" })),
		"a row too far.xlsx":         workbook(cells(1, func(int) string { return "A2000000000" })),
		"a column too far.xlsx":      workbook(cells(1, func(int) string { return "ZZZZZZZZ1" })),
		"a cell nowhere.xlsx":        workbook(cells(3, func(int) string { return "" })),
		"many small rows.xlsx":       workbook(cells(60_000, func(i int) string { return fmt.Sprint("A", i) })),
		"entities.xlsx":              packed("xl/workbook.xml", `<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;&a;">]><x>&b;</x>`),
		"nothing in it.xlsx":         packed(),
		"a bomb.xlsx":                workbook("", "xl/sharedStrings.xml", "<sst>"+string(times("<si><t>a</t></si>", 5_000_000))+"</sst>"),
		"not one at all.xlsx":        times("boat,", 10_000),
		"strings that are none.xlsx": workbook(`<row r="1"><c r="A1" t="s"><v>99999999999</v></c></row>`),

		// Word documents.
		"paragraphs in paragraphs.docx": document(deepXML),
		"tables in tables.docx":         document(string(times("<w:tbl><w:tr><w:tc>", 50_000))),
		"entities.docx":                 packed("word/document.xml", `<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/passwd">]><x><p><t>&a;</t></p></x>`),
		"a bomb.docx":                   document("<w:p><w:r><w:t>" + string(times(" ", 70<<20)) + "</w:t></w:r></w:p>"),
		"no text.docx":                  packed("word/other.xml", "x"),
		"torn.docx":                     packed("word/document.xml", "<w:p><w:t>a"),

		// ZIPs.
		"one file a thousand times.zip": overlapping(1_000),
		"one file some times.zip":       overlapping(30),
		"texts that unpack.zip":         packed("a.txt", string(times(" ", 33<<20)), "b.txt", string(times(" ", 33<<20)), "c.txt", "The boat is late."),
		"documents that unpack.zip":     packed("a.docx", string(document(string(times(" ", 30<<20)))), "b.docx", string(document(string(times(" ", 30<<20)))), "c.docx", string(document(string(times(" ", 30<<20))))),
		"a bomb.zip":                    packed("a.txt", string(times(" ", 65<<20))),
		"a ZIP in a ZIP.zip":            packed("b.zip", string(packed("c.zip", string(packed("a.txt", "Boats."))))),
		"many files.zip": packed(func() (files []string) {
			for i := range 2_500 {
				files = append(files, fmt.Sprint(i, ".txt"), "A boat.")
			}
			return files
		}()...),
		"sizes that lie.zip":   patched(packed("a.txt", "The boat is late."), "PK\x01\x02", 24, 0xff, 0xff, 0xff, 0x7f),
		"places that lie.zip":  patched(packed("a.txt", "The boat is late."), "PK\x01\x02", 42, 0xff, 0xff, 0xff, 0x7f),
		"encrypted.zip":        patched(patched(packed("a.txt", "The boat is late."), "PK\x03\x04", 6, 1), "PK\x01\x02", 8, 1),
		"cut off.zip":          packed("a.txt", "The boat is late.")[:40],
		"paths that climb.zip": packed("../../../../etc/cron.d/x", "boats", "/etc/passwd.txt", "Boats are late.", `..\..\x.txt`, "Boats are late."),

		// Tables and lines.
		"one long heading.csv":     append(times("a", 8<<20), ",b\n1,2\n"...),
		"many columns.csv":         append(times("a,", 1<<20), "question,answer\n"...),
		"a quote without end.csv":  append([]byte("question,answer\n\""), times("x\n", 1<<20)...),
		"questions of nothing.csv": append([]byte("question,answer\n"), times(",\n", 1<<18)...),
		"one long question.csv":    append(append([]byte("question,answer\n"), times("w ", 1<<19)...), ",a\n"...),
		"objects in objects.jsonl": times(`{"a":`, 1<<18),
		"a line of numbers.jsonl":  []byte(`{"question":1e999,"answer":[]}`),
		"not JSON.jsonl":           times("{]", 1000),

		// Text, Markdown and pages.
		"links without end.md":             times("[a](", 100_000),
		"brackets.md":                      times("[", 200_000),
		"quotes in quotes.md":              append(times(">", 100_000), 'a'),
		"lists in lists.md":                times("- ", 100_000),
		"ticks.md":                         times("`a``b```c", 100_000),
		"stars.md":                         times("*a **b ", 100_000),
		"elements in elements.html":        times("<div>", 200_000),
		"tables in tables.html":            times("<table><tr><td>", 100_000),
		"forms of navigation.html":         times("<div class=nav><a href=x>b</a>", 100_000),
		"attributes.html":                  append(append([]byte("<p "), times("a=b ", 500_000)...), ">boats</p>"...),
		"styles.html":                      append(append([]byte("<style>"), times(".a{display:none}", 100_000)...), "</style><p class=a>boats</p><p>late</p>"...),
		"rules without end.html":           append(append([]byte("<style>"), times("@media{", 100_000)...), "</style><p>late</p>"...),
		"entities.html":                    append(append([]byte("<p>"), times("&amp;&#0;&#xfffffff;", 100_000)...), "</p>"...),
		"headings.html":                    times("<h1>a<h2>b", 100_000),
		"bytes of nothing.txt":             times("\x00", 1<<20),
		"one long word.txt":                times("w", 8<<20),
		"short lines.txt":                  times("A\n\n", 500_000),
		"dots.txt":                         times("Contents ........ 1\n", 200_000),
		"not utf-8.txt":                    times("\xff\xfe\xfd boat. ", 100_000),
		"cues.srt":                         times("1\n00:00:00,000 --> 99:99:99,999\n<b>{\\\n", 100_000),
		"an ending of no kind.exe":         []byte("MZ"),
		"no ending":                        []byte("boats"),
		strings.Repeat("a", 5_000) + ".md": []byte("# Boats\n\nLate."),
		"../../key.md":                     []byte("# Boats\n\nLate."),
		"\x1b[2J.md":                       []byte("# Boats\n\nLate."),
		".md":                              []byte("# Boats\n\nLate."),
	} {
		t.Run(fmt.Sprintf("%.60q", name), func(t *testing.T) {
			begun := time.Now()
			a := under.uploads(t, name, content)
			a.honest(t)
			var source client.Source
			if a.StatusCode == http.StatusCreated {
				if err := json.Unmarshal([]byte(a.body), &source); err != nil {
					t.Error(err)
				}
				read[source.ID] = true
			}
			if took := time.Since(begun); took > patience-5*time.Second {
				t.Errorf("it took %s", took)
			}
			// On a busy machine, or under the race detector, its time or memory may be up first.
			if says := refusals[name]; says != "" && !strings.Contains(a.body, says) && !strings.Contains(a.body, "took longer") && !strings.Contains(a.body, "took more memory") {
				t.Errorf("answered %d %.300s, want words of %q", a.StatusCode, a.body, says)
			}
			if a.StatusCode != http.StatusCreated && a.StatusCode != http.StatusUnprocessableEntity && a.StatusCode != http.StatusRequestEntityTooLarge {
				t.Errorf("answered %d: %.300s", a.StatusCode, a.body)
			}
		})
	}
	for id := range read { // so that what is read here answers nobody
		if a := under.asks(t, http.MethodDelete, "/api/v1/sources/"+id, nil); a.StatusCode != http.StatusNoContent {
			t.Errorf("a source was not removed: %d %s", a.StatusCode, a.body)
		}
	}
	under.stands(t)
}

// A file that takes much memory is ended before the machine has none.
func TestMemory(t *testing.T) {
	if os.Getenv("HOSTILE") != "" {
		t.Skip("the limits are those of a service: it may be read")
	}
	a := under.uploads(t, "many elements.html", times("<p><b>a</b></p>", 1_500_000))
	a.honest(t)
	if !strings.Contains(a.body, "took more memory") && !strings.Contains(a.body, "took longer") {
		t.Errorf("answered %d %.300s", a.StatusCode, a.body)
	}
	under.stands(t)
}
