package engine

import (
	"context"
	"fmt"
	"strings"

	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/template"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/tool"
	"urgentparrot.example/internal/library"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/store"
)

// A carrier carries out the calls of tools of one way. The result is what the tool is for.
type carrier func(ctx context.Context, w *Workspace, t tool.Tool, v template.Values, by caller) (any, connect.Exchange, error)

// carriers are the carriers of tool.Ways, by name.
var carriers = map[string]carrier{
	"request": func(ctx context.Context, w *Workspace, t tool.Tool, v template.Values, by caller) (any, connect.Exchange, error) {
		endpoint, err := w.Documents.endpoint(ctx, t.Connection)
		if err != nil {
			return nil, connect.Exchange{}, err
		}
		return connect.Request(ctx, endpoint, t, v, by.id)
	},
	"mcp": func(ctx context.Context, w *Workspace, t tool.Tool, v template.Values, _ caller) (any, connect.Exchange, error) {
		target, err := w.mcpTarget(ctx, t.Connection)
		if err != nil {
			return nil, connect.Exchange{}, err
		}
		return connect.CallMCP(ctx, target, t, v)
	},
	"find row":         own(findRows),
	"add row":          own(addRow),
	"read contact":     own(readContact),
	"update contact":   own(updateContact),
	"search knowledge": own(searchKnowledge),
}

// own makes the carrier of something that the workspace does itself.
func own(do func(ctx context.Context, w *Workspace, t tool.Tool, v template.Values, by caller) (any, error)) carrier {
	return func(ctx context.Context, w *Workspace, t tool.Tool, v template.Values, by caller) (any, connect.Exchange, error) {
		started := w.Clock.Now()
		x := connect.Exchange{Request: t.Does, Tries: 1}
		result, err := do(ctx, w, t, v, by)
		x.Took = w.Clock.Now().Sub(started)
		if err != nil {
			return nil, x, err
		}
		x.Response = connect.Shown(result)
		v.Result = result
		if result, err = t.Read(v); err != nil {
			return nil, x, fmt.Errorf("%w: %w", outbound.ErrRefused, err)
		}
		return result, x, nil
	}
}

// mostFound is how many rows a tool finds at most.
const mostFound = 20

// findRows finds the rows of a sheet that have what is looked for in their columns. A text
// between stars is looked for within the cell. Without anything to look for nothing is found.
func findRows(ctx context.Context, w *Workspace, t tool.Tool, v template.Values, _ caller) (any, error) {
	where, err := t.Finds(v)
	if err != nil {
		return nil, err
	}
	rows, err := w.store.Rows(ctx, t.Sheet)
	if err != nil {
		return nil, err
	}
	found := []any{}
	for _, row := range rows {
		if len(found) < mostFound && rowHas(row.Cells, where, t.Where) {
			cells := map[string]any{}
			for column, cell := range row.Cells {
				cells[column] = cell
			}
			found = append(found, cells)
		}
	}
	return map[string]any{"rows": found}, nil
}

func rowHas(cells, where, sources map[string]string) bool {
	asked := 0
	for column, wanted := range where {
		within := strings.HasPrefix(sources[column], "*") && strings.HasSuffix(sources[column], "*")
		if within {
			wanted = strings.Trim(wanted, "*")
		}
		cell := text.Fold(text.Squeeze(cells[column]))
		if wanted = text.Fold(text.Squeeze(wanted)); wanted == "" {
			continue
		}
		asked++
		if cell != wanted && !(within && hasWords(cell, wanted)) {
			return false
		}
	}
	return asked > 0
}

// hasWords reports whether a text has every word that is looked for, but for those that say
// nothing.
func hasWords(cell, wanted string) bool {
	has := map[string]bool{}
	for _, w := range text.Words(cell) {
		has[strings.TrimSuffix(w.Folded, "s")] = true
	}
	looked := 0
	for _, w := range text.Words(wanted) {
		if text.IsCommon(w.Folded) {
			continue
		}
		looked++
		if !has[strings.TrimSuffix(w.Folded, "s")] {
			return false
		}
	}
	return looked > 0
}

// addRow adds a row to a sheet, once for each call.
func addRow(ctx context.Context, w *Workspace, t tool.Tool, v template.Values, by caller) (any, error) {
	cells, err := t.Adds(v)
	if err != nil {
		return nil, err
	}
	if err := w.write(ctx, func(tx *store.Tx) error { return tx.PutRow(t.Sheet, "call/"+by.id, by.contact, cells, w.Clock.Now()) }); err != nil {
		return nil, err
	}
	w.Sheets.changed(t.Sheet)
	row := map[string]any{}
	for column, cell := range cells {
		row[column] = cell
	}
	return map[string]any{"row": row}, nil
}

// readContact gives what is known of the contact that the call is made for, but for what is
// sensitive.
func readContact(ctx context.Context, w *Workspace, _ tool.Tool, _ template.Values, by caller) (any, error) {
	if by.contact == "" {
		return nil, fmt.Errorf("%w: there is no contact whose details could be read", outbound.ErrRefused)
	}
	c, err := w.store.Contact(ctx, by.contact)
	if err != nil {
		return nil, err
	}
	details, verified := map[string]any{}, map[string]any{}
	for _, fact := range c.Facts {
		field, ok := w.Documents.Settings().Fields.Named(fact.Field)
		if ok && !field.Sensitive {
			details[fact.Field], verified[fact.Field] = fact.Value, fact.Verified
		}
	}
	tags := []any{}
	for _, tag := range c.Tags {
		tags = append(tags, tag)
	}
	return map[string]any{"details": details, "verified": verified, "stage": c.Stage, "tags": tags}, nil
}

// updateContact keeps details of the contact as claims, which never replace what is
// verified.
func updateContact(ctx context.Context, w *Workspace, t tool.Tool, v template.Values, by caller) (any, error) {
	if by.contact == "" {
		return nil, fmt.Errorf("%w: there is no contact whose details could be kept", outbound.ErrRefused)
	}
	learns, err := t.Learns(v)
	if err != nil {
		return nil, err
	}
	settings, now := w.Documents.Settings(), w.Clock.Now()
	var facts []store.Fact
	kept := map[string]any{}
	for name, said := range learns {
		field, ok := settings.Fields.Named(name)
		if !ok || strings.TrimSpace(said) == "" {
			continue
		}
		value, err := field.Read(said, settings.Region, now.In(settings.Zone()))
		if err != nil {
			return nil, fmt.Errorf("%w: %w", outbound.ErrRefused, err)
		}
		kept[name] = value
		facts = append(facts, store.Fact{Fact: contact.Fact{Field: name, Value: value}, LearntAt: now})
	}
	return map[string]any{"details": kept}, w.write(ctx, func(tx *store.Tx) error {
		for _, f := range facts {
			if err := tx.Learn(by.contact, f); err != nil {
				return err
			}
		}
		return nil
	})
}

// searchKnowledge looks for the answer to a question in the knowledge, as a bot does: where the
// tool names no sources, those that a bot keeps to itself are left out.
func searchKnowledge(ctx context.Context, w *Workspace, t tool.Tool, v template.Values, _ caller) (any, error) {
	question, err := t.Asks(v)
	if err != nil {
		return nil, err
	}
	brief := bot.Brief{Sources: t.Sources, Threshold: bot.DefaultThreshold, OfferThreshold: 1}
	result := map[string]any{"answer": "", "source": "", "confidence": 0.0}
	w.Library.With(ctx, brief, func(f answer.Finder) {
		bars := answer.Bars{Answer: brief.Threshold, Offer: brief.OfferThreshold}
		reply := f.Reply(ctx, answer.Part{Text: question, Kind: answer.Question}, "", bars, library.Abilities.Limit)
		if strings.TrimSpace(reply.Words) != "" {
			result["answer"], result["source"], result["confidence"] = reply.Words, reply.Candidates[0].Source, reply.Candidates[0].Confidence
		}
	})
	return result, nil
}
