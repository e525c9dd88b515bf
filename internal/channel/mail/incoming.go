package mail

import (
	"cmp"
	"context"
	"strings"
	"unicode/utf8"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/letter"
)

// Incoming is what is made of a mail as it came.
func (m *mailbox) incoming(ctx context.Context, raw []byte, by channel.Bringer) (channel.Incoming, letter.Letter) {
	l := letter.Read(raw)
	// Whoever an answer goes to is whom it is with: what is known of one address is not sent to
	// another.
	sender := l.Sender()
	in := channel.Incoming{
		Address: sender.Address, Name: cmp.Or(sender.Name, l.From.Name), ExternalID: l.ID + "#" + l.Hash(), Text: said(&l),
		Thread: &channel.Thread{Subject: l.Subject, References: l.References},
		Beside: message.Beside{
			Subject: l.Subject, From: l.From.String(), ReplyTo: l.ReplyTo.Address, To: told(l.To), Copy: told(l.Copy),
			Quoted: short(l.Quoted), Signature: short(l.Signature), Silent: l.Silent, Problems: l.Problems,
		},
	}
	if in.Token = tokenOf(&l); in.Token != "" {
		in.Text = l.Text // what it asks for stands there alone, whatever its subject
	}
	if in.Address == "" {
		in.Address = "nobody"
	}
	if in.Beside.Silent == "" && m.isOwn(l.From.Address) {
		in.Beside.Silent = "it is one of our own"
	}
	proof := m.prove(ctx, &l, raw, by)
	in.Beside.Proof, in.Unproven = proof.says, !proof.aligned || l.ReplyTo.Address != ""
	for _, f := range l.Files {
		in.Files = append(in.Files, channel.File{Name: f.Name, Type: f.Type, Inline: f.Inline, Bytes: f.Bytes})
	}
	return in, l
}

// tokenOf is the token of the notification that a mail answers, "" if it answers none: it
// stands in the address that the mail goes to (office+r-TOKEN@...), or is the mail that it
// answers.
func tokenOf(l *letter.Letter) string {
	for _, p := range append(l.To, l.Copy...) {
		local, _, _ := strings.Cut(p.Address, "@")
		if _, token, ok := strings.Cut(local, "+"+channel.TokenMark); ok {
			return token
		}
	}
	if n := len(l.References); n > 0 {
		local, _, _ := strings.Cut(l.References[n-1], "@")
		if token, ok := strings.CutPrefix(local, channel.TokenMark); ok {
			return token
		}
	}
	return ""
}

// Understand is channel.Understander's.
func (m *mailbox) Understand(ctx context.Context, raw []byte) channel.Incoming {
	in, _ := m.incoming(ctx, raw, channel.Bringer{})
	return in
}

// few is how many words say too little to be asked by themselves.
const few = 5

// said is what a mail asks: its text, with the subject before it where that is a question or
// where the text says too little.
func said(l *letter.Letter) string {
	text, subject := l.Text, strings.TrimSpace(l.Subject)
	asks := strings.HasSuffix(subject, "?") && !strings.Contains(strings.ToLower(text), strings.ToLower(subject))
	if isNew := len(l.References) == 0; subject != "" && isNew && (asks || len(strings.Fields(text)) < few) {
		text = strings.TrimSpace(subject + "\n\n" + text)
	}
	if text == "" {
		text = "(no text)"
	}
	return short(text)
}

// short cuts a text to what a message may hold.
func short(s string) string {
	const most = channel.TextLimit - 1024
	if len(s) <= most {
		return s
	}
	cut := most
	for cut > 0 && !utf8.RuneStart(s[cut]) {
		cut--
	}
	return s[:cut]
}

func told(people []letter.Person) (list []string) {
	for _, p := range people {
		list = append(list, p.String())
	}
	return list
}
