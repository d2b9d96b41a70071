package store

import (
	"context"
	"fmt"
	"strings"
	"unicode"

	"github.com/jackc/pgx/v5"
)

// Marks round the words that a search found.
const (
	FoundBegin = "\x02"
	FoundEnd   = "\x03"
)

// conversations reads a page of those conversations that a condition with
// arguments from $3 on lets through.
func (s *Store) conversations(ctx context.Context, page Page, where string, arguments ...any) ([]Conversation, error) {
	where += ` and c.removed_at is null and c.asked_at < coalesce($2, 'infinity'::timestamptz)`
	if strings.TrimSpace(page.Search) == "" {
		return s.list(ctx, `
			select `+conversationColumns+`, '' from conversation c join desk d on d.id = c.desk
			where `+where+` order by c.asked_at desc limit $1`, append([]any{page.Limit, page.Before}, arguments...)...)
	}
	query := tsquery(page.Search)
	if query == "" {
		return nil, nil // nothing but marks
	}
	// The words are looked up first; only the page that is shown gets its
	// excerpts made.
	arguments = append(append([]any{page.Limit, page.Before}, arguments...), query)
	q := fmt.Sprintf(`to_tsquery('simple', $%d::text)`, len(arguments))
	return s.list(ctx, `
		with found as (
			select c.id, c.asked_at, max(t.id::text)::uuid as turn
			from conversation c left join turn t on t.conversation = c.id and t.words @@ `+q+` and t.taken_back_at is null
			where c.id in (
				select conversation from turn where words @@ `+q+` and taken_back_at is null
				union all select id from conversation where title_words @@ `+q+`)
			and `+where+`
			group by c.id order by c.asked_at desc limit $1)
		select `+conversationColumns+`, coalesce((
			select ts_headline('simple', left(t.question || E'\n' || a.reply, 20000), `+q+`,
				'StartSel=`+FoundBegin+`, StopSel=`+FoundEnd+`, MaxFragments=1, MinWords=8, MaxWords=22')
			from turn t join lateral (select reply from attempt where turn = t.id order by `+whichCounts+` limit 1) a on true
			where t.id = f.turn), '')
		from found f join conversation c on c.id = f.id join desk d on d.id = c.desk
		order by f.asked_at desc`, arguments...)
}

func (s *Store) list(ctx context.Context, query string, arguments ...any) ([]Conversation, error) {
	rows, err := s.pool.Query(ctx, query, arguments...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanConversation)
}

// tsquery makes a query of PostgreSQL's text search of what somebody typed:
// all words, each as the beginning of one. Only letters and digits are left of
// it.
func tsquery(typed string) string {
	words := strings.FieldsFunc(typed, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.IsMark(r) })
	const most = 12
	words = words[:min(len(words), most)]
	for i, w := range words {
		words[i] = "'" + w + "':*"
	}
	return strings.Join(words, " & ")
}

// IndexWords makes settled turns findable that are not yet, at most limit, and
// returns how many. The words of a question and of a reply are looked up as
// they are written, in any language.
func (s *Store) IndexWords(ctx context.Context, limit int) (int, error) {
	tag, err := s.pool.Exec(ctx, `
		update turn t set words = to_tsvector('simple', left(t.question || ' ' || n.reply, 200000))
		from (
			select t.id, a.reply from turn t join lateral (
				select reply, state from attempt where turn = t.id order by `+whichCounts+` limit 1) a on true
			where t.words is null and a.state <> 'running' limit $1) n
		where n.id = t.id`, limit)
	return int(tag.RowsAffected()), err
}
