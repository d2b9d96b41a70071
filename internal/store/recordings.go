package store

import (
	"context"
	"encoding/json"
	"io"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/core/sound"
	"juvalogos/internal/record"
)

// Add puts a recording on record with its sound; its size is set. It fails with
// ErrNotFound if its conversation is somebody else's, or was removed. A conversation that
// is to begin begins with it, under its name.
func (s *Recordings) Add(ctx context.Context, r *record.Recording, channel string, body io.Reader, most int64) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) (err error) {
		if _, err := tx.Exec(ctx, `insert into conversation (id, desk, visitor, channel, title, started_at, asked_at)
			values ($1, $2, $3, $6, $4, $5, $5) on conflict do nothing`, r.Conversation, r.DeskID, r.Visitor[:],
			r.Name, r.AddedAt, channel); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, `insert into recording (id, conversation, desk, visitor, name, kind, size,
				seconds, loudness, note, source, added_at, keep_until, state, wishes)
			select $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, 'given', $14
			where exists (select from conversation
				where id = $2 and visitor = $4 and desk = $3 and removed_at is null)`, r.ID, r.Conversation, r.DeskID,
			r.Visitor[:], r.Name, r.Kind, r.Size, r.Seconds, r.Loudness, r.Note, r.Source, r.AddedAt,
			r.KeepUntil, r.Wishes)
		if err == nil && tag.RowsAffected() == 0 {
			err = record.ErrNotFound
		}
		if err == nil {
			r.Size, err = keepSound(ctx, tx, r.ID, body, most)
		}
		if err == nil {
			r.Kept = true
			_, err = tx.Exec(ctx, `update recording set size = $2 where id = $1`, r.ID, r.Size)
		}
		return err
	})
}

// keepSound keeps a sound piece by piece while it is read.
func keepSound(ctx context.Context, tx pgx.Tx, id uuid.UUID, body io.Reader, most int64) (size int64, err error) {
	piece := make([]byte, pieceSize)
	for number := 0; ; number++ {
		n, err := io.ReadFull(body, piece)
		if n > 0 {
			if size += int64(n); size > most {
				return size, record.ErrTooLarge
			}
			if _, err := tx.Exec(ctx, `insert into recording_sound values ($1, $2, $3)`, id, number, piece[:n]); err != nil {
				return size, err
			}
		}
		if err == io.EOF || err == io.ErrUnexpectedEOF {
			return size, nil
		}
		if err != nil {
			return size, err
		}
	}
}

// Sound reads the sound of a recording from an offset on, piece by piece. ErrNotFound
// comes with the first Read.
func (s *Recordings) Sound(ctx context.Context, id uuid.UUID, offset int64) io.Reader {
	next := int(offset / pieceSize)
	return &pieceReader{next: next, skip: int(offset % pieceSize), fetch: func(number int, into *[]byte) error {
		return s.pool.QueryRow(ctx, `select body from recording_sound where recording = $1 and number = $2`, id, number).
			Scan(into)
	}}
}

const recordingColumns = `r.id, r.conversation, r.desk, r.visitor, r.name, r.kind, r.kept, r.size, r.seconds,
	r.note, r.source, r.added_at, r.keep_until, r.state, r.problem, r.wishes, r.model, r.attempt, r.begun_at,
		r.ended_at,
	r.language, r.put_right, r.document, r.cost, r.version`

// whole are the columns that are large.
const wholeRecording = recordingColumns + `, r.loudness, r.heard`

func recordingInto(r *record.Recording) columns {
	return columns{"id": &r.ID, "conversation": &r.Conversation, "desk": &r.DeskID,
		"visitor": (*visitorScan)(&r.Visitor), "name": &r.Name, "kind": &r.Kind, "kept": &r.Kept, "size": &r.Size,
		"seconds": &r.Seconds, "note": &r.Note, "source": &r.Source, "added_at": &r.AddedAt, "keep_until": &r.KeepUntil,
		"state": &r.State, "problem": &r.Problem, "wishes": &r.Wishes, "model": &r.Model, "attempt": &r.Attempt,
		"begun_at": &r.BegunAt, "ended_at": &r.EndedAt, "language": &r.Language, "put_right": &r.PutRight,
		"document": &r.Document, "cost": &r.Cost, "version": &r.Version, "loudness": &r.Loudness, "heard": &r.Heard}
}

func (s *Recordings) list(ctx context.Context, chosen, where string, a ...any) ([]record.Recording, error) {
	rows, err := s.pool.Query(ctx, `select `+chosen+` from recording r
		left join conversation c on c.id = r.conversation where c.removed_at is null and `+where, a...)
	if err != nil {
		return nil, err
	}
	return collect(rows, func(r *record.Recording) columns {
		into := recordingInto(r)
		if chosen == recordingColumns {
			delete(into, "loudness")
			delete(into, "heard")
		}
		return into
	})
}

// One returns a recording with all that was heard in it.
func (s *Recordings) One(ctx context.Context, id uuid.UUID) (record.Recording, error) {
	all, err := s.list(ctx, wholeRecording, `r.id = $1`, id)
	if err == nil && len(all) == 0 {
		err = record.ErrNotFound
	}
	if err != nil {
		return record.Recording{}, known(err)
	}
	return all[0], nil
}

// InConversation are the recordings of a visitor's conversation in their order, without
// what was heard and how loud they are.
func (s *Recordings) InConversation(ctx context.Context, conversation uuid.UUID, who record.Visitor) (
	[]record.Recording, error) {
	return s.list(ctx, recordingColumns, `r.conversation = $1 and r.visitor = $2 order by r.added_at, r.id`, conversation,
		who[:])
}

// OfDesk are the newest recordings of a desk, for makers; before is nil for the newest.
func (s *Recordings) OfDesk(ctx context.Context, slug string, before *time.Time, most int) ([]record.Recording, error) {
	return s.list(ctx, recordingColumns, `r.desk = (select id from desk where slug = $1)
		and ($2::timestamptz is null or r.added_at < $2) order by r.added_at desc, r.id limit $3`, slug, before, most)
}

// Version is that of a recording now.
func (s *Recordings) Version(ctx context.Context, id uuid.UUID) (version int64, err error) {
	err = s.pool.QueryRow(ctx, `select version from recording where id = $1`, id).Scan(&version)
	return version, known(err)
}

// Begin has an instance write a recording down that nobody writes down; pieces, if not
// nil, take the place of those of before. It fails with ErrDuplicate if somebody does.
func (s *Recordings) Begin(ctx context.Context, r record.Recording, pieces []record.SoundPiece, instance int32) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update recording set state = 'working', problem = '{}', wishes = $2, model = $3,
				attempt = attempt + 1, runner = $4, begun_at = $5, ended_at = null, version = version + 1
			where id = $1 and state <> 'working' and kept`, r.ID, r.Wishes, r.Model, instance, r.BegunAt)
		if err == nil && tag.RowsAffected() == 0 {
			return record.ErrDuplicate
		}
		if err != nil {
			return err
		}
		if pieces == nil {
			_, err = tx.Exec(ctx, `update recording_piece set state = 'waiting', problem = '{}'
				where recording = $1 and state = 'failed'`, r.ID)
			return err
		}
		if _, err := tx.Exec(ctx, `update recording set heard = null, put_right = '{}' where id = $1`, r.ID); err != nil {
			return err
		}
		batch := &pgx.Batch{}
		batch.Queue(`delete from recording_piece where recording = $1`, r.ID)
		for _, p := range pieces {
			batch.Queue(`insert into recording_piece (recording, number, starts, ends, cut, clean, state)
				values ($1, $2, $3, $4, $5, $6, $7)`, r.ID, p.Number, p.Start, p.End, p.Cut, p.Clean, p.State)
		}
		return tx.SendBatch(ctx, batch).Close()
	})
}

// Pieces are those of a recording, in their order.
func (s *Recordings) Pieces(ctx context.Context, id uuid.UUID) (pieces []record.SoundPiece, err error) {
	rows, err := s.pool.Query(ctx, `select number, starts, ends, cut, clean, state, problem, words, language, calls
		from recording_piece where recording = $1 order by number`, id)
	if err != nil {
		return nil, err
	}
	return collect(rows, func(p *record.SoundPiece) columns {
		return columns{"number": &p.Number, "starts": &p.Start, "ends": &p.End, "cut": &p.Cut, "clean": &p.Clean,
			"state": &p.State, "problem": &p.Problem, "words": &p.Words, "language": &p.Language, "calls": &p.Calls}
	})
}

// KeepPiece puts on record what was heard in a piece, if this instance still writes the
// recording down; else it reports false.
func (s *Recordings) KeepPiece(ctx context.Context, id uuid.UUID, p record.SoundPiece, instance int32) (bool, error) {
	words, err := json.Marshal(p.Words)
	if err != nil {
		return false, err
	}
	tag, err := s.pool.Exec(ctx, `with r as (update recording set version = version + 1
			where id = $1 and state = 'working' and runner = $2 returning id)
		update recording_piece p set state = $4, problem = $5, words = $6, language = $7, calls = $8
		from r where p.recording = r.id and p.number = $3`, id, instance, p.Number, p.State, p.Problem, words,
		p.Language, p.Calls)
	return tag.RowsAffected() == 1, err
}

// End puts on record how writing a recording down ended, if this instance still does;
// else it reports false. The sound goes with that unless it is kept.
func (s *Recordings) End(ctx context.Context, r record.Recording, instance int32) (bool, error) {
	heard, err := json.Marshal(r.Heard)
	if err != nil {
		return false, err
	}
	tag, err := s.pool.Exec(ctx, `with ended as (update recording set state = $3, problem = $4, heard = $5,
			language = $6, ended_at = $7, cost = cost + $8, kept = kept and $9, version = version + 1
			where id = $1 and state = 'working' and runner = $2 returning id, kept),
		gone as (delete from recording_sound using ended where recording = ended.id and not ended.kept)
		select id from ended`, r.ID, instance, r.State, r.Problem, heard, r.Language, r.EndedAt, r.Cost, r.Kept)
	return tag.RowsAffected() == 1, err
}

// Stop ends that a visitor's recording is written down; what was heard stays.
func (s *Recordings) Stop(ctx context.Context, id uuid.UUID, who record.Visitor, at time.Time) error {
	return s.one(ctx, `update recording set state = case when state = 'working' then 'stopped' else state end,
			ended_at = coalesce(ended_at, $3), version = version + 1
		where id = $1 and visitor = $2`, id, who[:], at)
}

// Orphans are recordings whose instance is no more.
func (s *Recordings) Orphans(ctx context.Context) ([]record.Recording, error) {
	return s.list(ctx, wholeRecording, `r.state = 'working' and not `+lives("$1", "r.runner"), lockSpace)
}

// Claim has an instance write down a recording whose instance is no more.
func (s *Recordings) Claim(ctx context.Context, id uuid.UUID, instance int32) (bool, error) {
	tag, err := s.pool.Exec(ctx, `update recording r set runner = $3, version = version + 1
		where id = $2 and state = 'working' and not `+lives("$1", "r.runner"), lockSpace, id, instance)
	return tag.RowsAffected() == 1, err
}

// PutRight keeps what a visitor put right of a sentence; a zero Right takes it back.
func (s *Recordings) PutRight(ctx context.Context, id uuid.UUID, who record.Visitor, sentence int,
	r sound.Right) error {
	if r == (sound.Right{}) {
		return s.one(ctx, `update recording set put_right = put_right - $3::int::text, version = version + 1
			where id = $1 and visitor = $2 and heard is not null`, id, who[:], sentence)
	}
	return s.one(ctx, `update recording set put_right = put_right || jsonb_build_object($3::int::text, $4::jsonb),
			version = version + 1 where id = $1 and visitor = $2 and heard is not null and $3 < jsonb_array_length(heard)`,
		id, who[:], sentence, r)
}

// SetDocument notes which document holds the text of a recording.
func (s *Recordings) SetDocument(ctx context.Context, id uuid.UUID, document *int64) error {
	return s.one(ctx, `update recording set document = $2, version = version + 1 where id = $1`, id, document)
}

// Remove takes a visitor's recording away for good, with its sound.
func (s *Recordings) Remove(ctx context.Context, id uuid.UUID, who record.Visitor) error {
	return s.one(ctx, `delete from recording where id = $1 and visitor = $2`, id, who[:])
}

// DropOld deletes the sound of recordings that are to be kept no longer and of which
// nobody writes anything down, and returns how many these were.
func (s *Recordings) DropOld(ctx context.Context, now time.Time) (int, error) {
	tag, err := s.pool.Exec(ctx, `with old as (update recording set kept = false, version = version + 1
			where keep_until <= $1 and kept and state <> 'working' returning id),
		gone as (delete from recording_sound using old where recording = old.id)
		select id from old`, now)
	return int(tag.RowsAffected()), err
}

// largestAnew is how many bytes of sound are written anew so that nothing is left of
// what was deleted among them.
const largestAnew = 4 << 30

// Scrub writes the table of sounds anew if anything in it was deleted: what was is
// nowhere in its files then. A table of more than 4 GB is cleaned, but not written anew.
func (s *Recordings) Scrub(ctx context.Context) error {
	var deleted, size int64
	err := s.pool.QueryRow(ctx, `select coalesce(pg_stat_get_tuples_deleted('recording_sound'::regclass), 0),
		pg_total_relation_size('recording_sound')`).Scan(&deleted, &size)
	if err != nil {
		return err
	}
	if done := s.scrubbed.Swap(deleted); done == deleted {
		return nil
	}
	how := `vacuum (full) recording_sound`
	if size > largestAnew {
		how = `vacuum recording_sound`
	}
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, `set lock_timeout = '3s'`); err != nil {
		return err
	}
	_, err = conn.Exec(ctx, how)
	if _, reset := conn.Exec(ctx, `reset lock_timeout`); err == nil {
		err = reset
	}
	if err != nil {
		s.scrubbed.Store(-1) // the next time
	}
	return err
}

// Spoken returns a text as it was spoken before.
func (s *Recordings) Spoken(ctx context.Context, key []byte, at time.Time) (p record.Spoken, err error) {
	err = s.pool.QueryRow(ctx, `update spoken set used_at = $2 where key = $1 returning kind, hash, size`, key, at).
		Scan(&p.Kind, &p.Hash, &p.Size)
	return p, known(err)
}

// KeepSpoken keeps a text as it was spoken.
func (s *Recordings) KeepSpoken(ctx context.Context, key []byte, kind string, body []byte, at time.Time) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		hash, err := keepBytes(ctx, tx, body)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `insert into spoken (key, kind, hash, size, used_at) values ($1, $2, $3, $4, $5)
			on conflict do nothing`, key, kind, hash, len(body), at)
		return err
	})
}

// ForgetSpoken deletes what nobody listened to since a time.
func (s *Recordings) ForgetSpoken(ctx context.Context, before time.Time) error {
	_, err := s.pool.Exec(ctx, `delete from spoken where used_at < $1`, before)
	return err
}
