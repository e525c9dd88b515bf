package main

import (
	"encoding/json"
	"fmt"
	"io"
	"strings"

	"urgentparrot.example/client"
)

// gaps lists the questions without an answer, answers one or sets one aside.
func (c *call) gaps(cl *client.Client, args []string, send bool) error {
	switch {
	case len(args) == 0 || args[0] == "list":
		page, err := cl.Gaps(c.ctx)
		if err != nil {
			return err
		}
		return c.print(page, func(w io.Writer) {
			if len(page.Items) == 0 {
				fmt.Fprintln(w, "No question is without an answer.")
				return
			}
			fmt.Fprintln(w, "ID\tASKED\tWAITING\tLAST\tQUESTION")
			for _, g := range page.Items {
				fmt.Fprintf(w, "%s\t%s\t%d\t%s\t%s\n", g.ID, plural(g.Times, "time"), len(g.Waiting), ago(g.LastAt), g.Question)
			}
		})
	case args[0] == "answer" && len(args) >= 3:
		a, err := cl.AnswerGap(c.ctx, args[1], client.GapAnswer{Answer: strings.Join(args[2:], " "), Send: send})
		if err != nil {
			return err
		}
		return c.print(a, func(w io.Writer) {
			fmt.Fprintf(w, "Kept as a house answer: %s\n%s\n", a.HouseAnswer.Question, a.HouseAnswer.Answer)
			if send {
				fmt.Fprintf(w, "Sent to %s.\n", plural(a.Sent, "customer"))
			}
		})
	case args[0] == "drop" && len(args) == 2:
		if err := cl.DropGap(c.ctx, args[1]); err != nil {
			return err
		}
		return c.print(map[string]string{"dropped": args[1]}, func(w io.Writer) { fmt.Fprintln(w, "Set aside.") })
	}
	return usage("parrot knowledge gaps [list | answer ID TEXT | drop ID]")
}

// examples lists what customers said to offers, removes one, writes those that answer
// as a quiz, or fits confidence on them.
func (c *call) examples(cl *client.Client, args []string, bot string) error {
	if len(args) == 2 && args[0] == "drop" {
		if err := cl.DropExample(c.ctx, args[1]); err != nil {
			return err
		}
		return c.print(map[string]string{"dropped": args[1]}, func(w io.Writer) { fmt.Fprintln(w, "Removed.") })
	}
	if len(args) == 1 {
		switch args[0] {
		case "list", "export":
		case "try", "fit":
			ask := cl.Confidence
			if args[0] == "fit" {
				ask = cl.FitConfidence
			}
			fit, err := ask(c.ctx, bot)
			if err != nil {
				return err
			}
			return c.print(fit, func(w io.Writer) { printConfidence(w, fit) })
		case "put-back":
			if err := cl.PutBackConfidence(c.ctx); err != nil {
				return err
			}
			return c.print(map[string]string{"confidence": "as delivered"}, func(w io.Writer) { fmt.Fprintln(w, "Confidence is as it was delivered.") })
		default:
			return usage("parrot knowledge examples [list | export | drop ID | try | fit | put-back]")
		}
	} else if len(args) > 1 {
		return usage("parrot knowledge examples [list | export | drop ID | try | fit | put-back]")
	}
	page, err := cl.Examples(c.ctx)
	if err != nil {
		return err
	}
	if len(args) == 1 && args[0] == "export" {
		lines := json.NewEncoder(c.out)
		lines.SetEscapeHTML(false)
		for _, e := range page.Items {
			if !e.Answers {
				continue
			}
			if err := lines.Encode(map[string]any{"id": e.ID, "question": e.Question, "kind": "customer", "source": e.Source}); err != nil {
				return err
			}
		}
		return nil
	}
	return c.print(page, func(w io.Writer) {
		if len(page.Items) == 0 {
			fmt.Fprintln(w, "No customer has said yet whether what was offered was meant.")
			return
		}
		fmt.Fprintln(w, "ID\tWHEN\tSAID\tQUESTION\tOFFERED\tSOURCE")
		for _, e := range page.Items {
			fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\t%s\n", e.ID, ago(e.At), e.How, shorten(e.Question, 60), e.Label, e.Source)
		}
	})
}

// printConfidence shows what fitting confidence on customers' examples comes to.
func printConfidence(w io.Writer, fit client.Confidence) {
	fmt.Fprintf(w, "Settled by customers: %s. What was found first was right for %d and wrong for %d.\n", plural(fit.Questions, "question"), fit.Right, fit.Wrong)
	if fit.Questions > 0 {
		fmt.Fprintf(w, "\nFROM %.2f ON\tRIGHT\tWRONG\tWITHHELD\n", fit.Threshold)
		fmt.Fprintf(w, "as delivered\t%d\t%d\t%d\n", fit.Before.AnsweredRight, fit.Before.AnsweredWrong, fit.Before.Withheld)
		fmt.Fprintf(w, "fitted\t%d\t%d\t%d\n\n", fit.After.AnsweredRight, fit.After.AnsweredWrong, fit.After.Withheld)
	}
	switch {
	case fit.Used:
		fmt.Fprintf(w, "A fit on %s is in use since %s, by %s. Go back with: parrot knowledge examples put-back\n", plural(fit.UsedOn, "question"), ago(fit.UsedSince), fit.UsedBy)
	case fit.Enough:
		fmt.Fprintln(w, "Take it into use with: parrot knowledge examples fit")
	default:
		fmt.Fprintf(w, "%d questions are needed, with some of each, before confidence can be fitted on them.\n", fit.Fewest)
	}
}

// words shows how customers use a word.
func (c *call) words(cl *client.Client, args []string) error {
	if len(args) != 1 {
		return usage("parrot knowledge words WORD")
	}
	said, err := cl.Sayings(c.ctx, args[0])
	if err != nil {
		return err
	}
	return c.print(said, func(w io.Writer) {
		list := func(title string, words []client.Saying) {
			var all []string
			for _, s := range words {
				all = append(all, fmt.Sprintf("%s (%.0f)", s.Word, s.Times))
			}
			if len(all) == 0 {
				all = []string{"nothing is known"}
			}
			fmt.Fprintf(w, "%s %s\n\n", title, strings.Join(all, ", "))
		}
		list(fmt.Sprintf("Where customers say %q, texts say:", said.Word), said.Texts)
		list(fmt.Sprintf("Where texts say %q, customers say:", said.Word), said.Customers)
		fmt.Fprintln(w, "In brackets: how many times likelier than anywhere. Add and take away with customers_say in the settings.")
	})
}

// lessons lists what people's replies would teach, approves or rejects one.
func (c *call) lessons(cl *client.Client, args []string) error {
	switch {
	case len(args) == 0 || args[0] == "list":
		page, err := cl.Lessons(c.ctx, "proposed")
		if err != nil {
			return err
		}
		return c.print(page, func(w io.Writer) {
			if len(page.Items) == 0 {
				fmt.Fprintln(w, "No lesson waits to be looked at.")
			}
			for _, l := range page.Items {
				fmt.Fprintf(w, "%s  from %s, %s\n  %s\n  %s\n", l.ID, l.Author, ago(l.CreatedAt), l.Question, strings.ReplaceAll(l.Answer, "\n", "\n  "))
				if l.Beside != nil {
					fmt.Fprintf(w, "  %s (%s): %s\n", map[string]string{"differs": "DIFFERS from what is known", "completes": "completes what is known", "same": "is known already"}[l.Beside.Relation], l.Beside.Source, l.Beside.Text)
				}
				fmt.Fprintln(w)
			}
		})
	case args[0] == "approve" && len(args) >= 2:
		h, err := cl.ApproveLesson(c.ctx, args[1], client.LessonText{Answer: strings.Join(args[2:], " ")})
		if err != nil {
			return err
		}
		return c.print(h, func(w io.Writer) { fmt.Fprintf(w, "Kept as a house answer: %s\n%s\n", h.Question, h.Answer) })
	case args[0] == "reject" && len(args) == 2:
		if err := cl.RejectLesson(c.ctx, args[1]); err != nil {
			return err
		}
		return c.print(map[string]string{"rejected": args[1]}, func(w io.Writer) { fmt.Fprintln(w, "Put aside.") })
	}
	return usage("parrot knowledge lessons [list | approve ID [ANSWER] | reject ID]")
}

// house lists house answers, adds or removes one.
func (c *call) house(cl *client.Client, args []string) error {
	switch {
	case len(args) == 0 || args[0] == "list":
		page, err := cl.HouseAnswers(c.ctx)
		if err != nil {
			return err
		}
		return c.print(page, func(w io.Writer) {
			if len(page.Items) == 0 {
				fmt.Fprintln(w, "There is no house answer yet. Add one with: parrot knowledge house add QUESTION ANSWER")
			}
			for _, h := range page.Items {
				fmt.Fprintf(w, "%s  %s, %s\n  %s\n  %s\n\n", h.ID, h.Author, ago(h.UpdatedAt), h.Question, strings.ReplaceAll(h.Answer, "\n", "\n  "))
			}
		})
	case args[0] == "add" && len(args) == 3:
		h, err := cl.AddHouseAnswer(c.ctx, client.HouseAnswerText{Question: args[1], Answer: args[2]})
		if err != nil {
			return err
		}
		return c.print(h, func(w io.Writer) { fmt.Fprintf(w, "Kept: %s\n", h.Question) })
	case args[0] == "remove" && len(args) == 2:
		if err := cl.RemoveHouseAnswer(c.ctx, args[1]); err != nil {
			return err
		}
		return c.print(map[string]string{"removed": args[1]}, func(w io.Writer) { fmt.Fprintln(w, "Removed.") })
	}
	return usage("parrot knowledge house [list | add QUESTION ANSWER | remove ID]")
}
