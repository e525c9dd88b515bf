package api

import (
	"encoding/json"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"urgentparrot.example/client"
)

const parcelFlow = `flow: parcel
when:
  - webhook:
      body: { type: object, required: [number], properties: { number: { type: string } } }
      contact: { email: body.customer.mail }
  - by hand
steps:
  - wait: 1h
  - say: "Your parcel has come."
`

const lostForm = `form: lost
fields:
  - { field: what, label: What is it?, required: true }
  - { field: mail, label: E-mail, as: email, required: true, save: email }
  - { field: days, as: integer }
`

// put keeps a document over the API.
func (s *stage) put(kind, name, text string) {
	s.t.Helper()
	if a := s.call(http.MethodPut, "/api/v1/documents/"+kind+"/"+name, client.DocumentText{Text: text}); a.StatusCode != http.StatusOK {
		s.t.Fatalf("%s %s: %d %s", kind, name, a.StatusCode, a.body)
	}
}

// inJSON is a text as JSON.
func inJSON(s string) string {
	raw, _ := json.Marshal(s) // texts can always be encoded
	return string(raw)
}

// live puts a flow live.
func (s *stage) live(name, text string) {
	s.t.Helper()
	s.put("flows", name, text)
	if a := s.call(http.MethodPost, "/api/v1/flows/"+name+"/live", "{}"); a.StatusCode != http.StatusOK {
		s.t.Fatalf("%s: %d %s", name, a.StatusCode, a.body)
	}
}

// runs waits for so many runs of a flow.
func (s *stage) runs(name string, n int) []client.Run {
	s.t.Helper()
	var page client.RunPage
	s.until("there are runs of "+name, func() bool {
		s.get("/runs?flow="+name, &page)
		return len(page.Items) == n
	})
	return page.Items
}

// hooked has a flow started by a post, and a form sent; it returns the run.
func (s *stage) hooked() (run string) {
	s.t.Helper()
	s.put("forms", "lost", lostForm)
	s.live("parcel", parcelFlow)
	var flow client.FlowDetail
	s.get("/flows/parcel", &flow)
	if a := s.call(http.MethodPost, flow.Address, `{"number": "7", "customer": {"mail": "ada@example.org"}}`); a.StatusCode != http.StatusAccepted {
		s.t.Fatalf("posted: %d %s", a.StatusCode, a.body)
	}
	if a := s.call(http.MethodPost, "/form/"+s.workspace.Name+"/lost", `{"what": "a hat", "mail": "ada@example.org"}`); a.StatusCode != http.StatusAccepted {
		s.t.Fatalf("sent: %d %s", a.StatusCode, a.body)
	}
	return s.runs("parcel", 1)[0].ID
}

// A posted body starts a flow once it fits; what does not fit is kept, named by its field,
// and can be played again.
func TestPostedBodiesFitOrAreNamed(t *testing.T) {
	s := openStage(t)
	s.live("parcel", parcelFlow)
	var flow client.FlowDetail
	s.get("/flows/parcel", &flow)
	for what, c := range map[string]struct {
		path, body string
		status     int
		says       string
	}{
		"another token":  {flow.Address + "x", `{}`, 404, "nothing at this address"},
		"no token":       {"/hook/main/parcel", `{}`, 404, "nothing at this address"},
		"another flow":   {"/hook/main/nothing/x", `{}`, 404, ""},
		"no JSON":        {flow.Address, `{`, 400, "no JSON"},
		"a field lacks":  {flow.Address, `{"size": 3}`, 400, `"field":"number"`},
		"another type":   {flow.Address, `{"number": 3}`, 400, `"field":"number"`},
		"a huge body":    {flow.Address, `{"number": "` + strings.Repeat("x", 600<<10) + `"}`, 413, "larger"},
		"what fits":      {flow.Address, `{"number": "3"}`, 202, ""},
		"with a contact": {flow.Address, `{"number": "4", "customer": {"mail": "bo@example.org"}}`, 202, ""},
	} {
		if a := s.call(http.MethodPost, strings.Replace(c.path, "/main/", "/"+s.workspace.Name+"/", 1), c.body, "Authorization", ""); a.StatusCode != c.status || !strings.Contains(a.body, c.says) {
			t.Errorf("%s: %d %s", what, a.StatusCode, a.body)
		}
	}
	s.runs("parcel", 2)
	var posted client.PostedPage
	s.get("/flows/parcel/posted", &posted)
	unfit := ""
	for _, p := range posted.Items {
		if strings.Contains(p.Error, "want string") {
			unfit = p.ID
		}
	}
	if len(posted.Items) != 5 || unfit == "" {
		t.Fatalf("kept are %+v", posted.Items)
	}
	s.live("parcel", strings.Replace(parcelFlow, "type: string", "type: number", 1))
	if a := s.call(http.MethodPost, "/api/v1/posted/"+unfit+"/again", "{}"); a.StatusCode != http.StatusNoContent {
		t.Errorf("played again: %d %s", a.StatusCode, a.body)
	}
	run := s.runs("parcel", 3)[0]
	s.until("it waits", func() bool {
		s.get("/runs/"+run.ID, &client.RunDetail{})
		return s.runs("parcel", 3)[0].Status == "waiting"
	})
	for _, c := range []struct {
		what   string
		status int
	}{{"retry", 409}, {"dance", 404}, {"stop", 200}, {"stop", 409}} {
		if a := s.call(http.MethodPost, "/api/v1/runs/"+run.ID+"/"+c.what, "{}"); a.StatusCode != c.status {
			t.Errorf("%s: %d %s", c.what, a.StatusCode, a.body)
		}
	}
}

// A draft is tried on what was posted, sent, said or what started a run, and one step of it by
// itself; what cannot be tried so is said.
func TestFlowsAreTried(t *testing.T) {
	s := openStage(t)
	run := s.hooked()
	before := len(s.runs("parcel", 1))
	heavy := strings.Replace(parcelFlow, "steps:", "steps:\n  - branch:\n      - if: \"run.id == 'heavy'\"\n        steps: [ { note: Heavy } ]\n      - else: [ { note: Light } ]", 1)
	for what, c := range map[string]struct {
		name, trial string
		status      int
		says        []string
	}{
		"what was posted last":     {"parcel", `{"posted": "latest"}`, 200, []string{`"fires":true`, "waits for its time"}},
		"what started a run":       {"parcel", `{"run": "` + run + `"}`, 200, []string{`"fires":true`}},
		"the last run":             {"parcel", `{"run": "latest"}`, 200, []string{`"fires":true`}},
		"a body":                   {"parcel", `{"body": {"number": "9"}, "pass": "3d"}`, 200, []string{`"fires":true`}},
		"a message":                {"parcel", `{"message": "hello"}`, 200, []string{`"triggers":[]`, "none of its triggers is for that; it starts when"}},
		"a step":                   {"parcel", `{"step": "1", "pass": "2h"}`, 200, []string{`"triggers":[]`, "step 1 is taken"}},
		"up to a step":             {"parcel", `{"posted": "latest", "before": "1"}`, 200, []string{"it stands before step 1", `"steps":[]`}},
		"a draft that is new":      {"parcel-2", `{"body": {"number": "9"}, "text": ` + inJSON(strings.Replace(parcelFlow, "flow: parcel", "flow: parcel-2", 1)) + `}`, 200, []string{`"fires":true`}},
		"with another draft":       {"parcel", `{"posted": "latest", "text": ` + inJSON(heavy) + `}`, 200, []string{"not so that", "note Light"}},
		"a draft with an error":    {"parcel", `{"posted": "latest", "text": "flow: parcel\nsteps: []\n"}`, 422, []string{"problems"}},
		"a body that does not fit": {"parcel", `{"body": {"size": 3}}`, 422, []string{"body.number", "it is missing"}},
		"no such flow":             {"nobody", `{"message": "x"}`, 422, []string{"no flow called"}},
		"no such step":             {"parcel", `{"step": "99"}`, 422, []string{"no step", "99"}},
		"no such body":             {"parcel", `{"posted": "x"}`, 422, []string{"no posted body"}},
		"no such run":              {"parcel", `{"run": "x"}`, 422, []string{"no run"}},
		"no such talk":             {"parcel", `{"conversation": "x"}`, 422, []string{"no conversation"}},
		"no such contact":          {"parcel", `{"posted": "latest", "contact": "x"}`, 422, []string{"no contact"}},
		"no form of its own":       {"parcel", `{"entry": "latest"}`, 422, []string{"no form"}},
		"a time that is none":      {"parcel", `{"posted": "latest", "pass": "soon"}`, 422, []string{"soon", "30m"}},
	} {
		a := s.call(http.MethodPost, "/api/v1/flows/"+c.name+"/trial", c.trial)
		if a.StatusCode != c.status {
			t.Errorf("%s: %d %s", what, a.StatusCode, a.body)
		}
		for _, words := range c.says {
			if !strings.Contains(a.body, words) {
				t.Errorf("%s: %s, without %q", what, a.body, words)
			}
		}
	}
	if after := len(s.runs("parcel", 1)); after != before {
		t.Errorf("trying started %d runs", after-before)
	}
	if a := s.call(http.MethodPost, "/api/v1/flows/parcel/start", `{"rows": [{"number": "1"}, {"contact": "nobody"}]}`); a.StatusCode != 404 || !strings.Contains(a.body, "row 2") {
		t.Errorf("a start for nobody: %d %s", a.StatusCode, a.body)
	}
	var ends client.RunPage
	if s.get("/runs?ends="+run[len(run)-12:], &ends); len(ends.Items) != 1 || ends.Items[0].ID != run {
		t.Errorf("of the run that ends so there are %+v", ends.Items)
	}
}

// A form takes what people type, names what is missing, doubled or not its own, and takes no
// notice of programs.
func TestFormsTakeWhatPeopleType(t *testing.T) {
	s := openStage(t)
	s.put("forms", "lost", lostForm)
	at := "/form/" + s.workspace.Name + "/lost"
	entries := func() []client.FormEntry {
		var page client.FormEntryPage
		s.get("/forms/lost/entries", &page)
		return page.Items
	}
	page := s.call(http.MethodGet, at, nil, "Authorization", "")
	if page.StatusCode != 200 || !strings.Contains(page.body, "What is it?") || !strings.Contains(page.Header.Get("Content-Security-Policy"), "frame-ancestors") {
		t.Fatalf("the page: %d %s", page.StatusCode, page.body)
	}
	const urlencoded = "application/x-www-form-urlencoded"
	for what, c := range map[string]struct {
		kind, body string
		status     int
		says       string
	}{
		"missing":     {urlencoded, "mail=ada@example.org", 422, "What is it? is needed"},
		"extra":       {urlencoded, "what=hat&mail=ada@example.org&colour=red", 422, "colour"},
		"doubled":     {urlencoded, "what=hat&what=cap&mail=ada@example.org", 422, "2 times"},
		"huge":        {urlencoded, "what=" + strings.Repeat("x", 10<<20), 413, "larger"},
		"long":        {urlencoded, "mail=ada@example.org&what=" + strings.Repeat("x", 6000), 422, "5000"},
		"nested":      {"application/json", `{"what": {"a": 1}}`, 422, "must be a text"},
		"not JSON":    {"application/json", `[1]`, 422, "JSON object"},
		"another way": {"multipart/form-data", "x", 422, "urlencoded"},
		"a program":   {urlencoded, "what=hat&mail=ada@example.org&_url=http://spam.example", 202, "Thank you"},
		"too fast":    {urlencoded, "what=hat&mail=ada@example.org&_page=" + url.QueryEscape("1.x"), 200, "Thank you"},
	} {
		if a := s.call(http.MethodPost, at, c.body, "Content-Type", c.kind, "Authorization", ""); a.StatusCode != c.status || !strings.Contains(a.body, c.says) {
			t.Errorf("%s: %d %.300s", what, a.StatusCode, a.body)
		}
	}
	if list := entries(); len(list) != 0 {
		t.Errorf("kept are %+v", list)
	}
	a := s.call(http.MethodPost, at, "what=a+red+hat&mail="+url.QueryEscape("my mail is ada at example.org")+"&days=a+few", "Content-Type", urlencoded, "Authorization", "")
	list := entries()
	if a.StatusCode != 202 || len(list) != 1 || list[0].Cleaned["mail"] != "ada@example.org" || len(list[0].Doubtful) != 1 || list[0].Cleaned["days"] != "a few" {
		t.Errorf("%d %s: %+v", a.StatusCode, a.body, list)
	}
	var who client.Contact
	s.get("/contacts/"+list[0].Contact, &who)
	if len(who.Facts) != 1 || who.Facts[0].Value != "ada@example.org" || who.Facts[0].Verified {
		t.Errorf("the contact is %+v", who)
	}
}

// The console's calls around flows: what a text means, versions, starting by hand, and the
// switch that pauses everything.
func TestFlowsAreWorkedOnOverTheAPI(t *testing.T) {
	s := openStage(t)
	s.rings("+447700900150", "1", "What does a bicycle cost?")
	var contacts client.ContactPage
	s.get("/contacts", &contacts)
	s.put("flows", "hello", "flow: hello\nwhen: by hand\nsteps:\n  - say: \"{{ nobody }}\"\n")
	a := s.call(http.MethodPost, "/api/v1/flows/hello/live", "{}")
	if p := a.problem(t); a.StatusCode != 422 || !strings.Contains(p.Detail, "4:14") && !strings.Contains(a.body, `"line":4`) {
		t.Errorf("with an error it goes live: %d %s", a.StatusCode, a.body)
	}
	a = s.call(http.MethodPost, "/api/v1/flows/hello/start", "{}")
	if a.StatusCode != 422 || !strings.Contains(a.body, "not live") {
		t.Errorf("a draft starts: %d %s", a.StatusCode, a.body)
	}
	s.live("hello", "flow: hello\nwhen: by hand\nsteps:\n  - say: \"Hello {{ event.item.orValue('you') }}\"\n  - count: hello\n")
	if a := s.call(http.MethodPut, "/api/v1/pause", client.Pause{Paused: true}); a.StatusCode != 200 || !strings.Contains(a.body, "Robin") {
		t.Errorf("pause: %d %s", a.StatusCode, a.body)
	}
	a = s.call(http.MethodPost, "/api/v1/flows/hello/start", client.StartFlow{Contacts: []string{contacts.Items[0].ID}})
	if a.StatusCode != 200 || !strings.Contains(a.body, `"asked":1`) {
		t.Errorf("started: %d %s", a.StatusCode, a.body)
	}
	s.call(http.MethodPut, "/api/v1/pause", client.Pause{})
	s.until("it is done", func() bool { return s.runs("hello", 1)[0].Status == "done" })
	var run client.RunDetail
	s.get("/runs/"+s.runs("hello", 1)[0].ID, &run)
	if run.Who == "" || len(run.Path) != 2 || run.Conversation == "" {
		t.Errorf("the run is %+v", run)
	}
	var said client.Explained
	got := s.call(http.MethodPost, "/api/v1/flows/hello/explain", client.DocumentText{Text: "flow: hello\nwhen: by hand\nsteps:\n  - wait: 3d\n"})
	if !strings.Contains(got.body, "Wait 3 days.") {
		t.Errorf("it reads %s %+v", got.body, said)
	}
	var versions client.VersionPage
	s.get("/documents/flows/hello/versions", &versions)
	if len(versions.Items) != 2 || versions.Items[0].Author != "Robin" {
		t.Errorf("the versions are %+v", versions.Items)
	}
	rehearsed := s.call(http.MethodPost, "/api/v1/rehearse", client.Rehearse{Scripts: []client.DocumentFile{{File: "a.yaml", Text: "rehearsal: A start\nchannel: bell\nscript:\n  - customer: hello\n  - start: { flow: hello }\n  - bot: { says: Hello you }\n  - bot: { says: goodbye }\n"}}})
	if rehearsed.StatusCode != 200 || !strings.Contains(rehearsed.body, `"passed":false`) || !strings.Contains(rehearsed.body, `"line":7`) {
		t.Errorf("rehearsed: %d %s", rehearsed.StatusCode, rehearsed.body)
	}
}
