package store

import (
	"context"
	"fmt"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/core/words"
	"juvalogos/internal/record"
)

// mostQueried is how many words of a search are looked for.
const mostQueried = 12

// conversations reads a page of those conversations that a condition on c with
// arguments from $3 on lets through.
func (s *Conversations) conversations(ctx context.Context, page record.Page, where string,
	arguments ...any) ([]record.Conversation, error) {
	where += ` and c.removed_at is null and c.asked_at < coalesce($2, 'infinity'::timestamptz)`
	arguments = append([]any{page.Limit, page.Before}, arguments...)
	if strings.TrimSpace(page.Search) == "" {
		return s.list(ctx, nil, `
			select `+conversationColumns+`, '' as text from conversation c join desk d on d.id = c.desk
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
func (s *Conversations) found(ctx context.Context, q, where string, arguments []any) (statement string, err error) {
	var many bool
	count := fmt.Sprintf(`select count(*) = %d from (select from turn_words where words @@ $1::tsquery
		limit %[1]d) few`, fewFound)
	if err := s.pool.QueryRow(ctx, count, arguments[len(arguments)-1]).Scan(&many); err != nil {
		return "", err
	}
	hits := `
		select c.id, h.turn from (
			select t.conversation, max(t.id::text)::uuid as turn
			from turn_words w join turn t on t.id = w.turn
			where w.words @@ ` + q + ` and t.taken_back_at is null
			group by t.conversation) h join conversation c on c.id = h.conversation
		where ` + where + ` order by c.asked_at desc limit $1`
	if many {
		hits = `
			select c.id, h.turn from conversation c cross join lateral (
				select t.id as turn from turn t join turn_words w on w.turn = t.id
				where t.conversation = c.id and w.words @@ ` + q + ` and t.taken_back_at is null
				order by t.id desc limit 1) h
			where ` + where + `
			order by c.asked_at desc limit $1`
	}
	return `
		select ` + conversationColumns + `, coalesce((
			select t.question || E'\n' || a.reply
			from turn t join lateral (select reply from attempt where turn = t.id order by ` + whichCounts + `
				limit 1) a on true
			where t.id = f.turn), '') as text
		from (` + hits + `) f join conversation c on c.id = f.id join desk d on d.id = c.desk
		order by c.asked_at desc`, nil
}

// list reads conversations; the last column of a search is the text that has
// the words of query.
func (s *Conversations) list(ctx context.Context, query []string, statement string,
	arguments ...any) ([]record.Conversation, error) {
	rows, err := s.pool.Query(ctx, statement, arguments...)
	if err != nil {
		return nil, err
	}
	all, err := collect(rows, foundColumns)
	conversations := make([]record.Conversation, len(all))
	for i, f := range all {
		if conversations[i] = f.Conversation; query != nil {
			conversations[i].Found = words.Excerpt(f.text, query)
		}
	}
	return conversations, err
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

// IndexWords makes those of the turns findable whose reply has ended, or anew if
// they were.
func (s *Conversations) IndexWords(ctx context.Context, turns []uuid.UUID) error {
	rows, err := s.pool.Query(ctx, `
		select t.id, case when t.number = 1 then c.title else '' end as title, t.question, a.reply
		from turn t join conversation c on c.id = t.conversation join lateral (
			select reply, state from attempt where turn = t.id order by `+whichCounts+` limit 1) a on true
		where t.id = any($1) and a.state <> 'running'`, turns)
	if err != nil {
		return err
	}
	var ids []uuid.UUID
	var found []string
	var id uuid.UUID
	var title, question, reply string
	into := columns{"id": &id, "title": &title, "question": &question, "reply": &reply}
	err = each(rows, into, func() error {
		ids, found = append(ids, id), append(found, strings.Join(words.Of(title+" "+question+" "+reply), " "))
		return nil
	})
	if err != nil || len(ids) == 0 {
		return err
	}
	_, err = s.pool.Exec(ctx, `
		insert into turn_words (turn, words)
		select n.id, array_to_tsvector(string_to_array(n.words, ' '))
			from unnest($1::uuid[], $2::text[]) as n (id, words)
		where exists (select from turn where id = n.id)
		on conflict (turn) do update set words = excluded.words`, ids, found)
	return err
}

// Unindexed returns turns that are not findable yet, at most limit.
func (s *Conversations) Unindexed(ctx context.Context, limit int) ([]uuid.UUID, error) {
	rows, err := s.pool.Query(ctx, `
		select t.id from turn t where not exists (select from turn_words where turn = t.id)
		and not exists (select from attempt where turn = t.id and state = 'running') limit $1`, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
}
