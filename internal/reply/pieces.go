package reply

import "juvalogos/core/recipe"

// Piece is what a step that runs for each of a list has made of one of them, to be read
// before there is a reply.
type Piece struct {
	Number, Of  int // which it is, from 1, and how many there are
	Title, Text string
}

// keepPiece notes what a visitor may read of a step that has ended.
func (r *Reply) keepPiece(span *recipe.Span) {
	if span.Piece == nil || span.State != recipe.Done && span.State != recipe.Reused {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.pieces = append(r.pieces, Piece{span.Number, span.Of, span.Piece.Title,
		string(keepable([]byte(span.Piece.Text)))})
	r.wake()
}

// PiecesSince returns the pieces beyond the first so many, in the order in which they came.
func (r *Reply) PiecesSince(have int) []Piece {
	r.mu.Lock()
	defer r.mu.Unlock()
	if have >= len(r.pieces) {
		return nil
	}
	return append([]Piece(nil), r.pieces[have:]...)
}
