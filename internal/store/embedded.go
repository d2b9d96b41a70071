package store

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"math"

	"github.com/jackc/pgx/v5"
)

// Vectors returns those of texts that a model has embedded before, by their
// hashes (SHA-256).
func (s *Shelves) Vectors(ctx context.Context, model string, hashes [][32]byte) (map[[32]byte][]float32, error) {
	rows, err := s.pool.Query(ctx, `select hash, vector from embedded
		where model = $1 and hash = any($2)`, model, slices32(hashes))
	if err != nil {
		return nil, err
	}
	found := make(map[[32]byte][]float32, len(hashes))
	var hash, packed []byte
	err = each(rows, columns{"hash": &hash, "vector": &packed}, func() error {
		v := make([]float32, len(packed)/4)
		for i := range v {
			v[i] = math.Float32frombits(binary.LittleEndian.Uint32(packed[4*i:]))
		}
		found[[32]byte(hash)] = v
		return nil
	})
	return found, err
}

// Lacking returns those of the hashes whose texts a model has not embedded yet.
func (s *Shelves) Lacking(ctx context.Context, model string, hashes [][32]byte) (map[[32]byte]bool, error) {
	rows, err := s.pool.Query(ctx, `select h as hash from unnest($2::bytea[]) h where not exists (select from embedded
		where model = $1 and hash = h)`, model, slices32(hashes))
	if err != nil {
		return nil, err
	}
	lacking := map[[32]byte]bool{}
	var hash []byte
	err = each(rows, columns{"hash": &hash}, func() error {
		lacking[[32]byte(hash)] = true
		return nil
	})
	return lacking, err
}

// KeepVectors puts vectors on record, with what making them took of a shelf's.
func (s *Shelves) KeepVectors(ctx context.Context, shelf int64, model string, hashes [][32]byte, vectors [][]float32,
	tokens int, cost float64) error {
	packed := make([][]byte, len(vectors))
	for i, v := range vectors {
		for _, x := range v {
			packed[i] = binary.LittleEndian.AppendUint32(packed[i], math.Float32bits(x))
		}
	}
	batch := &pgx.Batch{}
	batch.Queue(`insert into embedded (model, hash, vector) select $1, * from unnest($2::bytea[], $3::bytea[])
		on conflict do nothing`, model, slices32(hashes), packed)
	batch.Queue(`update shelf set embedded_tokens = embedded_tokens + $2, embedded_cost = embedded_cost + $3,
		embedding_problem = '' where id = $1`, shelf, tokens, cost)
	return s.pool.SendBatch(ctx, batch).Close()
}

func slices32(hashes [][32]byte) [][]byte {
	all := make([][]byte, len(hashes))
	for i := range hashes {
		all[i] = hashes[i][:]
	}
	return all
}

// NoteEmbedding puts on record what went wrong with embedding a shelf; "" is
// nothing.
func (s *Shelves) NoteEmbedding(ctx context.Context, shelf int64, problem string) error {
	_, err := s.pool.Exec(ctx, `update shelf set embedding_problem = $2 where id = $1`, shelf, problem)
	return err
}

// AgreeToEmbed puts on record whether somebody has agreed to what embedding a
// shelf costs.
func (s *Shelves) AgreeToEmbed(ctx context.Context, shelf int64, agreed bool) error {
	_, err := s.pool.Exec(ctx, `update shelf set embedding_agreed = $2, embedding_problem = ''
		where id = $1`, shelf, agreed)
	return err
}

// AgreedToEmbed reports whether somebody has.
func (s *Shelves) AgreedToEmbed(ctx context.Context, shelf int64) (agreed bool, err error) {
	err = s.pool.QueryRow(ctx, `select embedding_agreed from shelf where id = $1`, shelf).Scan(&agreed)
	return agreed, known(err)
}

// Embedding returns what embedding a shelf took so far, and what went wrong
// last.
func (s *Shelves) Embedding(ctx context.Context, shelf int64) (tokens int64, cost float64, problem string, err error) {
	err = s.pool.QueryRow(ctx, `select embedded_tokens, embedded_cost, embedding_problem from shelf
		where id = $1`, shelf).Scan(&tokens, &cost, &problem)
	return tokens, cost, problem, known(err)
}

// SetShelf gives a shelf another title and settings, and tells every instance
// to fill it anew.
func (s *Shelves) SetShelf(ctx context.Context, id int64, title string, settings json.RawMessage) error {
	if err := s.one(ctx, `update shelf set title = $2, settings = $3
		where id = $1 and removed_at is null`, id, title, settings); err != nil {
		return err
	}
	return s.RefillShelf(ctx, id)
}

// RefillShelf tells every instance to fill a shelf anew.
func (s *Shelves) RefillShelf(ctx context.Context, id int64) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error { return s.changed(ctx, tx, id, 0) })
}
