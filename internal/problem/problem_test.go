package problem

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"testing"
)

// Each kind of problem has a status and a title, is not kept by anybody on the way, and says what
// it was told; what is none of the kinds is a failure of the service, whose field is nobody's.
func TestProblemsAreSaidAsTheStandardHasIt(t *testing.T) {
	for kind, status := range statuses {
		w := httptest.NewRecorder()
		Write(w, New(kind, "the name is taken", "name"))
		var said Details
		if err := json.Unmarshal(w.Body.Bytes(), &said); err != nil {
			t.Fatal(err)
		}
		if w.Code != status || said != (Details{kind, titles[kind], status, "the name is taken", "name"}) || said.Title == "" {
			t.Errorf("%s: %d, %+v", kind, w.Code, said)
		}
		if w.Header().Get("Content-Type") != "application/problem+json" || w.Header().Get("Cache-Control") != "no-store" {
			t.Errorf("%s is sent with %v", kind, w.Header())
		}
	}
	if len(titles) != len(statuses) {
		t.Errorf("%d titles of %d kinds", len(titles), len(statuses))
	}
	d := New("/problems/of-ours", "", "name")
	if d.Status != http.StatusInternalServerError || d.Field != "" || d.Error() != d.Title {
		t.Errorf("a kind that is none: %+v", d)
	}
	if d := New(NotFound, "there is no bot called pip", ""); d.Error() != "there is no bot called pip" {
		t.Errorf("it says %q", d.Error())
	}
}
