package world

import (
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"
)

// monday is when the world's clock stands.
var monday = time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC)

func open(t *testing.T) (*World, string) {
	t.Helper()
	w, err := New(Options{Service: "http://127.0.0.1:1", Workspace: "main", Secret: "whsec_c2VjcmV0LW9mLXRoZS10ZXN0cw==", Now: func() time.Time { return monday }})
	if err != nil {
		t.Fatal(err)
	}
	server := httptest.NewServer(w)
	t.Cleanup(server.Close)
	return w, server.URL
}

// ask sends a request and returns what came back, as JSON where it is.
func ask(t *testing.T, method, address, body, key string) (status int, said map[string]any, raw string) {
	t.Helper()
	request, err := http.NewRequestWithContext(t.Context(), method, address, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	if key != "" {
		request.Header.Set("Idempotency-Key", key)
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	content, err := io.ReadAll(response.Body)
	if err != nil {
		t.Fatal(err)
	}
	_ = json.Unmarshal(content, &said) // a page is none
	return response.StatusCode, said, string(content)
}

// Each page of the outside world is there and whole, and links to none that is not.
func TestThePagesAreThere(t *testing.T) {
	_, at := open(t)
	pages := []string{"/", "/ferries", "/handset", "/mailroom", "/client-book", "/timetable", "/reading-desk", "/pager", "/ledger", "/harbour", "/consent-desk", "/website/", "/ledger/api/openapi.json"}
	for _, page := range pages {
		status, _, said := ask(t, http.MethodGet, at+page, "", "")
		if status != http.StatusOK || page != "/ledger/api/openapi.json" && !strings.HasSuffix(strings.TrimSpace(said), "</html>") && !strings.Contains(said, "</main>") || strings.Contains(said, "<no value>") {
			t.Errorf("%s: %d, which ends in %q", page, status, said[max(0, len(said)-60):])
		}
		for _, link := range strings.Split(said, `href="/`)[1:] {
			link, _, _ = strings.Cut(link, `"`)
			if strings.HasPrefix(link, "website/") {
				continue // some of whose pages are lost on purpose
			}
			if status, _, _ := ask(t, http.MethodGet, at+"/"+link, "", ""); status != http.StatusOK {
				t.Errorf("%s leads to /%s, which answers %d", page, link, status)
			}
		}
	}
}

// What is out of order answers with an error, and nothing else does; mended, it answers again.
func TestASystemIsPutOutOfOrder(t *testing.T) {
	w, at := open(t)
	asked := map[string]string{"timetable": "/timetable/api/departures?to=Little+Sorrel", "client-book": "/client-book/api/people", "ledger": "/ledger/api/tickets/BF-1042", "website": "/website/"}
	for name := range asked {
		for _, down := range []bool{true, false} {
			if status, _, _ := ask(t, http.MethodPost, at+"/trouble/"+name+"?down="+map[bool]string{true: "true", false: "false"}[down], "", ""); status != http.StatusOK {
				t.Fatalf("%s cannot be put out of order: %d", name, status)
			}
			for other, path := range asked {
				status, _, _ := ask(t, http.MethodGet, at+path, "", "")
				if (status == http.StatusServiceUnavailable) != (down && other == name) {
					t.Errorf("%s out of order (%v): %s answers %d", name, down, other, status)
				}
			}
		}
		if w.systems()[name].isDown() {
			t.Errorf("%s is still out of order", name)
		}
	}
	if status, _, _ := ask(t, http.MethodPost, at+"/trouble/submarine?down=true", "", ""); status != http.StatusNotFound {
		t.Errorf("what is not there is put out of order: %d", status)
	}
}

// The timetable says the next boats from a time on, there and back, first and last, and on the
// next day when the last has gone.
func TestTheTimetable(t *testing.T) {
	_, at := open(t)
	for query, want := range map[string]string{
		"to=Gannet Holm":                                          "16:20 today, 07:40 tomorrow",
		"to=Gannet Holm&after=16:21":                              "07:40 tomorrow, 12:00 tomorrow",
		"to=Little Sorrel&date=2026-11-27&which=first":            "06:50 on Friday 27 November",
		"to=Little Sorrel&which=last":                             "20:00 today",
		"from=Gannet Holm&to=Brackwater":                          "17:55 today, 09:15 tomorrow",
		"from=Hallow Point&to=Gannet Holm":                        "",
		"to=Brackwater":                                           "",
		"to=The Moon":                                             "",
		"to=Hallow Point&date=2026-11-24&after=09:46&which=first": "12:15 tomorrow",
	} {
		values, err := url.ParseQuery(query)
		if err != nil {
			t.Fatal(err)
		}
		status, said, _ := ask(t, http.MethodGet, at+"/timetable/api/departures?"+values.Encode(), "", "")
		var got []string
		list, _ := said["departures"].([]any)
		for _, d := range list {
			d := d.(map[string]any)
			got = append(got, d["leaves"].(string)+" "+d["day"].(string))
		}
		if status != http.StatusOK || strings.Join(got, ", ") != want {
			t.Errorf("%s: %d, %q, not %q", query, status, got, want)
		}
	}
	for _, query := range []string{"to=Hallow+Point&date=friday", "to=Hallow+Point&after=noon"} {
		if status, _, _ := ask(t, http.MethodGet, at+"/timetable/api/departures?"+query, "", ""); status != http.StatusBadRequest {
			t.Errorf("%s: %d", query, status)
		}
	}
}

// What is written under a key that was seen before changes nothing: neither the client book, nor
// the pager; and money is given back once.
func TestWhatComesTwiceHappensOnce(t *testing.T) {
	w, at := open(t)
	before := len(w.ClientBook.People())
	for range 2 {
		if status, said, _ := ask(t, http.MethodPost, at+"/client-book/api/people", `{"name": "Ada Winter", "email": "ada@example.org"}`, "one"); status >= 300 || said["name"] != "Ada Winter" {
			t.Errorf("Ada is written: %d, %v", status, said)
		}
		ask(t, http.MethodPost, at+"/pager/alerts", `{"to": "crew", "title": "Storm"}`, "two")
	}
	if n := len(w.ClientBook.People()) - before; n != 1 {
		t.Errorf("Ada stands %d times in the book", n)
	}
	if n := len(w.Pager.Alerts()); n != 1 {
		t.Errorf("the crew was paged %d times", n)
	}
	ask(t, http.MethodPost, at+"/pager/alerts", `{"to": "crew", "title": "Fog"}`, "three")
	if alerts := w.Pager.Alerts(); len(alerts) != 2 || alerts[0].Title != "Fog" {
		t.Errorf("another alert: %+v", alerts)
	}
	for i, want := range []bool{true, false} {
		if _, said, _ := ask(t, http.MethodPost, at+"/ledger/api/refunds", `{"ticket": "bf-1042", "reason": "storm"}`, ""); said["refunded"] != want {
			t.Errorf("asked %d times: %v", i+1, said)
		}
	}
	for _, bad := range []struct{ path, body string }{{"/pager/alerts", `{"to": "crew"}`}, {"/pager/alerts", `storm`}, {"/client-book/api/people", `[`}, {"/ledger/api/refunds", strings.Repeat("x", 70<<10)}} {
		if status, _, _ := ask(t, http.MethodPost, at+bad.path, bad.body, ""); status != http.StatusBadRequest {
			t.Errorf("%s with %.20q: %d", bad.path, bad.body, status)
		}
	}
	if status, said, _ := ask(t, http.MethodGet, at+"/client-book/api/people?email=ADA@example.org", "", ""); status != http.StatusOK || len(said["items"].([]any)) != 1 {
		t.Errorf("Ada is looked for: %d, %v", status, said)
	}
}
