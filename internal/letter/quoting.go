package letter

import (
	"regexp"
	"slices"
	"strings"
)

// split tells what was written now from what is quoted and what is a signature.
func (l *Letter) split(all string) {
	lines := strings.Split(all, "\n")
	own, quoted := apart(lines)
	own, signature := signed(own)
	l.Text, l.Quoted, l.Signature = joined(own), joined(quoted), joined(signature)
	if l.Text == "" && l.Quoted != "" {
		if forwarded := joined(withoutHeaders(quoted)); forwarded != "" {
			text, below := signed(strings.Split(forwarded, "\n"))
			l.Text, l.Forwarded = joined(text), true
			if l.Signature == "" {
				l.Signature = joined(below)
			}
		}
	}
}

var manyBlanks = regexp.MustCompile(`\n{3,}`)

func joined(lines []string) string {
	for i, line := range lines {
		lines[i] = strings.TrimRight(line, " \t")
	}
	return strings.TrimSpace(manyBlanks.ReplaceAllString(strings.Join(lines, "\n"), "\n\n"))
}

// The words by which mail programs mark what they quote, in many languages.
var (
	// "On Tuesday Ada wrote:", or in no language "Ada <ada@example.org>, 2026-03-02 18:40:"
	wrote = regexp.MustCompile(`(?i)(\bwrote|\bschrieb|\ba écrit|\bescribi[óo]|\bha scritto|\bscrisse|\bschreef|\bskrev|\bescreveu|\bnapisał\(?a?\)?|\bkirjoitti|написал\(?а?\)?|\bnapsal\(?a?\)?|\bírta|\byazd[ıi]|έγραψε|のメール|写道)([^:：?!]{0,120}[:：]|\s*)\s*$|<[^<>\s]+@[^<>\s]+>,? [^?!]{0,30}\d{4}[^?!]{0,30}[:：]\s*$`)
	when  = regexp.MustCompile(`(?i)^\W*(on|am|le|el|il|em|op|den|dnia|em|w dniu|dne|на|在|date:)\b|\d{4}|\d{1,2}[:.]\d{2}|@`)
	// "----- Original Message -----"
	divider = regexp.MustCompile(`(?i)^[\s>]*[-_=*#~]{2,}\s*(begin )?(original|forwarded|forwarded by|ursprüngliche|weitergeleitete|message d['’]origine|message transféré|message original|mensaje original|mensaje reenviado|messaggio originale|messaggio inoltrato|oorspronkelijk bericht|doorgestuurd bericht|originalmeddelande|vidarebefordrat|oprindelig meddelelse|videresendt|mensagem original|mensagem encaminhada|wiadomość oryginalna|alkuperäinen viesti|исходное сообщение|пересылаемое)[^\n]{0,60}$|(?i)^[\s>]*(begin forwarded message|anfang der weitergeleiteten (nachricht|e-mail)|début du message (réexpédié|transféré)|inizio messaggio inoltrato|inicio del mensaje reenviado)\s*:\s*$`)
	rule    = regexp.MustCompile(`^[\s\-_=*]*$`)
	line20  = regexp.MustCompile(`^\s*_{10,}\s*$|^\s*-{20,}\s*$`)
	// "From: ..." and what stands with it
	from    = regexp.MustCompile(`(?i)^[\s>*]*(from|von|de|da|van|från|fra|od|lähettäjä|от|feladó|kimden|od)\s*[:：]\s*\*?\s*\S`)
	withIt  = regexp.MustCompile(`(?i)^[\s>*]*(sent|date|to|cc|subject|reply-to|gesendet|datum|an|betreff|envoyé|à|objet|cc|enviado|fecha|para|asunto|inviato|data|a|oggetto|verzonden|aan|onderwerp|skickat|till|ämne|sendt|til|emne|assunto|do|temat|wysłano|lähetetty|vastaanottaja|aihe|дата|кому|тема|tárgy|címzett|konu|kime|předmět|komu)\s*[:：]`)
	isQuote = regexp.MustCompile(`^\s{0,3}(>|\|\s)`)
)

// apart takes the lines of quotes out of a mail. Answers between them stay.
func apart(lines []string) (own, quoted []string) {
	for i := 0; i < len(lines); i++ {
		line := lines[i]
		switch {
		case isQuote.MatchString(line):
			quoted = append(quoted, line)
		case divider.MatchString(line) || line20.MatchString(line) && headersFrom(lines, i+1) || headersAt(lines, i):
			for n := len(own); n > 0 && rule.MatchString(own[n-1]); n-- {
				own = own[:n-1]
			}
			return own, append(quoted, lines[i:]...)
		default:
			if n := introduces(lines, i); n > 0 {
				quoted = append(quoted, lines[i:i+n]...)
				i += n - 1
				if rest := lines[i+1:]; !quotesFollow(rest) {
					return own, append(quoted, rest...) // what is quoted below has no sign
				}
				continue
			}
			own = append(own, line)
		}
	}
	return own, quoted
}

// quotesFollow reports whether the next line that is not empty is marked as quoted.
func quotesFollow(lines []string) bool {
	for _, line := range lines {
		if strings.TrimSpace(line) != "" {
			return isQuote.MatchString(line)
		}
	}
	return true
}

// introduces is how many lines say who wrote what is quoted below; 0 if this one does not.
func introduces(lines []string, at int) int {
	said := ""
	for n := 1; n <= 4 && at+n <= len(lines); n++ {
		line := strings.TrimSpace(lines[at+n-1])
		if line == "" || len(line) > 200 || isQuote.MatchString(line) {
			return 0
		}
		said = strings.TrimSpace(said + " " + line)
		if wrote.MatchString(said) && when.MatchString(said) && (strings.HasSuffix(said, ":") || strings.HasSuffix(said, "：") || quotesFollow(lines[at+n:])) {
			return n
		}
		// Only the first line of several can begin so.
		if n == 1 && !when.MatchString(line) {
			return 0
		}
	}
	return 0
}

// headersAt reports whether the headers of a quoted mail begin in a line.
func headersAt(lines []string, at int) bool {
	if !from.MatchString(lines[at]) {
		return false
	}
	with := 0
	for _, line := range lines[at+1 : min(at+7, len(lines))] {
		if withIt.MatchString(line) {
			with++
		} else if strings.TrimSpace(line) == "" && with > 0 {
			break
		}
	}
	return with >= 2
}

// headersFrom is headersAt of the next line that is not empty.
func headersFrom(lines []string, at int) bool {
	for i, line := range lines[min(at, len(lines)):] {
		if strings.TrimSpace(line) != "" {
			return headersAt(lines, at+i)
		}
	}
	return false
}

// withoutHeaders takes from what is quoted the lines that only say whose it is, and the signs.
func withoutHeaders(quoted []string) (plain []string) {
	inHeaders := false
	for i, line := range quoted {
		bare := strings.TrimLeft(line, "> \t")
		switch {
		case divider.MatchString(line), line20.MatchString(line):
			inHeaders = true
		case headersAt(quoted, i), inHeaders && (withIt.MatchString(line) || from.MatchString(line)):
			inHeaders = true
		case introduces(quoted, i) > 0:
		case inHeaders && bare == "":
		default:
			inHeaders = false
			plain = append(plain, bare)
		}
	}
	return plain
}

var (
	dashes  = regexp.MustCompile(`^(-- ?|—|__+|\*\*+)$`)
	closing = regexp.MustCompile(`(?i)^\W*((with )?(kind|best|warm|many|my best)?\s*(regards|wishes)|yours( (sincerely|faithfully|truly))?|sincerely( yours)?|cheers|thanks( (again|in advance|and (kind |best )?regards))?|many thanks|thank you( (very much|in advance))?|love|mit (freundlichen|besten|herzlichen) grüßen|(freundliche|beste|viele|liebe|herzliche) grüße|mfg|vielen dank|cordialement|bien cordialement|cordiales salutations|(meilleures )?salutations|saludos( cordiales)?|atentamente|un saludo|cordiali saluti|distinti saluti|saluti|met vriendelijke groet(en)?|groet(en|jes)?|med vänliga? hälsning(ar)?|vänliga hälsningar|(med )?venlig(e)? hilsen(er)?|hilsen|atenciosamente|cumprimentos|pozdrawiam|z poważaniem|ystävällisin terveisin|terveisin|с уважением)\W*$`)
	device  = regexp.MustCompile(`(?i)^\W*(sent (from|with|via) (my|an?) |sent from |von meinem .{1,30} gesendet|gesendet von |envoyé (de|depuis) |enviado (desde|do) |inviato da |verstuurd vanaf |verzonden vanaf |skickat från |sendt fra |wysłano z |lähetetty .{1,20}sta\b|отправлено )`)
	fences  = regexp.MustCompile(`(?i)confidential|intended (only )?(for|recipient)|unauthori[sz]ed|privileged|disclos|if you (have|are) (received|not the)|vertraulich|irrtümlich|confidentiel|destinataire|riservat|confidencial|vertrouwelijk|geheim|before printing|virus|registered (office|in england)|company (no|number|registration)`)
)

// Bounds of what is taken for a signature.
const (
	mostSigned   = 10 // lines below a closing
	longestSigns = 70 // runes in each
)

// signed parts what was written from the signature below it.
func signed(lines []string) (own, signature []string) {
	for i, line := range lines {
		rest := lines[i+1:]
		switch bare := strings.TrimRight(line, " \t"); {
		case dashes.MatchString(bare) && (i > 0 || filled(rest) <= mostSigned) && len(rest) <= 60 && !hasQuestion(rest):
			return lines[:i], lines[i:]
		case device.MatchString(line) && filled(rest) <= 3:
			return lines[:i], lines[i:]
		case closing.MatchString(line) && closes(rest):
			return lines[:i], lines[i:]
		}
	}
	// A notice below, as companies add them, without a closing above it.
	end := len(lines)
	for end > 0 {
		start := end
		for start > 0 && strings.TrimSpace(lines[start-1]) != "" {
			start--
		}
		paragraph := strings.Join(lines[start:end], " ")
		if paragraph != "" && (start == 0 || len(fences.FindAllString(paragraph, 3)) < 2) {
			break
		}
		if end = start; end > 0 {
			end--
		}
	}
	if end <= 0 {
		return lines, nil
	}
	return slices.Clip(lines[:end]), lines[end:]
}

// closes reports whether only what belongs to a signature stands below a closing.
func closes(rest []string) bool {
	short := 0
	for i, line := range rest {
		if strings.TrimSpace(line) == "" {
			continue
		}
		if len([]rune(line)) > longestSigns {
			return fences.MatchString(strings.Join(rest[i:], " "))
		}
		if short++; short > mostSigned || strings.Contains(line, "?") {
			return false
		}
		if lower := strings.ToLower(strings.TrimSpace(line)); strings.HasPrefix(lower, "p.s") || strings.HasPrefix(lower, "ps:") || strings.HasPrefix(lower, "ps ") {
			return false // what was forgotten stands there
		}
	}
	return true
}

func hasQuestion(lines []string) bool {
	return slices.ContainsFunc(lines, func(line string) bool { return strings.HasSuffix(strings.TrimSpace(line), "?") })
}

func filled(lines []string) (n int) {
	for _, line := range lines {
		if strings.TrimSpace(line) != "" {
			n++
		}
	}
	return n
}
