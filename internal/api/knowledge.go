package api

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/quiz"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/reading"
	"urgentparrot.example/internal/store"
)

func listSources(q *request) (client.SourcePage, error) {
	underway := q.workspace.Library.Underway() // before the records: what ends between the two is in them
	list, err := q.workspace.Store().Sources(q.Request.Context())
	page := client.SourcePage{Items: make([]client.Source, len(list))}
	for i, s := range list {
		page.Items[i] = source(underway, s)
	}
	return page, err
}

// source is a source as it goes over the wire.
func source(underway map[string]reading.Progress, s store.Source) client.Source {
	out := client.Source{
		ID: s.ID, Name: s.Name, Title: s.Title, Kind: string(s.Kind), Address: s.Address, Bytes: s.Bytes, Pages: s.Pages, Passages: s.Passages, Encoding: s.Waiting,
		EveryMinutes: int(s.Every / time.Minute), ReadAt: maybe(s.ReadAt), NextAt: maybe(s.NextAt), ValidFrom: maybe(s.From), ValidUntil: maybe(s.Until), Error: s.Error,
	}
	progress, under := underway[s.ID]
	switch {
	case under:
		out.State, out.Progress = "reading", &client.Progress{Read: progress.Read, Found: progress.Found}
	case s.Error != "" && s.TriedAt.After(s.ReadAt):
		out.State = "failed"
	case s.ReadAt.IsZero():
		out.State = "waiting"
	default:
		out.State = "ready"
	}
	if out.Title == "" {
		out.Title = s.Name
	}
	return out
}

// maybe is a time that may be missing.
func maybe(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func orZero(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}

// within checks the times between which something holds.
func within(from, until *time.Time) error {
	if from != nil && until != nil && !until.After(*from) {
		return problem.New(problem.BadInput, "it must hold until a time after the one from which it holds", "valid_until")
	}
	return nil
}

func sourceName(name string) (string, error) {
	name = strings.TrimSpace(name)
	if name == "" || len(name) > 300 || !utf8.ValidString(name) || strings.ContainsFunc(name, unicode.IsControl) {
		return "", problem.New(problem.BadInput, "the source needs a name of at most 300 characters", "name")
	}
	return name, nil
}

func addSource(q *request) (out client.Source, err error) {
	q.Request.Body = http.MaxBytesReader(q.Writer, q.Request.Body, reading.Limit+64<<10)
	file, _, err := q.Request.FormFile("file")
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		return out, problem.New(problem.TooLarge, fmt.Sprintf("the file is too large; at most %d MB are read", reading.Limit>>20), "file")
	case err != nil:
		return out, problem.New(problem.BadInput, "send the file as multipart/form-data, in a field called file", "file")
	}
	defer file.Close()
	name, err := sourceName(q.Request.FormValue("name"))
	if err != nil {
		return out, err
	}
	content, err := io.ReadAll(file)
	if err != nil {
		return out, problem.New(problem.BadInput, "the file broke off before its end", "file")
	}
	return q.keptSource(q.workspace.Library.AddFile(q.Request.Context(), store.Source{Name: name, Kind: store.FromFile}, content))
}

// source is a source as it is now.
func (q *request) source(id string) (client.Source, error) {
	underway := q.workspace.Library.Underway()
	s, err := q.workspace.Store().Source(q.Request.Context(), id)
	if err != nil {
		return client.Source{}, err
	}
	return source(underway, s), nil
}

// keptSource is one that was just kept, as it is now.
func (q *request) keptSource(kept store.Source, err error) (client.Source, error) {
	if err != nil {
		return client.Source{}, err
	}
	return q.source(kept.ID)
}

func addText(q *request, in client.TypedSource) (out client.Source, err error) {
	name, err := sourceName(in.Name)
	if err == nil {
		err = errors.Join(text(in.Text, "text", 400_000), within(in.ValidFrom, in.ValidUntil))
	}
	if err != nil {
		return out, err
	}
	if !strings.HasSuffix(name, ".md") {
		name += ".md"
	}
	return q.keptSource(q.workspace.Library.AddFile(q.Request.Context(), store.Source{Name: name, Kind: store.FromText, From: orZero(in.ValidFrom), Until: orZero(in.ValidUntil)}, []byte(in.Text)))
}

// longestInterval is the longest time between two readings: about a year.
const longestInterval = 366 * 24 * 60

func interval(minutes int) error {
	if minutes < 0 || minutes > longestInterval {
		return problem.New(problem.BadInput, "a source is read again after 1 minute to 366 days, or by hand (0)", "every_minutes")
	}
	return nil
}

func addWeb(q *request, in client.WebSource) (out client.Source, err error) {
	if in.Name == "" {
		in.Name = in.Address
	}
	name, err := sourceName(in.Name)
	if err != nil {
		return out, err
	}
	if err := q.workspace.Library.CheckAddress(in.Address); err != nil {
		return out, problem.New(problem.BadInput, err.Error(), "address")
	}
	if in.Prefix != "" {
		if err := q.workspace.Library.CheckAddress(in.Prefix); err != nil {
			return out, problem.New(problem.BadInput, err.Error(), "prefix")
		}
	}
	if in.Depth < 0 || in.Depth > 100 || in.Pages < 0 || in.Pages > reading.MostPages {
		return out, problem.New(problem.BadInput, fmt.Sprintf("at most 100 links deep and %d pages are followed", reading.MostPages), "depth")
	}
	if err := errors.Join(interval(in.EveryMinutes), within(in.ValidFrom, in.ValidUntil)); err != nil {
		return out, err
	}
	s := store.Source{
		Name: name, Kind: store.FromPage, Address: strings.TrimSpace(in.Address), Every: time.Duration(in.EveryMinutes) * time.Minute,
		From: orZero(in.ValidFrom), Until: orZero(in.ValidUntil),
		Options: store.SourceOptions{Prefix: in.Prefix, Depth: in.Depth, Pages: in.Pages, Pairs: in.Pairs},
	}
	if in.Follow {
		s.Kind = store.FromSite
	}
	return q.keptSource(q.workspace.Library.AddWeb(q.Request.Context(), s))
}

func showSource(q *request) (client.Source, error) {
	return q.source(q.Param("id"))
}

func changeSource(q *request, in client.SourceChange) (out client.Source, err error) {
	if err := errors.Join(interval(in.EveryMinutes), within(in.ValidFrom, in.ValidUntil)); err != nil {
		return out, err
	}
	ctx := q.Request.Context()
	s, err := q.workspace.Store().Source(ctx, q.Param("id"))
	if err != nil {
		return out, err
	}
	s.Every, s.From, s.Until = time.Duration(in.EveryMinutes)*time.Minute, orZero(in.ValidFrom), orZero(in.ValidUntil)
	if err := q.workspace.Library.ChangeSource(ctx, s); err != nil {
		return out, err
	}
	return q.source(s.ID)
}

func readSource(q *request) (out client.Source, err error) {
	ctx := q.Request.Context()
	s, err := q.workspace.Store().Source(ctx, q.Param("id"))
	if err != nil {
		return out, err
	}
	if s.Address == "" {
		return out, problem.New(problem.BadInput, "a file is read when it is uploaded; upload it again to read it anew", "id")
	}
	if err := q.workspace.Library.ReadAgain(ctx, s.ID); err != nil {
		return out, err
	}
	return q.source(s.ID)
}

func removeSource(q *request) error {
	s, err := q.workspace.Store().Source(q.Request.Context(), q.Param("id"))
	if err != nil {
		return err
	}
	return q.workspace.Library.RemoveSource(q.Request.Context(), s.ID)
}

func listPages(q *request) (page client.ReadPageList, err error) {
	ctx := q.Request.Context()
	s, err := q.workspace.Store().Source(ctx, q.Param("id"))
	if err != nil {
		return page, err
	}
	list, err := q.workspace.Store().Pages(ctx, s.ID)
	page.Items = make([]client.ReadPage, len(list))
	for i, p := range list {
		page.Items[i] = client.ReadPage{Address: p.Address, Title: p.Title, Passages: p.Passages, ReadAt: p.ReadAt, Error: p.Error}
	}
	return page, err
}

func listPassages(q *request) (page client.PassagePage, err error) {
	ctx := q.Request.Context()
	s, err := q.workspace.Store().Source(ctx, q.Param("id"))
	if err != nil {
		return page, err
	}
	list, err := q.workspace.Store().Passages(ctx, s.ID, "")
	page.Items = make([]client.Passage, len(list))
	for i, p := range list {
		page.Items[i] = client.Passage{ID: p.ID, Source: p.Source, Address: p.Address, Trail: p.Trail, Question: p.Question, Asked: p.Asked, Text: p.Text, Position: p.Position}
	}
	return page, err
}

// Bounds of the questions that a passage answers.
const (
	mostAsked    = 12
	longestAsked = 300
)

func putQuestions(q *request, in client.PassageQuestions) (out client.PassageQuestions, err error) {
	if len(in.Questions) > mostAsked {
		return out, problem.New(problem.BadInput, fmt.Sprintf("a passage has at most %d questions", mostAsked), "questions")
	}
	out.Questions = []string{}
	for _, asked := range in.Questions {
		if asked = strings.TrimSpace(asked); asked == "" {
			continue
		}
		if err := text(asked, "questions", longestAsked); err != nil {
			return out, err
		}
		out.Questions = append(out.Questions, asked)
	}
	return out, q.workspace.Library.SetQuestions(q.Request.Context(), q.Param("id"), out.Questions)
}

func search(q *request) (out client.Found, err error) {
	question := q.Query("q")
	if err := text(question, "q", 4000); err != nil {
		return out, err
	}
	desk, err := q.workspace.Desk(q.Query("bot"))
	if err != nil {
		return out, err
	}
	return Found(question, desk.Search(q.Request.Context(), question), desk.Bars()), nil
}

// Found is what was found for a question, as it goes over the wire.
func Found(question string, result answer.Found, bars answer.Bars) client.Found {
	found := client.Found{Items: []client.Weighed{}, Threshold: bars.Answer, Likely: result.Likely, OfferThreshold: bars.Offer}
	if result.Mended != question {
		found.Mended = result.Mended
	}
	reply := result.Reply(answer.Part{Text: question}, bars, 0)
	found.Answered, found.Answer = reply.Words != "", reply.Words
	for _, c := range reply.Offer {
		if len(reply.Offer) == 1 {
			found.Offers = append(found.Offers, c.Offered(0))
		} else {
			found.Offers = append(found.Offers, c.Label())
		}
	}
	for i, c := range result.Candidates {
		w := Weighed(c, i == 0 && found.Answered)
		w.Offered = slices.ContainsFunc(reply.Offer, func(o answer.Candidate) bool { return o.ID == c.ID })
		found.Items = append(found.Items, w)
	}
	return found
}

// Weighed is a candidate as it goes over the wire; quoted, if it is what is said.
func Weighed(c answer.Candidate, quoted bool) client.Weighed {
	return client.Weighed{
		PassageID: c.ID, Source: c.Source, Trail: c.Trail, Question: c.Question, Text: c.Text, Quoted: quoted,
		Score: c.Score, Coverage: c.Coverage, Meaning: c.Meaning, Confidence: c.Confidence, Missing: c.Missing, Sure: c.Sure, Lacks: c.Lacks, Quote: c.Quoted(),
	}
}

// quizLimit is the largest quiz that is taken, in bytes.
const quizLimit = 16 << 20

func runQuiz(q *request, in client.Quiz) (out client.QuizReport, err error) {
	questions, err := quiz.Parse(strings.NewReader(in.Questions))
	if err != nil {
		return out, problem.New(problem.BadInput, err.Error(), "questions")
	}
	desk, err := q.workspace.Desk(in.Bot)
	if err != nil {
		return out, err
	}
	return out, convert(desk.Quiz(q.Request.Context(), questions), &out)
}
