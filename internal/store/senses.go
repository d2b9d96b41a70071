package store

import (
	"context"

	"juvalogos/core/encoder"
)

// ofEncoder is whose vectors the encoder's are in the table of those that models made.
const ofEncoder = "encoder"

// Senses returns the encoder's vectors of texts that have been made, by the SHA-256
// of the texts.
func (s *Shelves) Senses(ctx context.Context, hashes [][32]byte) (map[[32]byte]*encoder.Code, error) {
	rows, err := s.pool.Query(ctx, `select hash, vector from embedded
		where model = $1 and hash = any($2)`, ofEncoder, slices32(hashes))
	if err != nil {
		return nil, err
	}
	found := make(map[[32]byte]*encoder.Code, len(hashes))
	var hash, packed []byte
	err = each(rows, columns{"hash": &hash, "vector": &packed}, func() error {
		// One of another length was made by another state of the program: it is made anew.
		if c, err := encoder.ReadCode(packed); err == nil {
			found[[32]byte(hash)] = c
		}
		return nil
	})
	return found, err
}

// KeepSenses puts the encoder's vectors of texts on record.
func (s *Shelves) KeepSenses(ctx context.Context, hashes [][32]byte, codes []*encoder.Code) error {
	packed := make([][]byte, len(codes))
	for i, c := range codes {
		packed[i] = c.Bytes()
	}
	_, err := s.pool.Exec(ctx, `insert into embedded (model, hash, vector)
		select $1, * from unnest($2::bytea[], $3::bytea[])
		on conflict (model, hash) do update set vector = excluded.vector`, ofEncoder, slices32(hashes), packed)
	return err
}
