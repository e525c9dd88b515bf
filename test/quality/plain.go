package main

import (
	"database/sql"
	"errors"
	"strings"

	_ "modernc.org/sqlite" // the driver called sqlite

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/quiz"
	"urgentparrot.example/internal/core/text"
)

// plainBM25 puts the questions to SQLite's full-text search over the same
// passages: all words of a question, any of which may match, ranked by bm25.
func plainBM25(passages []knowledge.Passage, questions []quiz.Question) (r quiz.Report, err error) {
	db, err := sql.Open("sqlite", ":memory:")
	if err != nil {
		return r, err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	db.SetMaxOpenConns(1)
	if _, err := db.Exec(`CREATE VIRTUAL TABLE passage USING fts5 (head, body, tokenize = 'porter unicode61')`); err != nil {
		return r, err
	}
	for i, p := range passages {
		if _, err := db.Exec(`INSERT INTO passage (rowid, head, body) VALUES (?, ?, ?)`, i, p.Question+" "+strings.Join(p.Trail, " "), p.Text); err != nil {
			return r, err
		}
	}
	r = quiz.Run(questions, func(asked, _ string) []answer.Reply {
		var words []string
		for _, w := range text.Words(asked) {
			words = append(words, `"`+w.Folded+`"`)
		}
		var reply answer.Reply
		rows, failed := db.Query(`SELECT rowid FROM passage WHERE passage MATCH ? ORDER BY bm25(passage) LIMIT 10`, strings.Join(words, " OR "))
		if failed != nil {
			err = errors.Join(err, failed)
			return nil
		}
		defer rows.Close()
		for rows.Next() {
			var at int
			if failed := rows.Scan(&at); failed != nil {
				err = errors.Join(err, failed)
			}
			reply.Candidates = append(reply.Candidates, answer.Candidate{Hit: knowledge.Hit{Passage: passages[at]}})
		}
		err = errors.Join(err, rows.Err())
		return []answer.Reply{reply}
	})
	return r, err
}
