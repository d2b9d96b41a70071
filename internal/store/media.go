package store

import (
	"context"
	"crypto/sha256"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

// keepBytes puts a file on record that is in memory, unless it is there.
func keepBytes(ctx context.Context, tx pgx.Tx, body []byte) ([]byte, error) {
	sum := sha256.Sum256(body)
	hash := sum[:]
	tag, err := tx.Exec(ctx, `insert into content (hash, size) values ($1, $2) on conflict do nothing`, hash, len(body))
	if err != nil || tag.RowsAffected() == 0 {
		return hash, err
	}
	batch := &pgx.Batch{}
	for number := 0; number*pieceSize < len(body); number++ {
		batch.Queue(`insert into content_piece (hash, number, body) values ($1, $2, $3)`, hash, number,
			body[number*pieceSize:min((number+1)*pieceSize, len(body))])
	}
	return hash, tx.SendBatch(ctx, batch).Close()
}

// Keep puts media on record with its bytes and the same, small; its hashes and its size are
// set. It fails with ErrNotFound if its conversation is somebody else's, or was removed.
func (s *Media) Keep(ctx context.Context, m *record.Media, body, small []byte) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) (err error) {
		if m.Hash, err = keepBytes(ctx, tx, body); err != nil {
			return err
		}
		if m.Small, err = keepBytes(ctx, tx, small); err != nil {
			return err
		}
		m.Size = int64(len(body))
		return insertMedia(ctx, tx, m)
	})
}

func insertMedia(ctx context.Context, tx pgx.Tx, m *record.Media) error {
	tag, err := tx.Exec(ctx, `
		insert into media (id, class, kind, hash, size, width, height, small, name, said, note, origin,
			conversation,
			desk, visitor, turn, added_at, made)
		select $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18
		where not exists (select from conversation
			where id = $13 and (visitor <> $15 or desk <> $14 or removed_at is not null))`,
		m.ID, m.Class, m.Kind, m.Hash, m.Size, m.Width, m.Height, m.Small, m.Name, m.Said, m.Note, m.Origin,
		m.Conversation, m.DeskID, m.Visitor[:], m.Turn, m.AddedAt, m.Made)
	if err == nil && tag.RowsAffected() == 0 {
		err = record.ErrNotFound
	}
	return err
}

// Copy puts media on record whose bytes are there. It fails as Keep does.
func (s *Media) Copy(ctx context.Context, m *record.Media) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error { return insertMedia(ctx, tx, m) })
}

const mediaColumns = `m.id, m.class, m.kind, m.hash, m.size, m.width, m.height, m.small, m.name, m.said, m.note, m.origin,
	m.conversation, m.desk, m.visitor, m.turn, m.added_at, m.put_away_at, m.made,
	(select count(*) from turn t where t.conversation = m.conversation and m.id = any(t.media)) as asked`

func mediaInto(m *record.Media) columns {
	return columns{
		"id": &m.ID, "class": &m.Class, "kind": &m.Kind, "hash": &m.Hash, "size": &m.Size, "width": &m.Width,
		"height": &m.Height, "small": &m.Small, "name": &m.Name, "said": &m.Said, "note": &m.Note,
		"origin": &m.Origin, "conversation": &m.Conversation, "desk": &m.DeskID,
		"visitor": (*visitorScan)(&m.Visitor), "turn": &m.Turn, "added_at": &m.AddedAt, "put_away_at": &m.PutAwayAt,
		"made": &m.Made, "asked": &m.Asked,
	}
}

func (s *Media) list(ctx context.Context, rest string, arguments ...any) ([]record.Media, error) {
	rows, err := s.pool.Query(ctx, `select `+mediaColumns+` from media m left join conversation c
		on c.id = m.conversation where c.removed_at is null and m.removed_at is null and `+rest, arguments...)
	if err != nil {
		return nil, err
	}
	return collect(rows, mediaInto)
}

// One returns media by its id, unless it or its conversation was removed.
func (s *Media) One(ctx context.Context, id uuid.UUID) (record.Media, error) {
	all, err := s.list(ctx, `m.id = $1`, id)
	if err == nil && len(all) == 0 {
		err = record.ErrNotFound
	}
	if err != nil {
		return record.Media{}, known(err)
	}
	return all[0], nil
}

// Some returns media by their ids, in the order of the ids; what is not there is left out.
func (s *Media) Some(ctx context.Context, ids []uuid.UUID) ([]record.Media, error) {
	if len(ids) == 0 {
		return nil, nil
	}
	return s.list(ctx, `m.id = any($1) order by array_position($1, m.id)`, ids)
}

// OfTurn returns what a turn was asked with.
func (s *Media) OfTurn(ctx context.Context, turn uuid.UUID) ([]record.Media, error) {
	return s.list(ctx, `m.id = any((select media from turn where id = $1)::uuid[]) order by m.added_at, m.id`, turn)
}

// Current returns what the next question of a visitor's conversation is asked with.
func (s *Media) Current(ctx context.Context, conversation uuid.UUID, visitor record.Visitor) ([]record.Media, error) {
	return s.list(ctx, `m.conversation = $1 and m.visitor = $2 and m.origin = 'given' and m.put_away_at is null
		order by m.added_at, m.id`, conversation, visitor[:])
}

// PutAway ends that questions are asked with media of a visitor's; one that none was
// asked with is deleted.
func (s *Media) PutAway(ctx context.Context, id uuid.UUID, visitor record.Visitor, at time.Time) error {
	var found bool
	err := s.pool.QueryRow(ctx, `
		with unused as (delete from media m where id = $1 and visitor = $2 and origin = 'given'
			and not exists (select from turn t where t.conversation = m.conversation and m.id = any(t.media))
			returning id),
		used as (update media m set put_away_at = coalesce(put_away_at, $3) where id = $1 and visitor = $2
			and exists (select from turn t where t.conversation = m.conversation and m.id = any(t.media))
			returning id)
		select exists (select from unused) or exists (select from used)`, id, visitor[:], at).Scan(&found)
	if err == nil && !found {
		err = record.ErrNotFound
	}
	return err
}

// Remove takes away media of a visitor's that was made; a conversation that has no other
// goes with it.
func (s *Media) Remove(ctx context.Context, id uuid.UUID, visitor record.Visitor, at time.Time) error {
	return s.one(ctx, `
		with m as (update media set removed_at = $3 where id = $1 and visitor = $2 and origin = 'made'
			and removed_at is null returning id, conversation),
		c as (update conversation c set removed_at = $3 from m where c.id = m.conversation and c.removed_at is null
			and not exists (select from media o where o.conversation = c.id and o.origin = 'made' and o.id <> m.id
				and o.removed_at is null))
		select id from m`, id, visitor[:], at)
}

// Restore brings back media of a visitor's that was removed, and its conversation.
func (s *Media) Restore(ctx context.Context, id uuid.UUID, visitor record.Visitor) error {
	return s.one(ctx, `
		with m as (update media set removed_at = null where id = $1 and visitor = $2 and removed_at is not null
			returning id, conversation),
		c as (update conversation c set removed_at = null from m where c.id = m.conversation)
		select id from m`, id, visitor[:])
}

// Gallery returns what a desk made for a visitor, the newest first: whose wishes have all
// of some words, and before one.
func (s *Media) Gallery(ctx context.Context, desk int64, visitor record.Visitor, words []string, before uuid.UUID,
	most int) ([]record.Media, error) {
	patterns := make([]string, len(words))
	for i, w := range words {
		patterns[i] = "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(w) + "%"
	}
	return s.list(ctx, `m.desk = $1 and m.visitor = $2 and m.origin = 'made'
		and (cardinality($3::text[]) = 0 or m.made ->> 'words' ilike all ($3))
		and ($4 = '00000000-0000-0000-0000-000000000000'::uuid
			or (m.added_at, m.id) < (select added_at, id from media where id = $4))
		order by m.added_at desc, m.id desc limit $5`, desk, visitor[:], patterns, before, most)
}

// Describe says what media of a visitor's shows.
func (s *Media) Describe(ctx context.Context, id uuid.UUID, visitor record.Visitor, said string) error {
	return s.one(ctx, `update media set said = $3 where id = $1 and visitor = $2`, id, visitor[:], said)
}

// DescribeUnsaid says what media shows where nobody has said it yet.
func (s *Media) DescribeUnsaid(ctx context.Context, id uuid.UUID, said string) error {
	_, err := s.pool.Exec(ctx, `update media set said = $2 where id = $1 and said = ''`, id, said)
	return err
}

// SharedBy reports whether media belongs to the conversation whose shared link ends
// with share.
func (s *Media) SharedBy(ctx context.Context, id uuid.UUID, share string) (yes bool, err error) {
	err = s.pool.QueryRow(ctx, `select exists (select from media m join conversation c on c.id = m.conversation
		where m.id = $1 and c.share = $2 and c.removed_at is null and m.removed_at is null)`, id, share).Scan(&yes)
	return yes, err
}

// As returns media in a form that was made before; ErrNotFound if it was not.
func (s *Media) As(ctx context.Context, id uuid.UUID, wanted string) (record.MediaAs, error) {
	var a record.MediaAs
	err := s.pool.QueryRow(ctx, `select kind, hash, size, width, height from media_as where media = $1 and wanted = $2`,
		id, wanted).Scan(&a.Kind, &a.Hash, &a.Size, &a.Width, &a.Height)
	return a, known(err)
}

// KeepAs keeps media in a form.
func (s *Media) KeepAs(ctx context.Context, id uuid.UUID, wanted string, a record.MediaAs, body []byte) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		hash, err := keepBytes(ctx, tx, body)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `insert into media_as (media, wanted, kind, hash, size, width, height)
			select $1, $2, $3, $4, $5, $6, $7 where exists (select from media where id = $1) on conflict do nothing`,
			id, wanted, a.Kind, hash, len(body), a.Width, a.Height)
		return err
	})
}

// Lately is how many seconds the last pictures of a model took on average, ten at most,
// and how many these are.
func (s *Media) Lately(ctx context.Context, model string) (seconds float64, n int, err error) {
	err = s.pool.QueryRow(ctx, `select coalesce(avg(took), 0), count(*) from (
		select (made ->> 'seconds')::double precision as took from media
		where origin = 'made' and made ->> 'model' = $1 order by added_at desc limit 10) lately`, model).
		Scan(&seconds, &n)
	return seconds, n, err
}

// Contents is how many files are on record, of documents and of pictures.
func (s *Media) Contents(ctx context.Context) (n int, err error) {
	err = s.pool.QueryRow(ctx, `select count(*) from content`).Scan(&n)
	return n, err
}
