package store

import (
	"context"
	"encoding/json"
	"fmt"
	"iter"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"juvalogos/core/evidence"
	"juvalogos/core/phrase"
	"juvalogos/internal/record"
)

const shelfColumns = `s.id, s.slug, s.title, s.settings, s.state, s.made_by, s.made_at,
	coalesce(d.documents, 0) documents, coalesce(d.unread, 0) unread, coalesce(d.failed, 0) failed,
	coalesce(d.passages, 0) passages, coalesce(d.words, 0) words, coalesce(d.tokens, 0) tokens,
	coalesce(d.anew, 0) anew, coalesce(d.missed, 0) missed
	from shelf s left join lateral (
		select count(*)::int documents, (count(*) filter (where state in ('waiting', 'reading')))::int unread,
			(count(*) filter (where state = 'failed'))::int failed,
			(count(*) filter (where state in ('waiting', 'reading') and passages > 0))::int anew,
			(count(*) filter (where state = 'ready' and missed_words(left_out) > original * 0.02))::int missed,
			sum(passages)::int passages, sum(words)::int words, sum(tokens)::int tokens
		from document where shelf = s.id and removed_at is null) d on true`

// MakeShelf makes a shelf; ErrDuplicate if there is one of this slug.
func (s *Shelves) MakeShelf(ctx context.Context, f record.Shelf) (id int64, err error) {
	err = s.pool.QueryRow(ctx, `insert into shelf (slug, title, settings, made_by, made_at)
		values ($1, $2, $3, $4, $5) returning id`,
		f.Slug, f.Title, f.Settings, f.MadeBy, f.MadeAt).Scan(&id)
	return id, known(err)
}

// Shelves lists them by slug.
func (s *Shelves) Shelves(ctx context.Context) ([]record.Shelf, error) {
	rows, err := s.pool.Query(ctx, `select `+shelfColumns+` where s.removed_at is null and s.conversation is null and not s.tray
		order by s.slug`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.Shelf])
}

// Shelf returns one by its slug.
func (s *Shelves) Shelf(ctx context.Context, slug string) (record.Shelf, error) {
	rows, err := s.pool.Query(ctx, `select `+shelfColumns+` where s.removed_at is null and s.slug = $1`, slug)
	if err != nil {
		return record.Shelf{}, err
	}
	f, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[record.Shelf])
	return f, known(err)
}

// RemoveShelf takes a shelf out of use, with its documents.
func (s *Shelves) RemoveShelf(ctx context.Context, id int64, at time.Time) error {
	_, err := s.pool.Exec(ctx, `with d as (update document set removed_at = $2
			where shelf = $1 and removed_at is null returning id, state),
		s as (update shelf set removed_at = $2 where id = $1)
		select pg_notify('`+shelfChannel+`', format('%s %s', $1::bigint, id)) from d
			where state in ('waiting', 'reading')`, id, at)
	return err
}

const documentColumns = `id, shelf, name, source, hash, size, state, problem, title, format, language, pages, words,
		original, left_out, edition, passages, tokens, seconds, added_by, added_at, read_at, beginning, headings,
		looked_at, look_problem`

// AddDocument puts a file that is in content already on a shelf, to be read.
// The same content on the same shelf is not added again: fresh is false then. A
// document of the same name is replaced; its id is returned.
func (s *Shelves) AddDocument(ctx context.Context, d record.Document) (id, replaced int64, fresh bool, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `select id from document
			where shelf = $1 and hash = $2 and removed_at is null and (name = $3 or state <> 'failed')
				limit 1`, d.Shelf, d.Hash, d.Name).Scan(&id)
		if err == nil {
			return nil
		}
		if known(err) != record.ErrNotFound {
			return err
		}
		err = tx.QueryRow(ctx, `update document set removed_at = $3
			where shelf = $1 and name = $2 and removed_at is null
				returning id`, d.Shelf, d.Name, d.AddedAt).Scan(&replaced)
		if err != nil && known(err) != record.ErrNotFound {
			return err
		}
		fresh = true
		return tx.QueryRow(ctx, `insert into document (shelf, name, source, hash, size, state, added_by, added_at)
			values ($1, $2, $3, $4, $5, 'waiting', $6, $7) returning id`,
			d.Shelf, d.Name, d.Source, d.Hash, d.Size, d.AddedBy, d.AddedAt).Scan(&id)
	})
	return id, replaced, fresh, known(err)
}

// Copies lists the documents of makers' shelves whose source begins so.
func (s *Shelves) Copies(ctx context.Context, source string) ([]record.Document, error) {
	return s.documents(ctx, `where starts_with(source, $1) and removed_at is null and shelf in (
		select id from shelf where removed_at is null and conversation is null) order by id`, source)
}

// ClaimLook reports whether it is to be looked now whether what a document is a copy of has
// changed; if so nobody else is to before next.
func (s *Shelves) ClaimLook(ctx context.Context, id int64, now, next time.Time) (bool, error) {
	tag, err := s.pool.Exec(ctx, `update document set look_next = $3 where id = $1 and removed_at is null
		and (look_next is null or look_next <= $2)`, id, now, next)
	return tag.RowsAffected() > 0, err
}

// Looked puts on record that a document was as what it is a copy of at a time, and when it is
// to be looked at next.
func (s *Shelves) Looked(ctx context.Context, id int64, at, next time.Time) error {
	_, err := s.pool.Exec(ctx, `update document set looked_at = $2, look_next = $3, look_problem = '{}' where id = $1`, id,
		at, next)
	return err
}

// NotLooked puts on record why it could not be looked.
func (s *Shelves) NotLooked(ctx context.Context, id int64, why phrase.Phrase) error {
	_, err := s.pool.Exec(ctx, `update document set look_problem = $2 where id = $1`, id, why)
	return err
}

// Documents lists a shelf's documents by name.
func (s *Shelves) Documents(ctx context.Context, shelf int64) ([]record.Document, error) {
	return s.documents(ctx, `where shelf = $1 and removed_at is null order by name`, shelf)
}

// Fingerprint is of what can be found on shelves: it changes when a document comes, goes or is
// read otherwise. Shelves that are not there have nothing.
func (s *Shelves) Fingerprint(ctx context.Context, slugs []string) (content string, err error) {
	err = s.pool.QueryRow(ctx, `select coalesce(md5(string_agg(encode(d.hash, 'hex') || ' ' || d.name || ' ' || d.edition,
			',' order by f.slug, d.name)), '')
		from shelf f join document d on d.shelf = f.id and d.removed_at is null and d.state = 'ready'
		where f.removed_at is null and f.slug = any($1)`, slugs).Scan(&content)
	return content, err
}

// OnShelves are the documents of shelves that can be read, with their titles and hashes, and
// whether some are still to be read. Shelves that are not there have none.
func (s *Shelves) OnShelves(ctx context.Context, slugs []string) (all []record.StandingDocument, unread bool,
	err error) {
	rows, err := s.pool.Query(ctx, `select coalesce(nullif(d.title, ''), d.name), encode(d.hash, 'hex'),
			d.state in ('waiting', 'reading')
		from shelf f join document d on d.shelf = f.id and d.removed_at is null and d.state <> 'failed'
		where f.removed_at is null and f.slug = any($1) order by f.slug, d.name`, slugs)
	if err != nil {
		return nil, false, err
	}
	var d record.StandingDocument
	var waits bool
	_, err = pgx.ForEachRow(rows, []any{&d.Title, &d.Hash, &waits}, func() error {
		unread = unread || waits
		all = append(all, d)
		return nil
	})
	return all, unread, err
}

// Document returns one that was not removed.
func (s *Shelves) Document(ctx context.Context, id int64) (record.Document, error) {
	all, err := s.documents(ctx, `where id = $1 and removed_at is null`, id)
	if err == nil && len(all) == 0 {
		err = record.ErrNotFound
	}
	if err != nil {
		return record.Document{}, err
	}
	return all[0], nil
}

// Unfinished lists documents that wait, or that an instance read that is no
// more.
func (s *Shelves) Unfinished(ctx context.Context) ([]record.Document, error) {
	return s.documents(ctx, `where removed_at is null and (state = 'waiting' or state = 'reading'
		and not `+lives("$1", "document.reader")+`) order by id`, lockSpace)
}

func (s *Shelves) documents(ctx context.Context, where string, a ...any) ([]record.Document, error) {
	rows, err := s.pool.Query(ctx, `select `+documentColumns+` from document `+where, a...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.Document])
}

// BeginReading claims a document for an instance; false if another one reads
// it, or it needs none.
func (s *Shelves) BeginReading(ctx context.Context, id int64, instance int32) (bool, error) {
	tag, err := s.pool.Exec(ctx, `update document set state = 'reading', reader = $3, problem = '{}'
		where id = $2 and removed_at is null
		and (state = 'waiting' or state = 'reading' and (reader = $3 or not `+lives("$1", "document.reader")+`))`, lockSpace, id, instance)
	return tag.RowsAffected() == 1, err
}

// KeepRead puts on record what was read of a document and tells every
// instance; passages are taken as they come, and may fail. It does nothing, and
// asks for none, if the document was removed or given up meanwhile.
func (s *Shelves) KeepRead(ctx context.Context, d record.Document, edges json.RawMessage, blocks []byte,
	passages iter.Seq2[record.StoredPassage, error]) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var shelf int64
		err := tx.QueryRow(ctx, `update document set state = $2, problem = $3, title = $4, format = $5, language = $6,
			pages = $7, words = $8, seconds = $9, read_at = $10, blocks = $11, reader = null, original = $12,
			left_out = $13, edition = $14, edges = $15, skipped = '{}', beginning = $16, headings = $17
			where id = $1 and removed_at is null and state = 'reading' returning shelf`,
			d.ID, d.State, d.Problem, d.Title, d.Format, d.Language, d.Pages, d.Words, d.Seconds, d.ReadAt, blocks,
			d.Original, leftOut(d.LeftOut), d.Edition, edges, d.Beginning,
			append([]string{}, d.Headings...)).Scan(&shelf)
		if known(err) == record.ErrNotFound {
			return nil
		}
		if err != nil {
			return err
		}
		if err := keepPassages(ctx, tx, d.ID, passages); err != nil {
			return err
		}
		return s.changed(ctx, tx, shelf, d.ID)
	})
}

// leftOut is what was left out as it is kept: nothing is an empty list.
func leftOut(all []evidence.Omission) []evidence.Omission {
	return append([]evidence.Omission{}, all...)
}

// keepPassages puts passages in the place of a document's, as they come.
func keepPassages(ctx context.Context, tx pgx.Tx, document int64,
	passages iter.Seq2[record.StoredPassage, error]) error {
	if _, err := tx.Exec(ctx, `delete from passage where document = $1`, document); err != nil {
		return err
	}
	next, stop := iter.Pull2(passages)
	defer stop()
	tokens := 0
	n, err := tx.CopyFrom(ctx, pgx.Identifier{"passage"},
		[]string{"document", "number", "id", "path", "body", "spans", "size"},
		pgx.CopyFromFunc(func() ([]any, error) {
			p, err, more := next()
			if !more || err != nil {
				return nil, err
			}
			tokens += p.Size
			return []any{document, p.Number, p.ID, p.Path, p.Text, p.Spans, p.Size}, nil
		}))
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `update document set passages = $2, tokens = $3 where id = $1`, document, n, tokens)
	return err
}

// KeepSplit puts on record how a document is split now that some of its blocks
// are skipped, and tells every instance. It does nothing if the document is read
// anew or was removed meanwhile.
func (s *Shelves) KeepSplit(ctx context.Context, d record.Document, skipped []int32,
	passages iter.Seq2[record.StoredPassage, error]) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var shelf int64
		err := tx.QueryRow(ctx, `update document set skipped = $2, left_out = $3
			where id = $1 and removed_at is null and state = 'ready' and read_at = $4 returning shelf`, d.ID,
			append([]int32{}, skipped...), leftOut(d.LeftOut), d.ReadAt).Scan(&shelf)
		if known(err) == record.ErrNotFound {
			return nil
		}
		if err != nil {
			return err
		}
		if err := keepPassages(ctx, tx, d.ID, passages); err != nil {
			return err
		}
		return s.changed(ctx, tx, shelf, d.ID)
	})
}

// Edges are what stands at the edges of a shelf's documents that are ready.
func (s *Shelves) Edges(ctx context.Context, shelf int64) ([]record.Edges, error) {
	rows, err := s.pool.Query(ctx, `select id as document, name, source, format, edges, skipped from document
		where shelf = $1 and removed_at is null and state = 'ready' order by id`, shelf)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.Edges])
}

// Common is what the built-in vectors of a shelf's passages have in common, as
// it was put on record when there were so many passages; nil if it was not.
func (s *Shelves) Common(ctx context.Context, shelf int64) (common []float32, of int, err error) {
	err = s.pool.QueryRow(ctx, `select common, common_of from shelf where id = $1`, shelf).Scan(&common, &of)
	return common, of, known(err)
}

// KeepCommon puts it on record, and tells every instance (NewCommon); false
// if another one has done so since it was kept of before passages.
func (s *Shelves) KeepCommon(ctx context.Context, shelf int64, common []float32, of, before int) (kept bool,
	err error) {
	tag, err := s.pool.Exec(ctx, `with kept as (update shelf set common = $2, common_of = $3
			where id = $1 and common_of = $4 returning id)
		select pg_notify('`+shelfChannel+`', format('%s -1', id)) from kept`, shelf, common, of, before)
	return tag.RowsAffected() > 0, err
}

// KeepProblem says of a document that could not be read anew what is wrong; what
// was read of it before stays.
func (s *Shelves) KeepProblem(ctx context.Context, id int64, what phrase.Phrase, edition int) error {
	_, err := s.pool.Exec(ctx, `update document set state = 'ready', problem = $2, edition = $3, reader = null
		where id = $1 and removed_at is null and state = 'reading'`, id, what, edition)
	return err
}

// NewCommon is told instead of a document where what a shelf's passages have in
// common is another thing now.
const NewCommon = -1

// shelfChannel carries the ids of a shelf and of the document that changed.
const shelfChannel = "juvalogos_shelf"

func (s *Shelves) changed(ctx context.Context, tx pgx.Tx, shelf, document int64) error {
	_, err := tx.Exec(ctx, `with u as (update shelf set state = state + 1 where id = $1)
		select pg_notify('`+shelfChannel+`', format('%s %s', $1::bigint, $2::bigint))`, shelf, document)
	return err
}

// ReadAgain has a document read anew.
func (s *Shelves) ReadAgain(ctx context.Context, id int64) error {
	return s.one(ctx, `update document set state = 'waiting', problem = '{}' where id = $1 and removed_at is null`, id)
}

// ReadOutdated has all documents read anew that readers of an older edition
// read, and returns how many.
func (s *Shelves) ReadOutdated(ctx context.Context, edition int) (int, error) {
	tag, err := s.pool.Exec(ctx, `update document set state = 'waiting', problem = '{}' where state = 'ready'
		and edition < $1 and removed_at is null`, edition)
	return int(tag.RowsAffected()), err
}

// ReadAllAgain has all documents of a shelf read anew, those too that could not
// be read, and returns how many.
func (s *Shelves) ReadAllAgain(ctx context.Context, shelf int64) (int, error) {
	tag, err := s.pool.Exec(ctx, `update document set state = 'waiting', problem = '{}'
		where state in ('ready', 'failed') and removed_at is null and shelf = $1`, shelf)
	return int(tag.RowsAffected()), err
}

// CancelReading gives up documents of a shelf that wait or are being read, and
// tells every instance; what was read of them before stays.
func (s *Shelves) CancelReading(ctx context.Context, shelf int64, why phrase.Phrase) (int, error) {
	tag, err := s.pool.Exec(ctx, `with given_up as (update document
			set state = case when passages > 0 then 'ready' else 'failed' end, problem = $2
			where shelf = $1 and removed_at is null and state in ('waiting', 'reading') returning id)
		select pg_notify('`+shelfChannel+`', format('%s %s', $1::bigint, id)) from given_up`, shelf, why)
	return int(tag.RowsAffected()), err
}

// UnreadOn is how many documents of a shelf are to be read.
func (s *Shelves) UnreadOn(ctx context.Context, shelf int64) (n int, err error) {
	err = s.pool.QueryRow(ctx, `select count(*) from document where shelf = $1 and removed_at is null
		and state in ('waiting', 'reading')`, shelf).Scan(&n)
	return n, err
}

// Reads reports whether a document is being read, and not given up or removed.
func (s *Shelves) Reads(ctx context.Context, id int64) (is bool, err error) {
	err = s.pool.QueryRow(ctx, `select exists (select from document where id = $1 and state = 'reading'
		and removed_at is null)`, id).Scan(&is)
	return is, err
}

// RemoveDocument takes a document off a shelf.
func (s *Shelves) RemoveDocument(ctx context.Context, shelf, id int64, at time.Time) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var there bool
		if err := tx.QueryRow(ctx, `update document set removed_at = $3 where id = $1 and shelf = $2
			and removed_at is null returning true`, id, shelf, at).Scan(&there); err != nil {
			return known(err)
		}
		return s.changed(ctx, tx, shelf, id)
	})
}

// Forget deletes the documents of a shelf for good whose names end in an ending, those
// too that were taken off it before or are older versions, and returns which these were.
func (s *Shelves) Forget(ctx context.Context, shelf int64, ending string) (ids []int64, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `delete from document where shelf = $1 and right(name, length($2)) = $2
			returning id, hash`, shelf, ending)
		if err != nil {
			return err
		}
		var hashes [][]byte
		var id int64
		var hash []byte
		if _, err := pgx.ForEachRow(rows, []any{&id, &hash}, func() error {
			ids, hashes = append(ids, id), append(hashes, slices.Clone(hash))
			return nil
		}); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `select content_goes($1)`, hashes); err != nil {
			return err
		}
		for _, id := range ids {
			if err := s.changed(ctx, tx, shelf, id); err != nil {
				return err
			}
		}
		return nil
	})
	return ids, err
}

// RestoreDocument puts a document back on a shelf that was removed from it.
func (s *Shelves) RestoreDocument(ctx context.Context, shelf, id int64) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var there bool
		if err := tx.QueryRow(ctx, `update document set removed_at = null where id = $1 and shelf = $2
			and removed_at is not null returning true`, id, shelf).Scan(&there); err != nil {
			return known(err)
		}
		return s.changed(ctx, tx, shelf, id)
	})
}

// Blocks returns what was read of a document, packed.
func (s *Shelves) Blocks(ctx context.Context, id int64) (blocks []byte, err error) {
	err = s.pool.QueryRow(ctx, `select blocks from document where id = $1 and removed_at is null`, id).Scan(&blocks)
	return blocks, known(err)
}

// EachPassage hands over the passages of a shelf that can be found, document by
// document; of one document only, if it is not 0. A conversation's shelf has what
// was brought into the conversation too.
func (s *Shelves) EachPassage(ctx context.Context, shelf, document int64, do func(record.ShelfPassage) error) error {
	rows, err := s.pool.Query(ctx, `select p.document, p.number, p.path, p.body, d.title, d.language
		from document d join passage p on p.document = d.id
		where d.id in (select id from document where shelf = $1 and removed_at is null
				union select ed.document from shelf f join errand e on e.conversation = f.conversation
				join errand_document ed on ed.errand = e.id where f.id = $1 and e.put_away_at is null)
			and ($2 = 0 or d.id = $2) and d.state <> 'failed' and d.removed_at is null
			order by d.id, p.number`, shelf, document)
	if err != nil {
		return err
	}
	var p record.ShelfPassage
	into := columns{"document": &p.Document, "number": &p.Number, "path": &p.Path, "body": &p.Text, "title": &p.Title,
		"language": &p.Language}
	return each(rows, into, func() error {
		err := do(p)
		p.Path = nil
		return err
	})
}

// Passages returns passages by document and number, in any order. Those of
// documents that were removed are left out.
func (s *Shelves) Passages(ctx context.Context, documents []int64, numbers []int32) ([]record.StoredPassage, error) {
	rows, err := s.pool.Query(ctx, `select p.document, p.number, p.id, p.path, p.body as text, p.spans, p.size
		from unnest($1::bigint[], $2::int[]) as w (document, number) join passage p using (document, number)
		join document d on d.id = p.document where d.removed_at is null`, documents, numbers)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.StoredPassage])
}

// PassagesOf returns all passages of a document in their order.
func (s *Shelves) PassagesOf(ctx context.Context, document int64) ([]record.StoredPassage, error) {
	rows, err := s.pool.Query(ctx, `select document, number, id, path, body as text, spans, size from passage
		where document = $1 order by number`, document)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.StoredPassage])
}

// ShelfNews hands over the shelf and the document of every change, by any
// instance, until ctx ends or the connection is lost.
func (s *Shelves) ShelfNews(ctx context.Context, listening func(), do func(shelf, document int64)) error {
	conn, err := pgx.ConnectConfig(ctx, s.pool.Config().ConnConfig)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, `listen `+shelfChannel); err != nil {
		return err
	}
	listening()
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		var shelf, document int64
		if _, err := fmt.Sscan(n.Payload, &shelf, &document); err == nil {
			do(shelf, document)
		}
	}
}

// NoteShelves puts on record with which state of its shelves a revision was
// published.
func (s *Desks) NoteShelves(ctx context.Context, desk int64, revision int, slugs []string) error {
	_, err := s.pool.Exec(ctx, `insert into revision_shelf (desk, revision, shelf, state)
		select $1, $2, id, state from shelf where slug = any($3) and removed_at is null
			on conflict do nothing`, desk, revision, slugs)
	return err
}

// ShelfChanges tells what changed on a revision's shelves since it was
// published.
func (s *Desks) ShelfChanges(ctx context.Context, desk int64, revision int) ([]record.ShelfChange, error) {
	rows, err := s.pool.Query(ctx, `
		select f.slug, f.title, w.state as "then", f.state as now, f.removed_at is not null as removed,
			array(select d.name from document d
				where d.shelf = f.id and d.added_at > r.made_at and d.removed_at is null order by 1) as added,
			array(select d.name from document d
				where d.shelf = f.id and d.added_at <= r.made_at and d.removed_at > r.made_at order by 1) as dropped
		from revision_shelf w join shelf f on f.id = w.shelf
			join revision r on r.desk = w.desk and r.number = w.revision
		where w.desk = $1 and w.revision = $2 order by f.slug`, desk, revision)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.ShelfChange])
}
