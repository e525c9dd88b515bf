package reading

import (
	"strings"
	"testing"
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

func TestUnreadableFilesSayWhy(t *testing.T) {
	for _, c := range []struct{ name, content, says string }{
		{"picture.png", "x", "cannot be read"},
		{"empty.md", " \n", "empty"},
		{"zero.txt", "a\x00b", "not text"},
		{"prices.csv", "name,price\na,1\n", "question"},
		{"torn.csv", "question,answer\n\"never closed,a\n", "cannot be read"},
		{"scripts.html", "<script>alert(1)</script>", "no text"},
		{"huge.txt", strings.Repeat("word ", Limit/5+1), "MB"},
	} {
		if _, err := Read(c.name, []byte(c.content)); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: got error %v, want one that speaks of %q", c.name, err, c.says)
		}
	}
}
