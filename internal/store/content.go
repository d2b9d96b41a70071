package store

import (
	"context"
	"crypto/sha256"
	"io"

	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

// pieceSize is how much of a file is in one row.
const pieceSize = 1 << 20

// KeepContent puts a file on record piece by piece while it is read, and
// returns its SHA-256 and its size. What is there already is not kept again.
func (s *Shelves) KeepContent(ctx context.Context, r io.Reader, most int64) (hash []byte, size int64, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		// The hash is known at the end: pieces wait under none until then.
		if _, err := tx.Exec(ctx, `create temporary table arriving (number integer,
			body bytea) on commit drop`); err != nil {
			return err
		}
		sum := sha256.New()
		piece := make([]byte, pieceSize)
		for number := 0; ; number++ {
			n, err := io.ReadFull(r, piece)
			if n > 0 {
				sum.Write(piece[:n])
				if size += int64(n); size > most {
					return record.ErrTooLarge
				}
				if _, err := tx.Exec(ctx, `insert into arriving values ($1, $2)`, number, piece[:n]); err != nil {
					return err
				}
			}
			if err == io.EOF || err == io.ErrUnexpectedEOF {
				break
			}
			if err != nil {
				return err
			}
		}
		hash = sum.Sum(nil)
		tag, err := tx.Exec(ctx, `insert into content (hash, size) values ($1, $2) on conflict do nothing`, hash, size)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		_, err = tx.Exec(ctx, `insert into content_piece select $1, number, body from arriving`, hash)
		return err
	})
	return hash, size, err
}

// Content reads a file; it is read piece by piece. ErrNotFound comes with the
// first Read.
func (s *Shelves) Content(ctx context.Context, hash []byte) io.Reader {
	return s.ContentFrom(ctx, hash, 0)
}

// ContentFrom reads a file from an offset on; one beyond its end is its end.
func (s *Shelves) ContentFrom(ctx context.Context, hash []byte, offset int64) io.Reader {
	return &pieceReader{next: int(offset / pieceSize), skip: int(offset % pieceSize),
		fetch: func(number int, into *[]byte) error {
			return s.pool.QueryRow(ctx, `select body from content_piece
				where hash = $1 and number = $2`, hash, number).Scan(into)
		}}
}

// pieceReader reads what is kept in pieces.
type pieceReader struct {
	fetch func(number int, into *[]byte) error
	next  int
	skip  int // of the first piece
	left  []byte
	over  bool
}

func (c *pieceReader) Read(p []byte) (int, error) {
	for len(c.left) == 0 {
		if c.over {
			return 0, io.EOF
		}
		err := c.fetch(c.next, &c.left)
		if known(err) == record.ErrNotFound && c.next > 0 {
			c.over = true
			return 0, io.EOF
		}
		if err != nil {
			return 0, known(err)
		}
		c.next++
		c.over = len(c.left) < pieceSize
		c.left = c.left[min(c.skip, len(c.left)):]
		c.skip = 0
	}
	n := copy(p, c.left)
	c.left = c.left[n:]
	return n, nil
}
