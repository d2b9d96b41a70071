package store

import (
	"context"
	"fmt"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/core/words"
)

// mostQueried is how many words of a search are looked for.
const mostQueried = 12

// conversations reads a page of those conversations that a condition on c with
// arguments from $3 on lets through.
func (s *Store) conversations(ctx context.Context, page Page, where string, arguments ...any) ([]Conversation, error) {
	where += ` and c.removed_at is null and c.asked_at < coalesce($2, 'infinity'::timestamptz)`
	arguments = append([]any{page.Limit, page.Before}, arguments...)
	if strings.TrimSpace(page.Search) == "" {
		return s.list(ctx, nil, `
			select `+conversationColumns+`, '' from conversation c join desk d on d.id = c.desk
			where `+where+` order by c.asked_at desc limit $1`, arguments...)
	}
	query := words.Query(page.Search, mostQueried)
	if len(query) == 0 {
		return nil, nil // nothing but marks
	}
	arguments = append(arguments, tsquery(query))
	q := fmt.Sprintf(`$%d::tsquery`, len(arguments))
	found, err := s.found(ctx, q, where, arguments)
	if err != nil {
		return nil, err
	}
	return s.list(ctx, query, found, arguments...)
}

// fewFound is up to how many turns are looked up by the index of words.
// Beyond that the words are so common that the newest conversations have them.
const fewFound = 1000

// found chooses the quicker way to what has the words of q.
func (s *Store) found(ctx context.Context, q, where string, arguments []any) (statement string, err error) {
	var many bool
	count := fmt.Sprintf(`select count(*) = %d from (select from turn where words @@ $1::tsquery limit %[1]d) few`, fewFound)
	if err := s.pool.QueryRow(ctx, count, arguments[len(arguments)-1]).Scan(&many); err != nil {
		return "", err
	}
	hits := `
		select c.id, h.turn from (
			select conversation, max(turn::text)::uuid as turn from (
				select conversation, id as turn from turn where words @@ ` + q + ` and taken_back_at is null
				union all select id, null from conversation where title_words @@ ` + q + `) e
			group by conversation) h join conversation c on c.id = h.conversation
		where ` + where + ` order by c.asked_at desc limit $1`
	if many {
		hits = `
			select c.id, h.turn from conversation c left join lateral (
				select t.id as turn from turn t
				where t.conversation = c.id and t.words @@ ` + q + ` and t.taken_back_at is null
				order by t.id desc limit 1) h on true
			where ` + where + ` and (h.turn is not null or c.title_words @@ ` + q + `)
			order by c.asked_at desc limit $1`
	}
	return `
		select ` + conversationColumns + `, coalesce((
			select t.question || E'\n' || a.reply
			from turn t join lateral (select reply from attempt where turn = t.id order by ` + whichCounts + ` limit 1) a on true
			where t.id = f.turn), '')
		from (` + hits + `) f join conversation c on c.id = f.id join desk d on d.id = c.desk
		order by c.asked_at desc`, nil
}

// list reads conversations; the last column of a search is the text that has
// the words of query.
func (s *Store) list(ctx context.Context, query []string, statement string, arguments ...any) ([]Conversation, error) {
	rows, err := s.pool.Query(ctx, statement, arguments...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (Conversation, error) {
		c, text, err := scanFound(row)
		if query != nil {
			c.Found = words.Excerpt(text, query)
		}
		return c, err
	})
}

// tsquery looks for all words, each as the beginning of one. They hold nothing
// but letters, digits and marks.
func tsquery(query []string) string {
	parts := make([]string, len(query))
	for i, w := range query {
		parts[i] = "'" + w + "':*"
	}
	return strings.Join(parts, " & ")
}

// IndexWords makes settled turns findable that are not yet, at most limit, and
// returns how many. The words are those of the question and of the attempt that
// counts.
func (s *Store) IndexWords(ctx context.Context, limit int) (int, error) {
	rows, err := s.pool.Query(ctx, `
		select t.id, t.question, a.reply from turn t join lateral (
			select reply, state from attempt where turn = t.id order by `+whichCounts+` limit 1) a on true
		where t.words is null and a.state <> 'running' limit $1`, limit)
	if err != nil {
		return 0, err
	}
	var ids []uuid.UUID
	var found []string
	var id uuid.UUID
	var question, reply string
	_, err = pgx.ForEachRow(rows, []any{&id, &question, &reply}, func() error {
		ids, found = append(ids, id), append(found, strings.Join(words.Of(question+" "+reply), " "))
		return nil
	})
	if err != nil || len(ids) == 0 {
		return 0, err
	}
	_, err = s.pool.Exec(ctx, `
		update turn t set words = array_to_tsvector(string_to_array(n.words, ' '))
		from unnest($1::uuid[], $2::text[]) as n (id, words) where n.id = t.id`, ids, found)
	return len(ids), err
}
