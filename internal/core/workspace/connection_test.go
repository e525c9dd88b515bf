package workspace

import (
	"errors"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/document"
)

// wrongAt checks that what is wrong with a document stands at a place in it, and is said.
func wrongAt(t *testing.T, source string, err error, line int, says string) {
	t.Helper()
	var problems document.Problems
	if !errors.As(err, &problems) {
		t.Errorf("%q: %v, want what is wrong with it", source, err)
		return
	}
	for _, p := range problems {
		if p.Line == line && strings.Contains(p.Message, says) {
			return
		}
	}
	t.Errorf("%q: %v; want line %d to say %q", source, err, line, says)
}

// A connection of each kind is read with what is usual where nothing is said; a secret is meant for
// the host that it goes to, and for that alone.
func TestConnectionsOfEachKind(t *testing.T) {
	read := func(source string) Connection {
		conn, err := ParseConnection("c.yaml", []byte(source))
		if err != nil {
			t.Fatalf("%s: %v", source, err)
		}
		return conn
	}
	crm := read("connection: crm\nkind: http\naddress: https://CRM.example.org/api\nheader: X-Api-Key\n")
	if crm.Title != "crm" || crm.Origin() != "https://crm.example.org" || crm.Origin() != read("connection: other\nkind: http\naddress: https://crm.example.org/elsewhere\n").Origin() {
		t.Errorf("the CRM is called %q and its secret is meant for %q", crm.Title, crm.Origin())
	}
	if other := read("connection: crm\nkind: http\naddress: https://crm.example.org:8443/api\n"); other.Origin() == crm.Origin() {
		t.Error("another port is another system")
	}
	mailbox := read("connection: office\nkind: mailbox\naddress: imap.example.org:993\nsends: smtp.example.org:587\nfrom: office@example.org\n")
	if at, out := mailbox.SecurityAt(mailbox.Address), mailbox.SecurityAt(mailbox.Sends); at != TLS || out != StartTLS {
		t.Errorf("the mailbox is read by %q and sends by %q", at, out)
	}
	if mailbox.Origin() != "imap.example.org:993 smtp.example.org:587" {
		t.Errorf("the password is meant for %q", mailbox.Origin())
	}
	if plain := read("connection: local\nkind: smtp\naddress: 127.0.0.1:25\nfrom: a@example.org\nsecurity: none\n"); plain.SecurityAt(plain.Address) != NoSecurity {
		t.Error("what the document says is not kept to")
	}
	model := read("connection: m\nkind: model\naddress: http://127.0.0.1:9000/v1\nmodel: small\nprice: { read: 0.5, written: 2 }\n")
	if model.Output != 700 || time.Duration(model.Timeout) != 20*time.Second || model.AtOnce != 8 {
		t.Errorf("a model has by itself %d tokens, %v, %d at once", model.Output, time.Duration(model.Timeout), model.AtOnce)
	}
	if cost := model.Price.Cost(3_000, 200); cost != 1_900 {
		t.Errorf("3,000 tokens read and 200 written cost %d millionths", cost)
	}
	program, is := read("connection: stock\nkind: mcp\naddress: program:stock\n").Program()
	if _, isToo := crm.Program(); !is || program != "stock" || isToo {
		t.Errorf("the program is %q, %v", program, is)
	}
	let := read("connection: drive\nkind: http\naddress: https://drive.example.org\nconsent: { issuer: \"https://Accounts.example.org\", client: parrot, scopes: [files.read] }\n")
	if let.Origin() != "https://accounts.example.org" || let.Reaches() != "https://drive.example.org" {
		t.Errorf("the client's secret is meant for %q, the tokens go to %q", let.Origin(), let.Reaches())
	}
}

// What is wrong with a connection stands at its line, and says what to write.
func TestMistakesInConnectionsAreNamed(t *testing.T) {
	const model = "connection: m\nkind: model\naddress: http://127.0.0.1:9000/v1\n"
	const mailbox = "connection: o\nkind: mailbox\n"
	const drive = "connection: d\nkind: http\naddress: https://drive.example.org\n"
	for source, want := range map[string]struct {
		line int
		says string
	}{
		model:                                                                                                   {1, "which of the server's models"},
		model + "model: small\ntemperature: 3\n":                                                                {5, "between 0"},
		model + "model: small\noutput: 9\n":                                                                     {5, "from 50 to 8000"},
		model + "model: small\nwindow: 100\n":                                                                   {5, "from 2000"},
		model + "model: small\nprice: { read: -1 }\n":                                                           {5, "between 0 and 1000000"},
		model + "model: small\ntimeout: 1h\n":                                                                   {5, "from 100ms to 5m"},
		model + "model: small\nat_once: 1000\n":                                                                 {5, "from 1 to 256"},
		mailbox + "address: imap.example.org\nsends: s:587\nfrom: a@example.org":                                {3, "HOST:PORT, such as imap.example.org:993"},
		mailbox + "address: i:993\nsends: me@smtp:587\nfrom: a@example.org":                                     {4, "HOST:PORT, such as smtp.example.org:587"},
		mailbox + "address: i:993\nsends: s:587\nfrom: the office":                                              {5, "address that mails come from"},
		mailbox + "address: i:993\nsends: s:587\nfrom: a@b.org\nsecurity: ssl":                                  {6, "tls, starttls or none"},
		"connection: s\nkind: smtp\naddress: smtp.example.org\nfrom: a@b.org\n":                                 {3, "HOST:PORT"},
		drive + "header: \"X Key\"\n":                                                                           {4, "name of a header"},
		drive + "consent: { client: parrot }\n":                                                                 {4, "whom the service asks"},
		drive + "consent: { issuer: \"ftp://a.org\", client: p }\n":                                             {4, "not a web address"},
		drive + "consent: { authorize: \"https://a.org/ask\", client: p }\n":                                    {4, "belong together"},
		drive + "consent: { issuer: \"https://a.org\" }\n":                                                      {4, "what the service is called there"},
		drive + "consent: { issuer: \"https://a.org\", client: p, scopes: [\"read all\"] }\n":                   {4, "a word of its own"},
		"connection: s\nkind: mcp\naddress: program:stock\nconsent: { issuer: \"https://a.org\", client: p }\n": {4, "asks nobody"},
		"connection: s\nkind: mcp\naddress: \"program:rm -rf\"\n":                                               {3, "rm -rf"},
	} {
		_, err := ParseConnection("c.yaml", []byte(source))
		wrongAt(t, source, err, want.line, want.says)
	}
}

// A secret that signs is one that nobody guesses.
func TestSecretsThatSign(t *testing.T) {
	for secret, says := range map[string]string{
		"whsec_bm9ib2R5IGd1ZXNzZXMgdGhpcyBvbmU=": "", "any other secret": "", "": "",
		"whsec_c2hvcnQ=": "has 5 bytes", "whsec_not in base64": "goes on in base64", "whsec_": "has 0 bytes",
	} {
		if err := CheckSigningSecret(secret); (err == nil) != (says == "") || err != nil && !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v, want %q", secret, err, says)
		}
	}
}

// Documents name connections of the kind that they need: mails go out by a mailbox too, and vectors
// are made by what is no mail server.
func TestConnectionsThatFit(t *testing.T) {
	for _, c := range []struct {
		refers document.Reference
		is     ConnectionKind
		says   string
	}{
		{ToConnection("$.connection", "c", MailServer), Mailbox, ""},
		{ToConnection("$.connection", "c", MailServer), MailServer, ""},
		{ToConnection("$.connection", "c", MailServer), HTTPSystem, "c is not a connection to a mail server"},
		{ToConnection("$.connection", "c", Mailbox), MailServer, "c is not a connection to a mailbox"},
		{ToConnection("$.model", "c", Model), MCPServer, "c is not a connection to a model server"},
		{ToEmbeddings("$.embeddings", "c"), Model, ""},
		{ToEmbeddings("$.embeddings", "c"), HTTPSystem, ""},
		{ToEmbeddings("$.embeddings", "c"), Mailbox, "c is a connection to a mailbox"},
	} {
		if says := c.refers.Unfit(Connection{Name: "c", Kind: c.is}); says != c.says {
			t.Errorf("%s where a %s is wanted: %q, not %q", c.is, c.refers.What, says, c.says)
		}
	}
}

// A form asks for what it can keep, once each; what fills a field of the contact names it.
func TestFormsAreChecked(t *testing.T) {
	f, err := ParseForm("f.yaml", []byte("form: vans\nfields:\n  - field: email\n    as: email\n    save: email\n  - field: deck\n    as: choice\n    choices: [upper, lower]\n  - field: notes\n"))
	if err != nil || len(f.Fields) != 3 {
		t.Fatalf("the form is %+v (%v)", f, err)
	}
	if f.Title != "vans" || f.Fields[2].As != "text" || f.Mail(contact.Email) != "email" || f.Mail(contact.Phone) != "" || len(f.Refers()) != 1 {
		t.Errorf("the form is %+v (%v)", f, err)
	}
	if !f.Fields[2].Strict() || f.Fields[0].Strict() {
		t.Error("a text is always of its kind, an e-mail address is not")
	}
	for source, want := range map[string]struct {
		line int
		says string
	}{
		"form: vans\n": {1, "from 1 to 50 fields"},
		"form: vans\nfields:\n  - field: a\n    as: colour\n":      {4, "not known here"},
		"form: vans\nfields:\n  - field: a\n    as: choice\n":      {3, "lists its choices"},
		"form: vans\nfields:\n  - field: a\n    choices: [b, c]\n": {4, "lists its choices"},
		"form: vans\nfields:\n  - field: a\n  - field: a\n":        {4, "twice"},
		"form: vans\nfields:\n  - field: kind\n":                   {3, "kind"},
	} {
		_, err := ParseForm("f.yaml", []byte(source))
		wrongAt(t, source, err, want.line, want.says)
	}
}
