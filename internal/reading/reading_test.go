package reading

import (
	"strings"
	"testing"

	"urgentparrot.example/internal/core/knowledge"
)

func TestFilesBecomePassages(t *testing.T) {
	for _, c := range []struct {
		name, content string
		trail, holds  string // of the last passage
	}{
		{"a.md", "# Fares\n\nSame all year.\n\n## Paying\n\nBy card:\n\n- at the pier\n- on board\n", "Fares > Paying", "By card:\n- at the pier\n- on board"},
		{"b.md", "# Fares\n\n| | Little Sorrel |\n|---|---|\n| Adult | £6 |\n| Child | £3 |\n", "Fares", "Adult: Little Sorrel £6.\nChild: Little Sorrel £3."},
		{"c.html", "<nav>Home</nav><main><h1>Storms</h1><p>No boats <b>above</b> force 8.</p><script>alert(1)</script></main><footer>Old Pier</footer>", "Storms", "No boats above force 8."},
		{"d.html", "<div><h2>Broken<p>tags <i>everywhere<td>ok", "Broken", "tags everywhere"},
		{"e.txt", "Lost things\n\nKept for\n90 days.\n", "Lost things", "Kept for 90 days."},
		{"f.csv", "\ufeffid,Question,Answer\r\n1,Is there food?,\"Yes, soup.\"\r\n", "", "Yes, soup."},
	} {
		d, err := Read(c.name, []byte(c.content))
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		passages := d.Passages()
		last := passages[len(passages)-1]
		if got := strings.Join(last.Trail, " > "); got != c.trail || !strings.Contains(last.Text, c.holds) {
			t.Errorf("%s: got %q under %q, want %q under %q", c.name, last.Text, got, c.holds, c.trail)
		}
		for _, unwanted := range []string{"alert", "Home", "Old Pier"} {
			if strings.Contains(last.Text, unwanted) {
				t.Errorf("%s: %q is no content, but is in %q", c.name, unwanted, last.Text)
			}
		}
	}
}

// A plain text is read by how it is set, with its table of contents left out.
func TestPlainTextHasHeadings(t *testing.T) {
	for name, c := range map[string]struct{ content, want string }{
		"numbered": {`The pier handbook

Table of Contents
1. Boats
2. Fares

1. Boats

   1.1. When do boats
   leave?

   At noon.

   1.2. Where?

   From the pier.

2. Fares

   Six pounds:

     * adults
     * dogs, which
       need a lead
`, `The pier handbook > 1. Boats > 1.1. When do boats leave?|At noon.
The pier handbook > 1. Boats > 1.2. Where?|From the pier.
The pier handbook > 2. Fares|Six pounds:\n- adults\n- dogs, which need a lead`},
		"underlined": {"Boats\n=====\n\nThey are white.\n\nFares\n-----\nSix pounds.\nFor all.\n____________________________________\n\nPAYING\n\nBy card.", `Boats|They are white.
Boats > Fares|Six pounds. For all.
Boats > PAYING|By card.`},
		"asked": {"Q: Is there soup?\nA: Yes.\n\nQ2. Is there\ntea?\n\nA2. No.\nNever.", `Is there soup?|Yes.
Is there tea?|No. Never.`},
		"close": {"2.1. Is there soup?\nYes.\n\n********\n\nTo bring:\n\n1. A coat\n2. A hat\n\nRefunds\n\nWithin 14 days.", `2.1. Is there soup?|Yes.

To bring:
- 1. A coat
- 2. A hat
2.1. Is there soup? > Refunds|Within 14 days.`},
		"sections within": {"2. STAYING\n\n2.1 How to book\nWrite to us. We reply within a day.\n\n2.2 Dogs\nOne dog may stay.\nIt must be small.\n\n3. EATING\n\nThere is one table.\n\n8.30 Breakfast\nIn the hall", `2. STAYING > 2.1 How to book|Write to us. We reply within a day.
2. STAYING > 2.2 Dogs|One dog may stay. It must be small.
3. EATING|There is one table.
- 8.30 Breakfast In the hall`},
		"plain": {"We sail at noon.\n\nBring a coat, for it is cold.", "|We sail at noon.\n\nBring a coat, for it is cold."},
	} {
		d, err := Read(name+".txt", []byte(c.content))
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if got := said(d); got != strings.ReplaceAll(c.want, "\\n", "\n") {
			t.Errorf("%s:\n%s\nwant\n%s", name, got, c.want)
		}
	}
}

func said(d knowledge.Document) string {
	var list []string
	for _, p := range d.Passages() {
		list = append(list, strings.Join(p.Trail, " > ")+p.Question+"|"+p.Text)
	}
	return strings.Join(list, "\n")
}

// Manuals have what only leads from page to page; none of it is an answer.
func TestWhatOnlyLeadsOnIsLeftOut(t *testing.T) {
	const page = `<html><head><title>Pier handbook</title></head><body>
<table><tr><td><a href="a.html">Prev</a></td><th>Chapter 2. Boats</th><td><a href="c.html"><img src="next.png" alt="Next"></a></td></tr></table>
<div class="breadcrumbs"><a href="/">Start</a> &gt; <a href="/pier">Pier</a></div>
<h1>Chapter 2. Boats</h1>
<div class="contents"><p><b>Table of Contents</b></p><dl><dt>2.1. <a href="#a">When do boats leave?</a></dt><dt>2.2. <a href="#b">Who steers them?</a></dt><dt>2.3. <a href="#c">Where are they kept?</a></dt><dt>2.4. <a href="#d">Are they safe?</a></dt></dl></div>
<h2 id="a">2.1. When do boats leave?</h2><p>At <a href="times.html">noon</a>.</p>
<h2 id="b">2.2. Who steers them?</h2><dl><dt>Summer</dt><dd><p>The captain.</p></dd><dt>Winter</dt><dd>Nobody.</dd></dl>
<h2 id="c">2.3. Where are they kept?</h2><p><b>In summer</b></p><p>At the pier.</p>
<h2 id="d">2.4. Are they safe?</h2><dl><dt>Do they float?</dt><dd>Yes.</dd></dl><p>See also <a href="x.html">the rules</a>.</p>
<div class="with-toc nav"><p>Boats do not sail in a storm, whoever asks and however often, and nobody is taken along in secret.</p></div><p class="related">No links here.</p>
<p>2.1. When do boats leave?</p><p>2.2. Who steers them?</p><p>2.4. Are they safe?</p>
</body></html>`
	d, err := Read("boats.html", []byte(page))
	if err != nil {
		t.Fatal(err)
	}
	const want = `Chapter 2. Boats > 2.1. When do boats leave?|At noon.
Chapter 2. Boats > 2.2. Who steers them?|Summer: The captain.
Winter: Nobody.
Chapter 2. Boats > 2.3. Where are they kept? > In summer|At the pier.
Chapter 2. Boats > 2.4. Are they safe? > Do they float?|Yes.
Chapter 2. Boats > 2.4. Are they safe?|See also the rules.

Boats do not sail in a storm, whoever asks and however often, and nobody is taken along in secret.

No links here.`
	if got := said(d); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
}

func TestUnreadableFilesSayWhy(t *testing.T) {
	for _, c := range []struct{ name, content, says string }{
		{"picture.png", "x", "cannot be read"},
		{"empty.md", " \n", "empty"},
		{"zero.txt", "a\x00b", "not text"},
		{"torn.csv", "question,answer\n\"never closed,a\n", "cannot be read"},
		{"scripts.html", "<script>alert(1)</script>", "no text"},
		{"huge.txt", strings.Repeat("word ", Limit/5+1), "MB"},
	} {
		if _, err := Read(c.name, []byte(c.content)); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: got error %v, want one that speaks of %q", c.name, err, c.says)
		}
	}
}
